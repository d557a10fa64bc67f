"""What is guessed of fields that no concept names, by the sort of word their name is: a quality, money, a thing of some sorts."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from ..model import Field
from ..model.types import INTEGERS
from ..values.vocabulary import by_noun, listed, senses
from .around import Around, Guessed
from .company import VAGUE
from .naming import singular
from .naming.values import in_language
from .nouns import SYSTEMS
from .offers import by_number, by_words
from .roots import is_participle

_DEGREES = (("low", 28.0), ("medium", 46.0), ("high", 26.0))


# measures and words of office, which are no qualities told by degrees, and things that nobody tells the sorts of
_NOT = frozenset(listed("no qualities")) | VAGUE


@lru_cache(maxsize=8)
def _of(what: str) -> frozenset[str]:
    return frozenset(senses()[what]) - _NOT


def is_adjective(word: str) -> bool:
    """Whether a word only says how something is."""
    return len(word) > 4 and word in _of("adjective")


def text_by_sense(around: Around, field: Field) -> Iterator[Guessed]:
    """Degrees of a quality; the sorts of a thing that has some."""
    words = () if around.topic.within(*SYSTEMS) else around.words[field.name]
    last = singular(words[-1]) if words else ""
    if last in ("type", "kind", "sort", "variety") and len(words) > 1:
        last = singular(words[-2])
    if last in _of("attribute"):
        made = by_words(field, in_language(_DEGREES, around.vocabulary.language), f"{last} is a quality, told by degrees", 0.46)
        yield from () if made is None else (made,)
    told = around.vocabulary.language == "en" and last not in _NOT and by_noun().get(last, ("",))[0] not in SYSTEMS
    sorts = _sorts_of(last) if told else ()
    if sorts:
        pairs = tuple((sort, float(24 - 2 * at)) for at, sort in enumerate(sorts))
        made = by_words(field, pairs, f"there are several sorts of {last}", 0.455)
        yield from () if made is None else (made,)


def is_state(noun: str) -> bool:
    """Whether a noun is of a state or an event, of which there is little or much: infestation, drought."""
    return noun in _of("state")


def is_artifact(noun: str) -> bool:
    """Whether a noun is of a thing that somebody made: an oven, a bridge."""
    return noun in _of("artifact")


def is_act(noun: str) -> bool:
    """Whether a noun is of something that is done or thought, which is done in one way or another: formulation, routing."""
    return noun in _of("act")


def _sorts_of(noun: str) -> tuple[str, ...]:
    """The sorts of a thing that are called by it, `air pump` of a pump; where some are, the others as well: a wheat may be spelt.
    What has no such sorts is no thing: a criterion, a partition."""
    sorts = senses().get(f"sorts of {noun}", ())
    called = tuple(sort for sort in sorts if sort.rpartition(" ")[2] == noun)
    return called if len(called) > 3 else sorts if 3 * len(called) >= len(sorts) else ()


def number_by_sense(around: Around, field: Field) -> Iterator[Guessed]:
    """A quality told in points, an amount of money."""
    words = () if around.topic.within(*SYSTEMS) else around.words[field.name]
    last = words[-1] if words else ""
    made = None
    if len(words) == 2 and last == "in" and is_participle(words[0]) and field.type.name in INTEGERS:  # apprenticed_in
        made = by_number(field, "1988 2025 even", f"the year in which something was {words[0]}", 0.6)
    elif last in _of("attribute") and field.type.name in INTEGERS:
        made = by_number(field, "1 5 hump", f"{last} is a quality, told in points", 0.43)
    elif singular(last) in _of("possession") and field.type.name not in INTEGERS:
        made = by_number(field, "5 480 price", f"{last} is money", 0.43)
    yield from () if made is None else (made,)
