"""Numbers that rise or fall with another one: a declared rank correlation, by a normal copula.

Each row's rank in the other field becomes a normal deviate, is mixed with one of its own, and becomes the word that the
field's usual way turns into a value; so its distribution stays what it was. For normal deviates with the correlation r,
Spearman's is 6/π · asin(r/2) (Pearson, 1907), whence r = 2 sin(π s/6).
"""

from __future__ import annotations

from math import pi, sin, sqrt
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...model import Field, Follow
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.ports import RowsPort
from ...randomness import Bits, Words
from ...randomness.quantiles import STEPS, look_up, standard_normal
from ...values import Axis, axis_of
from ..knowledge.attempts import bits_of_attempt
from .between import WordSource

_SAMPLED = 1 << 16  # rows whose values show how the other field is distributed


def word_source(entity_plan: EntityPlan, field: Field, bits: Bits) -> tuple[WordSource, tuple[Cell, ...]]:
    """The word behind each row's value, and the cells that it follows."""
    if field.follows is None:
        return (lambda rows: bits_of_attempt(bits, rows).words(rows.ordinals)), ()
    other = axis_of(entity_plan.entity.field(field.follows.field).type)
    assert other is not None
    return _following(field.follows, other, bits), ((entity_plan.name, field.follows.field),)


def _following(follow: Follow, axis: Axis, bits: Bits) -> WordSource:
    r = float(f"{2 * sin(pi * follow.correlation / 6):.12g}")
    own_part = float(f"{sqrt(max(0.0, 1 - r * r)):.12g}")
    jitter = bits.for_purpose("rank")

    def words(rows: RowsPort) -> Words:
        own = bits_of_attempt(bits, rows).words(rows.ordinals)
        column = rows.column(follow.field)
        ranks = _ranks(rows, follow.field, axis, column, jitter)
        mixed = r * _deviate(ranks) + own_part * look_up(standard_normal(), own)
        out = _word(mixed)
        return np.where(np.asarray(column.is_null()), own, out) if column.null_count else out

    return words


def _ranks(rows: RowsPort, field: str, axis: Axis, column: Any, jitter: Bits) -> NDArray[np.float64]:
    """Where each row's value stands among all values of the field, 0 to 1; among equal ones anywhere."""
    key = ("distribution", rows.name, field)
    known = rows.runtime.once(key, lambda: _distribution(rows, field, axis))
    units = axis.read(column)
    low, high = np.searchsorted(known, units, side="left"), np.searchsorted(known, units, side="right")
    at = low + (high - low) * jitter.unit(rows.ordinals)
    return np.asarray(np.clip(at / max(1, known.size), 0.0, 1.0), np.float64)


def _distribution(rows: RowsPort, field: str, axis: Axis) -> NDArray[np.int64]:
    """The field's values in some rows, evenly spread, in order."""
    total = rows.runtime.total(rows.name)
    step = max(1, -(-total // _SAMPLED))
    column = rows.runtime.rows(rows.name, np.arange(0, total, step, dtype=np.int64)).column(field)
    units = axis.read(column)
    return np.sort(units[np.asarray(column.is_valid())] if column.null_count else units)


_GRID = np.arange(STEPS + 1) / STEPS


def _deviate(ranks: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(np.interp(ranks, _GRID, standard_normal()), np.float64)


def _word(deviates: NDArray[np.float64]) -> Words:
    """The word at a normal deviate's quantile."""
    units = np.interp(deviates, standard_normal(), _GRID)
    return np.asarray(np.minimum(units * 2.0**64, 2.0**64 - 2048).astype(np.uint64), np.uint64)
