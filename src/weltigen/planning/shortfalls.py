"""Numbers of rows that nobody set, where the rules of an entity turn out to have room for fewer."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..model import Problem
from ..model.problems import ImpossibleError
from ..plan.entity import EntityPlan
from ..plan.plan import Plan
from ..rows.runtime import PlanRuntime

_LOOKED_AT = 1_024  # rows from either end of an entity
_MOST = 100_000  # rows that are worked out for the sake of a number


def fewer_rows(plan: Plan) -> tuple[dict[str, int], list[Problem]]:
    """The entities of which fewer rows are to be made, with how many; and what else only shows once rows are made.

    There are none where all have room, or where nothing can be done.
    """
    found: dict[str, int] = {}
    shown = [] if plan.problems else list(_tried(plan))
    for problem in plan.problems or shown:
        if problem.room is None:
            continue
        name, rows = problem.room
        now = plan.entities[name].generated
        rows = rows if rows > 0 else now // 4  # of a layout that finds no place for any row, no number is known
        if is_derived(plan, plan.entities[name]) and 0 < rows < now:
            found[name] = min(rows, found.get(name, rows))
    return found, shown


def is_derived(plan: Plan, entity_plan: EntityPlan) -> bool:
    """Whether the number of an entity's rows follows from nothing but its place in the model."""
    entity = entity_plan.entity
    return entity.rows is None and not entity.fixed and entity.name not in plan.asked and plan.before is None


def _tried(plan: Plan) -> Iterator[Problem]:
    """What only shows once rows are made, looked for where a number of rows may give way."""
    runtime = None
    for name in plan.order:
        entity_plan = plan.entities[name]
        hard = entity_plan.precomputed is not None and entity_plan.total <= _MOST
        bounded = [field for field, planned in entity_plan.fields.items() if planned.cell_bounds]
        if not is_derived(plan, entity_plan) or not (hard or bounded or entity_plan.rejection_groups):
            continue
        runtime = runtime or PlanRuntime(plan)
        try:
            if hard:
                runtime.choices(name)
            ends = np.unique(np.concatenate([np.arange(min(_LOOKED_AT, entity_plan.total)),
                                             np.arange(max(0, entity_plan.total - _LOOKED_AT), entity_plan.total)]))  # fmt: skip
            for field in bounded:
                runtime.rows(name, ends).column(field)
            for group in entity_plan.rejection_groups:
                for field in sorted(group.fields)[:1]:
                    runtime.rows(name, ends).column(field)
                for relation in sorted(group.relations)[: not group.fields]:
                    runtime.rows(name, ends).targets(relation)
        except ImpossibleError as error:
            yield from error.problems
