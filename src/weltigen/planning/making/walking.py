"""States over time: each row of an entity walks from state to state, its history has a row for every one of them.

The row's own state is the walk's last; times rise from one state to the next.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ...model import Entity, Field, Problem, TypeName
from ...model.histories import HistoryColumns, history_columns, history_of, names_of
from ...model.literals import read_span
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.fillers import FieldFacts, Fill, Filler
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits, Walk, WalkSplit
from ...randomness.quantiles import exponential, look_up
from ...values import Axis, axis_of
from ...values.axis import SECOND
from ...values.pools import taker, text_pool
from ..knowledge.attempts import bits_of_attempt
from ..knowledge.walks import walk_of

_MOMENTS = (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ, TypeName.DATE)
_USUAL = timedelta(days=1)  # how long a state lasts of which nothing is said


def walking_fillers(plan: Plan, entity_plan: EntityPlan) -> dict[str, Filler]:
    """Fillers of the fields that a walk fills."""
    entity = entity_plan.entity
    out: dict[str, Filler] = {}

    def filler(field: str, fill: Fill, needs: tuple[Cell, ...] = ()) -> None:
        out[field] = Filler(fill=fill, how=FieldFacts(plan=entity_plan.fields[field]), needs=needs)

    if entity.states is not None:
        walk, problems = walk_of(plan, entity)
        if not problems and walk is not None:
            filler(entity.states.field, _last(walk, entity))
    of = history_of(plan.world, entity.name)
    told = history_columns(of, entity) if of is not None else ""
    if (
        of is None
        or not isinstance(told, HistoryColumns)
        or entity_plan.owner is None
        or not isinstance(entity_plan.owner.split, WalkSplit)
    ):
        return out
    walk = entity_plan.owner.split.walk
    decode = _decoder(of, entity.field(told.state))
    filler(told.state, lambda rows: decode(_states(walk, rows, 0)))
    if told.before is not None:
        previous = _decoder(of, entity.field(told.before))
        filler(told.before, lambda rows: previous(_states(walk, rows, -1)))
    times, needs = _times(plan, entity_plan, of, told, walk)
    filler(told.at, times, needs)
    return out


def _decoder(of: Entity, field: Field) -> Callable[[NDArray[np.int64]], Any]:
    assert of.states is not None
    pool = text_pool(names_of(of.states))
    pool = pool if pool.type == field.type.arrow() else pool.cast(field.type.arrow())
    take = taker(pool)
    return lambda codes: take(codes) if (codes >= 0).all() else pool.take(pa.array(codes, mask=codes < 0))


def _last(walk: Walk, entity: Entity) -> Callable[[RowsPort], Any]:
    assert entity.states is not None
    decode = _decoder(entity, entity.field(entity.states.field))
    return lambda rows: decode(walk.last(rows.ordinals))


def _walked(walk: Walk, rows: RowsPort) -> tuple[Any, Any, Any]:
    """The paths of the owners of some rows, and for each row its owner's index among them and its rank."""

    def make() -> tuple[Any, Any, Any]:
        of, rank, _ = rows.owners()
        owners, owner_at = np.unique(of, return_inverse=True)
        return walk.path(owners), owner_at, rank

    return rows.once(("walked",), make)


def _states(walk: Walk, rows: RowsPort, back: int) -> NDArray[np.int64]:
    (path, _), owner_at, rank = _walked(walk, rows)
    at = rank + back
    return np.where(at >= 0, path[owner_at, np.maximum(at, 0)], -1)


