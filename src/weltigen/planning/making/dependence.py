"""Numbers that rise or fall with others: declared rank correlations, by a normal copula.

Each row's rank in the other field becomes a normal deviate, is mixed with one of its own, and becomes the word that the
field's usual way turns into a value; so its distribution stays what it was. For normal deviates with the correlation r,
Spearman's is 6/π · asin(r/2) (Pearson, 1907), whence r = 2 sin(π s/6). Of several fields that one follows each has the weight
that the normal equations give, by what is declared of these among each other.
"""

from __future__ import annotations

from math import pi, sin, sqrt
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...model import Entity, Field, Follow
from ...model.leading import leads_to
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.ports import RowsPort
from ...randomness import Bits, Words
from ...randomness.quantiles import STEPS, look_up, standard_normal
from ...values import Axis, axis_of
from ..knowledge.attempts import bits_of_attempt
from .between import WordSource

_SAMPLED = 1 << 16  # rows whose values show how the other field is distributed
_LEAST_OWN = 1e-4  # of a field's variance, that is not of those that it follows


def word_source(entity_plan: EntityPlan, field: Field, bits: Bits) -> tuple[WordSource, tuple[Cell, ...]]:
    """The word behind each row's value, and the cells that it follows."""
    entity, follows = entity_plan.entity, field.follows
    if not follows:
        return (lambda rows: bits_of_attempt(bits, rows).words(rows.ordinals)), ()
    axes = [axis_of(entity.field(one.field).type) for one in follows]
    weights = weights_of(entity, field)
    assert None not in axes and weights is not None
    needs = tuple((entity_plan.name, one.field) for one in follows)
    if len(follows) == 1:
        return _following(follows[0], axes[0], weights, bits), needs  # type: ignore[arg-type]
    return _following_several(follows, axes, weights, bits), needs  # type: ignore[arg-type]


def weights_of(entity: Entity, field: Field) -> tuple[tuple[float, ...], float] | None:
    """The weights of the deviates that a field follows, and of its own; None where nothing has these correlations at once."""
    names = [one.field for one in field.follows]
    wanted = [_normal(one) for one in field.follows]
    if len(names) == 1:
        return (wanted[0],), float(f"{sqrt(max(0.0, 1 - wanted[0] ** 2)):.12g}")
    weights = _solved([[_between(entity, one, other) for other in names] for one in names], wanted)
    if weights is None:
        return None
    own = 1 - sum(weight * one for weight, one in zip(weights, wanted, strict=True))
    if own < -_LEAST_OWN:
        return None
    return tuple(float(f"{weight:.12g}") for weight in weights), float(f"{sqrt(max(0.0, own)):.12g}")


def _normal(follow: Follow) -> float:
    """The correlation of normal deviates whose ranks have the one that is declared."""
    return float(f"{2 * sin(pi * follow.correlation / 6):.12g}")


def _between(entity: Entity, one: str, other: str, seen: frozenset[str] = frozenset()) -> float:
    """The correlation of two fields' deviates, by what is declared: what follows others is what its weights make of them."""
    if one == other:
        return 1.0
    for later, earlier in ((one, other), (other, one)):
        field = entity.field(later)
        if field.follows and later not in seen and not _hangs_on(entity, earlier, later):
            weights = weights_of(entity, field)
            if weights is not None:
                return sum(
                    weight * _between(entity, follow.field, earlier, seen | {later})
                    for weight, follow in zip(weights[0], field.follows, strict=True)
                )
    return 0.0


def _hangs_on(entity: Entity, name: str, other: str) -> bool:
    """Whether a field follows another one, at first or at second hand."""
    return leads_to(name, other, lambda one: (follow.field for follow in entity.field(one).follows))


def _solved(matrix: list[list[float]], right: list[float]) -> list[float] | None:
    """The solution of a few linear equations, by elimination with the largest pivot; None where there is none."""
    rows = [[*row, value] for row, value in zip(matrix, right, strict=True)]
    size = len(rows)
    for at in range(size):
        pivot = max(range(at, size), key=lambda row: abs(rows[row][at]))
        if abs(rows[pivot][at]) < _LEAST_OWN:
            return None
        rows[at], rows[pivot] = rows[pivot], rows[at]
        for row in range(size):
            if row != at:
                times = rows[row][at] / rows[at][at]
                rows[row] = [one - times * other for one, other in zip(rows[row], rows[at], strict=True)]
    return [rows[at][size] / rows[at][at] for at in range(size)]


def _following(follow: Follow, axis: Axis, weights: tuple[tuple[float, ...], float], bits: Bits) -> WordSource:
    (r,), own_part = weights
    jitter = bits.for_purpose("rank")

    def words(rows: RowsPort) -> Words:
        own = bits_of_attempt(bits, rows).words(rows.ordinals)
        column = rows.column(follow.field)
        ranks = _ranks(rows, follow.field, axis, column, jitter)
        mixed = r * _deviate(ranks) + own_part * look_up(standard_normal(), own)
        out = _word(mixed)
        return np.where(np.asarray(column.is_null()), own, out) if column.null_count else out

    return words


def _following_several(
    follows: tuple[Follow, ...], axes: list[Axis], weights: tuple[tuple[float, ...], float], bits: Bits
) -> WordSource:
    """What is missing in a row counts as any value would."""
    parts = [
        (one.field, axis, weight, bits.for_purpose(f"rank of {one.field}"))
        for one, axis, weight in zip(follows, axes, weights[0], strict=True)
    ]

    def words(rows: RowsPort) -> Words:
        mixed = weights[1] * look_up(standard_normal(), bits_of_attempt(bits, rows).words(rows.ordinals))
        for name, axis, weight, jitter in parts:
            column = rows.column(name)
            deviates = _deviate(_ranks(rows, name, axis, column, jitter))
            if column.null_count:
                any_ = look_up(standard_normal(), jitter.for_purpose(f"no {name}").words(rows.ordinals))
                deviates = np.where(np.asarray(column.is_null()), any_, deviates)
            mixed = mixed + weight * deviates
        return _word(mixed)

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
