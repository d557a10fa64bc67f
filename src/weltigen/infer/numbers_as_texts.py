"""Numbers and flags that a column keeps as texts, as tables do that were read in from a sheet."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from statistics import NormalDist

from ..model import Field, FieldType, KindSource, Source, TypeName, WeightsSource
from ..model.changing import changed
from ..model.types import NUMBERS, TEXTS
from .around import Around, Guessed, default_of
from .concepts import matching
from .concepts.trades import trades
from .offers import by_words

Guessing = Callable[[Around, Field], Iterator[Guessed]]
_TYPES = (
    FieldType(name=TypeName.INTEGER),
    FieldType(name=TypeName.NUMERIC, precision=12, scale=2),
    FieldType(name=TypeName.BOOLEAN),
)
_SURE = 0.66  # what a name must say of a number at least
_VALUES = 40
# words at the end of a name that are of numbers, whatever stands before them
_MEASURED = frozenset(
    "weight height length width depth quantity age income salary bmi temperature pulse distance duration score marks speed price "
    "amount total pressure volume area percent percentage rate count size kg cm mm m km hours minutes days years seconds voltage "
    "current capacity frequency power energy port year month litres grams metres kilograms kilometres balance discount fee "
    "fare".split()
)
_COUNTED = frozenset("count quantity age year month days port pulse minutes".split())  # of which there are no parts
_OF_NUMBERS = NUMBERS | {TypeName.BOOLEAN}
_MEASURES = frozenset((word,) for word in _MEASURED)


def numbers_as_texts(around: Around, field: Field, guessing: Guessing) -> Iterator[Guessed]:
    """A text whose name is of a number: some of those numbers. In a table of nothing but texts, whatever the number; yes and no
    as well where a name tells that something is so."""
    sheet = _is_sheet(around)
    if around.words[field.name][-1:] not in _MEASURES and not (sheet and _is_of_a_number(around, field)):
        return
    if not (default_of(field) or "0").replace(".", "", 1).isdigit() or (field.room or 9) < 2:
        return
    told = [found for kind in _TYPES for found in guessing(around, changed(field, type=kind, default=None))]
    told = told if sheet else [one for one in told if isinstance(one.source, KindSource) and one.source.kind == "number"]
    told = [one for one in told if one.guess.confidence >= _SURE]
    for one in sorted(told, key=lambda one: -one.guess.confidence):
        pairs = _as_texts(one.source, whole=around.words[field.name][-1] in _COUNTED)
        if len(pairs) > 1 and max(len(text) for text, _ in pairs) <= (field.room or 99):
            reason = f"{one.guess.reason}, kept as a text"
            made = by_words(field, pairs, reason, (0.75 if sheet else 0.66) * one.guess.confidence)
            yield from () if made is None else (made,)
            return


def _is_sheet(around: Around) -> bool:
    """Whether all columns but keys and references are texts, and a moment or a measure is among them."""
    entity = around.entity
    joined = {*entity.key, *(column for relation in entity.relations for column in relation.columns)}
    own = [field for field in entity.fields if field.name not in joined]
    told = any(field.type.written is not None or around.words[field.name][-1:] in _MEASURES for field in own)
    return told and len(own) > 3 and all(field.type.name in TEXTS or field.type.written is not None for field in own)


def _is_of_a_number(around: Around, field: Field) -> bool:
    """Whether the whole name is one of a number, or tells that something is so."""
    words = around.words[field.name]
    known = (*matching(words), *(found for name, sure in around.trades for found in trades()[name].matching(words, sure)))
    return any(found.whole and found.concept.types & _OF_NUMBERS for found in known)


def _as_texts(source: Source, *, whole: bool) -> tuple[tuple[str, float], ...]:
    """What comes out of a source of numbers, as texts with weights: forty of many."""
    if isinstance(source, WeightsSource):
        flags = {"true": "yes", "false": "no"}
        return tuple((flags.get(value, value), weight) for value, weight in source.weights)
    if not isinstance(source, KindSource):
        return ()
    said = dict(source.parameters)
    if source.kind != "number" or not {"from", "to"} <= said.keys():
        return ()
    low, high, shape = float(said["from"]), float(said["to"]), said.get("shape", "even")
    shares = [(step + 0.5) / _VALUES for step in range(_VALUES)]
    spread = [low + (high - low) * _POWERS.get(shape, _hump)(share) for share in shares]
    step = float(said.get("step", 0.05 if shape == "price" else 0))
    whole = whole or (low.is_integer() and high.is_integer() and high - low > 12 and shape != "price")
    digits = 2 if shape == "price" else 0 if whole else 1
    return tuple(dict.fromkeys((f"{round(value / step) * step if step else value:.{digits}f}", 1.0) for value in spread))


def _even(share: float) -> float:
    return share


def _few(share: float) -> float:
    return share**4


def _many_small(share: float) -> float:
    return float(share**2.2)


def _hump(share: float) -> float:
    return min(1.0, max(0.0, 0.5 + 0.2 * NormalDist().inv_cdf(share)))


_POWERS = {"even": _even, "low": _few, "tail": _many_small, "price": _many_small}
