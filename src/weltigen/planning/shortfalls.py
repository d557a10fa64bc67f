"""What nobody set, where rules turn out to leave no room for it: numbers of rows, and where keys begin."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from decimal import Decimal
from math import ceil

import numpy as np
import pyarrow.compute as pc

from ..model import Problem
from ..model.paths import Cell
from ..model.problems import ImpossibleError
from ..plan.entity import EntityPlan
from ..plan.fields import Counting
from ..plan.plan import Plan
from ..rows.columns import whole_column
from ..rows.runtime import PlanRuntime
from ..rows.strata import strata_of
from .making.beginning import begins_freely, orders_of
from .making.between import must_have_room

_LOOKED_AT = 1_024  # rows from either end of an entity
_MOST = 100_000  # rows that are worked out for the sake of a number


@dataclass(slots=True)
class Shortfall:
    """The entities of which fewer rows are to be made, with how many; keys that are to begin higher, with where; and what else
    only shows once rows are made. There are none where all have room, or where nothing can be done."""

    rows: dict[str, int] = field(default_factory=dict)
    first_keys: dict[Cell, int] = field(default_factory=dict)
    shown: list[Problem] = field(default_factory=list)


def shortfall(plan: Plan) -> Shortfall:
    out = Shortfall()
    found = out.rows
    shown = out.shown = [] if plan.problems else list(_tried(plan, out.first_keys))
    for problem in plan.problems or shown:
        if problem.room is None:
            continue
        name, rows = problem.room
        now = plan.entities[name].generated
        rows = rows if rows > 0 else now // 4  # of a layout that finds no place for any row, no number is known
        if is_derived(plan, plan.entities[name]) and 0 < rows < now:
            found[name] = min(rows, found.get(name, rows))
    if out.first_keys:  # with these as many rows may have room
        out.rows = {}
    return out


def is_derived(plan: Plan, entity_plan: EntityPlan) -> bool:
    """Whether the number of an entity's rows follows from nothing but its place in the model."""
    entity = entity_plan.entity
    return entity.rows is None and not entity.fixed and entity.name not in plan.asked and plan.before is None


def _tried(plan: Plan, first_keys: dict[Cell, int]) -> Iterator[Problem]:
    """What only shows once rows are made, looked for where a number of rows may give way; `first_keys` gets keys that are to
    begin higher."""
    runtime = None
    for name in plan.order:
        entity_plan = plan.entities[name]
        hard = entity_plan.precomputed is not None and entity_plan.total <= _MOST
        bounded = [one for one, planned in entity_plan.fields.items() if must_have_room(entity_plan, planned)]
        loose = [formula for _, formula in entity_plan.verified_checks if not formula.aggregates]
        agreeing = [number for number, component in enumerate(entity_plan.components) if component.strata]
        if not is_derived(plan, entity_plan) or not (hard or bounded or agreeing or entity_plan.rejection_groups or loose):
            continue
        runtime = runtime or PlanRuntime(plan)
        try:
            if hard:
                runtime.choices(name)
            for number in agreeing:
                strata_of(runtime, name, number)
            ends = np.unique(np.concatenate([np.arange(min(_LOOKED_AT, entity_plan.total)),
                                             np.arange(max(0, entity_plan.total - _LOOKED_AT), entity_plan.total)]))  # fmt: skip
            for one in bounded:
                runtime.rows(name, ends).column(one)
            for group in entity_plan.rejection_groups:
                for one in sorted(group.fields)[:1]:
                    runtime.rows(name, ends).column(one)
                for relation in sorted(group.relations)[: not group.fields]:
                    runtime.rows(name, ends).targets(relation)
            if not all(formula.truth(runtime.rows(name, ends), null=True).all() for formula in loose):
                first_keys |= _higher_keys(plan, runtime, entity_plan)
        except ImpossibleError as error:
            first_keys |= _higher_keys(plan, runtime, entity_plan)
            yield from error.problems
        except RecursionError:  # each row asks the one above it, over more rows than can be gone through
            fact = f"{name}: its checks lead from row to row, too far to be followed over {entity_plan.total:,} rows"
            yield Problem(fact=fact, place=entity_plan.entity.place, hint="fewer rows", room=(name, entity_plan.generated // 4))


def _higher_keys(plan: Plan, runtime: PlanRuntime, entity_plan: EntityPlan) -> dict[Cell, int]:
    """Where keys would begin that a reference must be above another one: past all that the other may hold."""
    entity = entity_plan.entity
    held = {column: (r, r.target_columns[at]) for r in entity.relations for at, column in enumerate(r.columns)}
    out: dict[Cell, int] = {}
    for upper, lower, strict in orders_of(entity, set(held), beside=True):
        (above, key), below = held[upper], held.get(lower)
        target = plan.entities[above.target]
        planned = target.fields.get(key)
        if below is None or below[0].target in (above.target, entity.name) or above.target == entity.name:
            continue
        if planned is None or not begins_freely(target, planned) or plan.entities[below[0].target].total > _MOST:
            continue
        top = pc.max(whole_column(runtime, below[0].target, below[1])).as_py()
        assert isinstance(planned.way, Counting)
        if (
            isinstance(top, int | float | Decimal)
            and planned.way.first < top + strict
            and (above.target, key) not in plan.first_keys
        ):
            out[above.target, key] = ceil(top) + strict
    return out
