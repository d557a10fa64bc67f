"""The words that the names of a world are cut into: all that we know, in its language."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import lru_cache

from ..model import World
from ..values.vocabulary import by_noun
from .concepts import known_names, known_words
from .concepts.trades import words_of_trades
from .naming import Vocabulary, abbreviations, is_clipped
from .naming.language import language_of
from .nouns import is_noun
from .sizes import words_of_things


def language_of_world(world: World) -> str:
    """The language that was said, else that of the model's names."""
    if world.language is not None:
        return world.language.partition("-")[0]
    return _language_of_names(world)


def _language_of_names(world: World, said: str | None = None) -> str:
    fields = tuple(field.name for entity in world.entities for field in entity.fields)
    return _language(fields, tuple(entity.name for entity in world.entities), said)


@lru_cache(maxsize=16)
def _language(fields: tuple[str, ...], entities: tuple[str, ...], said: str | None) -> str:
    """A world is asked again in each pass, while its names stay."""
    return language_of(fields, entities, said)


def vocabulary_of(world: World) -> Vocabulary:
    names = (*(entity.name for entity in world.entities), *(field.name for entity in world.entities for field in entity.fields))
    language = language_of_world(world)
    reads = language if world.language is None else _language_of_names(world, language)
    return _vocabulary(language, reads, world.spelled, clipped=_is_clipped(names))


_is_clipped = lru_cache(maxsize=16)(is_clipped)


@lru_cache(maxsize=8)
def _vocabulary(language: str, reads: str, spelled: tuple[tuple[str, str], ...], *, clipped: bool) -> Vocabulary:
    of_lines, cues = words_of_trades()
    known = known_words() | words_of_things() | frozenset(by_noun()) | of_lines
    return Vocabulary(
        known | frozenset(_not_glued(cues, known)), language, dict(spelled), reads=reads, clipped=clipped, often=_often
    )


@lru_cache(maxsize=1)
def _often() -> Counter[str]:
    return Counter(word for words in known_names() for word in words)


def _not_glued(words: frozenset[str], known: frozenset[str]) -> Iterator[str]:
    """The words that are no two of others written together: `timeperiod` stands for what a name may write in both ways."""
    every = words | known | abbreviations().keys()
    for word in words:
        cuts = ((word[:at], word[at:]) for at in range(3, len(word) - 2))
        if is_noun(word) or not any(first in every and last in every for first, last in cuts):
            yield word
