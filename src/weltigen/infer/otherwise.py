"""What else the name of a text may tell where no concept fits as it stands: a number, a flag or a moment kept as a text, what
stands before `of` or `to`, an identifier that is cut short, the names of several."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from ..model import Field, Guess
from ..model.types import MOMENTS
from ..values import written_lengths
from .around import Around, Guessed, may_hold_moment
from .by_sense import is_adjective
from .concepts import matching
from .numbers_as_texts import numbers_as_texts
from .offers import by_pattern, fits, of_named_kind
from .readings import readings, reason_of

Guessing = Callable[[Around, Field], Iterator[Guessed]]


def otherwise(around: Around, field: Field, guessing: Guessing) -> Iterator[Guessed]:
    """Candidates that are less sure than what a name says outright; `guessing` tells what another name would say."""
    yield from numbers_as_texts(around, field, guessing)
    yield from _moments_as_texts(around, field)
    yield from _cut_short(around, field)
    yield from _without_ends(around, field, guessing)


def _moments_as_texts(around: Around, field: Field) -> Iterator[Guessed]:
    """A text whose name is of a moment: a day, or a day and a time, as ISO 8601 writes it."""
    for words, _, _ in readings(around, field):
        for found in matching(words):
            if found.concept.types <= MOMENTS and found.concept.types and found.whole and may_hold_moment(field):
                day = field.room is not None and field.room < 19
                told = f"{reason_of(found, words)}, a moment as a text"
                made = of_named_kind("iso-time", told, 0.86, **({"form": "date"} if day else {}))
                yield replace(made, share=found.concept.there)
                return


def _cut_short(around: Around, field: Field) -> Iterator[Guessed]:
    """An identifier of some form that has less room than the form takes: signs of the same sorts."""
    if field.room is None or field.room < 4:
        return
    for found in matching(around.words[field.name]):
        concept = found.concept
        kind = concept.arguments.split(" ")[0] if concept.what == "kind" else ""
        signs = "[0-9a-f]" if kind in _HEXADECIMAL else "[0-9]" if kind in written_lengths() else ""
        if signs and field.type.name in concept.types and not fits(kind, field):
            reason = f"{reason_of(found, found.words)}, as far as there is room"
            made = by_pattern(field, f"{signs}{{{field.room}}}", reason, 0.6)
            yield from () if made is None else (made,)
            return


_HEXADECIMAL = frozenset("uuid sha-512 sha-256 sha-1 md5".split())


_WHICH = frozenset("non public private internal external".split())


def _says_which(around: Around, word: str) -> bool:
    """Whether a word at the end of a name only says which one of several it is: an adjective, or letters of no meaning."""
    return word in _WHICH or is_adjective(word) or (word not in around.vocabulary.known and not word.isdigit())


_BEFORE = frozenset("of to for per".split())  # what stands before these is what a name is of


def _without_ends(around: Around, field: Field, guessing: Guessing) -> Iterator[Guessed]:
    """What a name would say without what only tells which one it is: `path to index`, `site address a`."""
    words = around.words[field.name]
    ways = [words[:at] for at, word in enumerate(words) if at and word in _BEFORE]
    if len(words) > 1 and len(words[-1]) == 1:
        ways.append(words[:-1])
    told = words
    while len(told) > 1 and _says_which(around, told[-1]):
        told = told[:-1]
    if told != words:
        ways.append(told)
    for way in (way for way in ways if all(word in around.vocabulary.known or word.isdigit() for word in way)):
        for one in guessing(replace(around, words={**around.words, field.name: way}), field):
            if one.guess.confidence >= 0.6:
                said = Guess(reason=f"{' '.join(way)}: {one.guess.reason}", confidence=round(0.7 * one.guess.confidence, 2))
                yield replace(one, guess=said)
