"""Codes of one of a few: the type of a debit as applications keep it, OVERDUE_FINE."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace

from ..model import Field, FieldType, Guess, TypeName, WeightsSource
from ..model.changing import changed
from ..model.types import TEXTS
from .around import Around, Guessed, is_keyed
from .codes import abbreviated
from .naming import folded, is_plural
from .offers import by_words

Guessing = Callable[[Around, Field], Iterator[Guessed]]

_FEW = frozenset("type kind category class status state reason method mode level priority severity role channel outcome".split())
_NARROW = 8  # characters, in which words are cut short


def codes_of_few(around: Around, field: Field, guessing: Guessing) -> Iterator[Guessed]:
    """What the name would say without `code` at its end, in the capitals of a code; `guessing` tells that."""
    words = around.words[field.name]
    few = len(words) > 1 and words[-1] == "code" and words[-2] in _FEW and not is_plural(folded(field.name))
    if not few or field.type.name not in TEXTS or field.room == 1 or is_keyed(around.entity, field):
        return
    plain = replace(around, words={**around.words, field.name: words[:-1]})
    wide = changed(field, type=FieldType(name=TypeName.TEXT))  # what is cut short needs no room for the whole of it
    ways = (field,) if field.room is not None and field.room < 3 else (wide, field)
    told = next((one for way in ways for one in guessing(plain, way) if isinstance(one.source, WeightsSource)), None)
    if told is None or not isinstance(told.source, WeightsSource):
        return
    short = field.room is not None and field.room < _NARROW
    pairs = tuple((_as_code(value, short), weight) for value, weight in told.source.weights)
    if len(dict(pairs)) == len(pairs) and (made := by_words(field, pairs, told.guess.reason, 0.94)) is not None:
        yield replace(made, guess=Guess(reason=f"{' '.join(words[:-1])}: {told.guess.reason}, as a code", confidence=0.94))


def _as_code(value: str, short: bool) -> str:
    """`bank transfer` as BANK_TRANSFER, or BNK."""
    return abbreviated(value.lower()) if short else re.sub("[^A-Z0-9]+", "_", value.upper()).strip("_")
