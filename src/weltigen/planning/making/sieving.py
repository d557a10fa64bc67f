"""Values through a sieve: of a space of positions, those whose values pass the checks that read this field alone.

Small spaces are looked through whole. Of large ones positions far apart are looked at: as many as rows need, where values must
differ, else enough to draw from. What is kept is a list of positions, 8 bytes each.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ...model.folding import Fold, folded
from ...plan.fields import FieldPlan
from ...plan.own_checks import OwnCheck
from ...randomness import Words
from ...values import Values
from ...values.pools import fold as plain
from ...values.pools import join, taker, text_pool

WHOLE = 1 << 16  # positions up to which a space is looked through
MOST_NEEDED = 1 << 22  # values that must differ, for which positions are kept
_SAMPLE = 2_048
_OFTEN = 0.25  # of values drawn freely so many keep the checks: then rows that fail are simply drawn again
_VARIETY = 64  # values that are enough to draw from

Keeps = Callable[[Any], NDArray[np.bool_]]


def keeping(planned: FieldPlan, checks: Sequence[OwnCheck]) -> Keeps:
    """Which values of a column keep the checks, the limits and the lengths that are declared; NotEvaluableError where that cannot
    be said."""
    field = planned.field
    axis = planned.axis if planned.axis is not None and planned.axis.type.arrow() == field.type.arrow() else None
    low, high = axis.type_limits if axis is not None else (0, 0)
    low, high = low if planned.low is None else max(low, planned.low), high if planned.high is None else min(high, planned.high)
    texts = pa.types.is_string(field.type.arrow())
    most, least = field.room, field.limits.min_length
    patterns = [f"^(?:{one.pattern})$" for one in field.limits.patterns if _is_readable(one.pattern)]

    def keeps(column: Any) -> NDArray[np.bool_]:
        kept = np.ones(len(column), bool)
        for check in checks:
            kept &= check.keeps(column)
        if texts and (most is not None or least is not None):
            lengths = np.asarray(pc.fill_null(pc.utf8_length(column), least or 0))
            kept &= (lengths >= (least or 0)) & (lengths <= (most if most is not None else 1 << 40))
        for pattern in patterns if texts else ():
            kept &= np.asarray(pc.fill_null(pc.match_substring_regex(column, pattern), True))
        return kept & axis.within(column, low, high) if axis is not None else kept

    return keeps


def _is_readable(pattern: str) -> bool:
    """Whether Arrow reads a regular expression as Python does; what it does not read is not looked at."""
    try:
        pc.match_substring_regex(text_pool([""]), f"^(?:{pattern})$")
    except pa.ArrowInvalid:
        return False
    return True


@dataclass(frozen=True, slots=True)
class Sieved:
    """What is left of a space: `share` of the values that were looked at; `exact` where none that is left fails."""

    values: Values | None
    share: float
    exact: bool


def sieved(values: Values, keeps: Keeps, needed: int | None, *, surely: bool = False) -> Sieved:
    """The values that pass. `needed`: so many that differ; None where values may be equal. `surely`: what may break goes through
    limits alone, so that a sample which keeps them all says enough; but what does not is never made, since no row is drawn
    again for it."""
    space = values.space
    if space <= WHOLE:
        at = np.arange(space, dtype=np.uint64)
        kept = keeps(values.decode(at))
        if kept.all():
            return Sieved(values, 1.0, True)
        share = float(kept.mean())
        if needed is None and share >= _OFTEN and not values.rising and kept.sum() > 1 and not surely:
            return Sieved(values, share, False)
        return Sieved(_among(values, at[kept]) if kept.any() else None, share, True)
    sample = np.arange(_SAMPLE, dtype=np.uint64) * _odd(space // _SAMPLE)
    share = float(keeps(values.decode(sample)).mean())
    if surely and share == 1:
        return Sieved(values, share, True)
    if needed is None:
        if share >= _OFTEN and not surely:
            return Sieved(values, share, False)
        at = _passing(values, keeps, 1 << 12, 1 << 17)
        return Sieved(_among(values, at) if at.size >= _VARIETY else None, share, True)
    if needed > MOST_NEEDED or not share:
        return Sieved(None, share, True)
    at = _passing(values, keeps, needed, round(4 * needed / share) + WHOLE)
    return Sieved(_among(values, at) if at.size else None, share, True)


def _odd(stride: int) -> np.uint64:
    """The next odd number below, so that the positions looked at are of all remainders."""
    return np.uint64(max(1, stride - 1 + stride % 2))


def _passing(values: Values, keeps: Keeps, wanted: int, looked: int) -> NDArray[np.uint64]:
    """Positions that pass, of `looked` ones as far apart as the space allows; at most about twice as many as wanted."""
    looked = min(looked, values.space)
    stride = _odd(values.space // looked)
    found, size = [], 0
    for start in range(0, looked, WHOLE):
        at = np.arange(start, min(looked, start + WHOLE), dtype=np.uint64) * stride
        at = at[keeps(values.decode(at))]
        found.append(at)
        size += at.size
        if size >= 2 * wanted:
            break
    return np.concatenate(found) if found else np.zeros(0, np.uint64)


def _among(values: Values, at: NDArray[np.uint64]) -> Values:
    """The values at these positions only."""
    draw = None
    if values.draw is not None and at.size < values.space <= WHOLE:
        place = np.full(values.space, -1, np.int64)
        place[at.astype(np.int64)] = np.arange(at.size)
        usual, count = values.draw, np.uint64(at.size)

        def draw(words: Words) -> Any:  # what fails goes to one that passes, each as likely
            found = place[usual(words).astype(np.int64)]
            return np.where(found < 0, (words % count).astype(np.int64), found).astype(np.uint64)

    return replace(values, space=int(at.size), decode=lambda positions: values.decode(at[positions.astype(np.int64)]), draw=draw)


def cased(values: Values, change: Callable[[Any], Any], fold: Fold) -> Values | None:
    """Texts in one case, of those that become equal the first; None where they are too many to look through."""
    if values.distinct_folded:
        return in_that_case(values, change)
    if values.space > WHOLE:
        sample = values.decode(np.arange(_SAMPLE, dtype=np.uint64) * _odd(values.space // _SAMPLE))
        plain = pc.all(pc.match_substring_regex(sample, "^[A-Za-z0-9]*$")).as_py()
        return replace(values, distinct_folded=True) if plain and change(sample).equals(sample) else None
    return _apart(change(values.decode(np.arange(values.space, dtype=np.uint64))), fold)


def in_that_case(values: Values, change: Callable[[Any], Any]) -> Values:
    """The values in one case, though some may become equal."""
    return replace(values, decode=lambda positions: change(values.decode(positions)))


def _apart(pool: Any, fold: Fold) -> Values:
    """Texts that differ as a rule compares them, and without case, accents and punctuation too."""
    first = {(plain(text) or folded(text, fold)): text for text in reversed(pool.to_pylist())}
    pool = text_pool(reversed(first.values()))
    return Values(space=len(pool), decode=taker(pool), distinct_folded=True)


def numbered(values: Values, room: int | None, needed: int, fold: Fold) -> Values | None:
    """Texts, and where these are too few the same with a number behind; None where there is no room for one."""
    if values.space > WHOLE or not values.space:
        return None
    texts = dict.fromkeys(values.decode(np.arange(values.space, dtype=np.uint64)).to_pylist())
    first = {folded(text, fold): text for text in reversed(list(texts))}
    pool = [text for text in reversed(list(first.values())) if text and not text[-1].isdigit()]
    if not pool:
        return None
    turns = -(-2 * needed // len(pool)) + 1
    digits = len(str(turns))
    if room is not None:
        pool = [text for text in pool if len(text) + 1 + digits <= room]
        if not pool:
            return None
        turns = -(-2 * needed // len(pool)) + 1
        if any(len(text) + 1 + len(str(turns)) > room for text in pool):
            return None
    gap = " " if any(" " in text for text in pool) else "-"
    count, words = np.uint64(len(pool)), text_pool(pool)

    def decode(positions: Words) -> Any:
        turn = positions // count
        tails = pc.if_else(pa.array(turn == 0), "", join(gap, pa.array(turn + np.uint64(1)).cast(pa.string())))
        return join(words.take(pa.array(positions - turn * count)), tails)

    return Values(space=len(pool) * turns, decode=decode, distinct_folded=values.distinct_folded)