def _times(
    plan: Plan, entity_plan: EntityPlan, of: Entity, told: HistoryColumns, walk: Walk
) -> tuple[Callable[[RowsPort], Any], tuple[Any, ...]]:
    """When each state began: from the owner's first moment on, each lasts its time, or less where there is not so much."""
    field_plan = entity_plan.fields[told.at]
    axis = field_plan.axis
    assert axis is not None and of.states is not None
    lasts = dict(of.states.lasts)
    means = np.array([axis.span(read_span(lasts[n]) if n in lasts else _USUAL) for n in names_of(of.states)], np.float64)
    bits = Bits(plan.stage_seed, entity_plan.name, told.at)
    window = tuple(axis.units(moment) for moment in plan.window)
    sides = [(bound.path, bound.upper, bound.strict) for bound in field_plan.cell_bounds]
    moments = [f for f in of.fields if f.type.name in _MOMENTS and not f.nullable]
    alike = [f for f in moments if f.type.name is field_plan.field.type.name]
    base = next(iter(alike or moments), None)
    if base is not None and not any(not upper for _, upper, _ in sides):
        sides.append(((told.relation, base.name), False, False))
    axes = [axis_of(_end(plan, entity_plan.entity, path).type) for path, _, _ in sides]
    bounded = field_plan.high is not None or any(upper for _, upper, _ in sides)
    curve = exponential(1.0)
    tick = 1 if field_plan.field.type.name is TypeName.DATE else SECOND

    def fill(rows: RowsPort) -> Any:
        (path, length), owner_at, rank = _walked(walk, rows)
        low = np.full(len(rows), window[0] if field_plan.low is None else max(window[0], field_plan.low), np.int64)
        high = np.full(len(rows), window[1] - 1 if field_plan.high is None else field_plan.high, np.int64)
        for (way, upper, strict), other in zip(sides, axes, strict=True):
            assert other is not None
            column = rows.path(way)
            units = _scaled(other.read(column), other, axis)
            there = np.asarray(column.is_valid())
            if upper:
                high = np.where(there, np.minimum(high, units - strict), high)
            else:
                low = np.where(there, np.maximum(low, units + strict), low)
        if not bounded:  # where the window ends is not a limit: there is room for all states
            high = np.maximum(high, low + length[owner_at] * tick)
        owners = np.unique(rows.owners()[0])
        # the rank-th state begins when those before it are over
        words = np.stack(
            [bits_of_attempt(bits.for_purpose(f"lasts {n}"), rows).words(owners) for n in range(path.shape[1])], axis=1
        )
        spans = np.maximum(1.0, look_up(curve, words.reshape(-1)).reshape(words.shape) * means[np.maximum(path, 0)])
        began = np.concatenate([np.zeros((len(owners), 1)), np.cumsum(spans, axis=1)[:, :-1]], axis=1)
        whole = began[np.arange(len(owners)), length - 1]
        room = np.maximum(high - low, 0).astype(np.float64)
        spread = room >= length[owner_at] * tick  # else states begin as they can
        free = np.where(spread, room - (length[owner_at] - 1) * tick, room)
        share = np.minimum(1.0, free / np.maximum(whole[owner_at], 1.0))
        units = np.floor(began[owner_at, rank] * share).astype(np.int64)
        # where there is room, no two states begin at once
        return axis.column(low + np.where(spread, (units // tick + rank) * tick, units))

    needs = [(of.name, path[-1]) if len(path) == 2 else (entity_plan.name, path[0]) for path, _, _ in sides if len(path) < 3]
    return fill, tuple(needs)


def _end(plan: Plan, entity: Entity, path: tuple[str, ...]) -> Field:
    for name in path[:-1]:
        entity = plan.world.entity(entity.relation(name).target)
    return entity.field(path[-1])


def _scaled(units: NDArray[np.int64], source: Axis, own: Axis) -> NDArray[np.int64]:
    day = 86_400_000_000
    if source.type.name is TypeName.DATE and own.type.name is not TypeName.DATE:
        return units * day
    return units // day if own.type.name is TypeName.DATE and source.type.name is not TypeName.DATE else units


def clashes(plan: Plan, entity_plan: EntityPlan) -> list[Problem]:
    """Declarations that say otherwise what a walk decides."""
    entity = entity_plan.entity
    if entity.states is None:
        return []
    out = []
    for cohort in entity.cohorts:
        if any(field.name == entity.states.field for field in cohort.fields):
            fact = f"{entity.name}.{entity.states.field} follows its states, so the cohort {cohort.name} cannot set it"
            out.append(Problem(fact=fact, place=cohort.place))
    return out
