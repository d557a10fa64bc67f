"""The rows of a history: one for each state that a row walks through."""

from __future__ import annotations

from dataclasses import replace

from ...model import Entity, Problem
from ...model.histories import history_columns
from ...plan.entity import EntityPlan
from ...plan.owner_counts import Owner
from ...plan.plan import Plan
from ...randomness import WalkSplit
from ..knowledge.walks import walk_of


def count_history(plan: Plan, entity_plan: EntityPlan, entity: Entity) -> tuple[EntityPlan, list[Problem]]:
    """The rows of a history: as many for each row as its walk has states."""
    states, name = entity.states, entity_plan.name
    assert states is not None
    told = history_columns(entity, entity_plan.entity)
    if isinstance(told, str):
        return entity_plan, [Problem(fact=told, place=states.place)]
    walk, problems = walk_of(plan, entity)
    rows = entity_plan.entity.rows
    if rows is not None or entity_plan.fixed or name in plan.asked:
        what = "has no fixed rows" if entity_plan.fixed else "cannot say how many rows it has"
        place = rows.place if rows is not None else states.place
        fact = f"{name} tells the states of {entity.name}, so it {what}"
        problems.append(Problem(fact=fact, place=place, hint="leave it out: there is a row for each state"))
    if problems:
        return entity_plan, problems
    assert walk is not None
    split = WalkSplit.of(plan.entities[entity.name].total, walk)
    because = f"one for each state of a {entity.name}"
    return replace(entity_plan, generated=split.children, owner=Owner(relation=told.relation, split=split), because=because), []
