"""Entities planned apart: those above one, to which its rows refer. Cells have addresses, so their values are the same."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ..expression import NotEvaluableError, parse, parse_over_counts
from ..model import ComputeSource, Field, RowFormula, World
from ..plan.entity import EntityPlan
from ..plan.plan import Plan
from .making.rooms import make_room

Pass = Callable[[Plan], Plan]


def plan_above(plan: Plan, entity_plan: EntityPlan, passes: tuple[Pass, ...]) -> Plan:
    """The plan of the entities that rows of this one refer to, and of all that those refer to."""
    wanted, waiting = set(), [relation.target for relation in entity_plan.entity.relations]
    while waiting:
        name = waiting.pop()
        if name in wanted or name == entity_plan.name:
            continue
        wanted.add(name)
        entity = plan.world.entity(name)
        waiting += [relation.target for relation in entity.relations]
        if isinstance(entity.rows, RowFormula):
            waiting += parse_over_counts(entity.rows.expression).paths
    above = Plan(
        world=_only(plan.world, wanted), seed=plan.seed, window=plan.window, now=plan.now, times=plan.times,
        before=plan.before,
        asked={name: rows for name, rows in plan.asked.items() if name in wanted},
    )  # fmt: skip
    for one_pass in passes:
        above = one_pass(above)
        if one_pass is make_room:  # what comes below needs room as well
            whole = make_room(plan)
            rooms = {cell: room for cell, room in whole.rooms.items() if cell[0] in wanted}
            above = replace(
                above, rooms=rooms, satisfied_bounds=frozenset(met for met in whole.satisfied_bounds if met[0] in wanted)
            )
    return above


def _only(world: World, names: set[str]) -> World:
    """Some entities of a world, all that they refer to among them, without sums over others, from which nothing follows above."""
    asked = [
        relation.where.expression for entity in world.entities for relation in entity.relations if relation.where is not None
    ]

    def plain(field: Field) -> Field:
        source = field.source
        idle = isinstance(source, ComputeSource) and _sums(source.expression, names) and not any(field.name in w for w in asked)
        return replace(field, source=None) if idle else field

    entities = [
        replace(
            entity, fields=tuple(map(plain, entity.fields)), relations=tuple(r for r in entity.relations if r.target in names),
            checks=tuple(check for check in entity.checks if not _sums(check.expression, names, check.dialect)),
        )
        for entity in world.entities if entity.name in names
    ]  # fmt: skip
    return replace(world, entities=tuple(entities))


def _sums(expression: str, names: set[str], dialect: str | None = None) -> bool:
    """Whether an expression reads children that are not among some entities."""
    try:
        return any(aggregate.entity not in names for aggregate in parse(expression, dialect).aggregates)
    except NotEvaluableError:
        return False
