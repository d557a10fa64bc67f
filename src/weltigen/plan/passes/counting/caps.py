"""How many rows an owner has room for, where references of its rows must agree with it: it never gets more.

Members are known only once the entities above are planned. Cells have addresses, so these can be planned apart, without the
entity in question and what comes after it: their values are the same.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ....expression import NotEvaluableError, parse, parse_over_counts
from ....model import ComputeSource, Field, RowFormula, World
from ...plan import EntityPlan, Plan
from ..choosing.agreeing import agree, differs, may_find_nothing, per_pair

NO_CAP = 1 << 40


def owner_caps(plan: Plan, entity_plan: EntityPlan) -> tuple[NDArray[np.int64], str] | None:
    """The most rows of each owner, and the ancestor on which they agree; None where nothing limits any."""
    agreed = agree(plan, entity_plan)
    followers = _followers(agreed)
    rules = _rules(agreed, followers)
    pair = per_pair(agreed.entity)
    if combined := [name for name in followers if name in pair]:
        rules.append(combined)
    ruled = {name for names in rules for name in names}
    followers = [name for name in followers if name in ruled or may_find_nothing(plan, agreed, name)]
    if not followers:
        return None
    from ...rows import PlanRuntime

    assert entity_plan.owner is not None
    above = _above(plan, entity_plan)
    if above.problems:
        return None
    runtime = PlanRuntime(above.with_entity(agreed))
    owners = np.arange(entity_plan.owner.split.owners, dtype=np.int64)
    caps = np.full(owners.size, NO_CAP, np.int64)
    room: dict[str, Any] = {}
    for name in followers:
        members = runtime.members(entity_plan.name, name)
        low, high, _ = members.span(members.starting(owners), owners)
        room[name] = high - low
        if not agreed.candidate_filters[name].optional:
            caps[high - low <= (agreed.candidate_filters[name].apart is not None)] = 0
    for names in rules:
        places = np.ones(owners.size, np.int64)
        for name in names:
            apart = differs(entity_plan.entity.relation(entity_plan.owner.relation), entity_plan.entity.relation(name))
            places = np.minimum(places * np.maximum(room[name] - apart, 0), NO_CAP)
        caps = np.minimum(caps, places)
    return caps, agreed.candidate_filters[followers[0]].agreements[0].ancestor or entity_plan.owner.relation


def _followers(agreed: EntityPlan) -> list[str]:
    """References that agree with the owner alone, and are left a choice."""
    owner = agreed.owner.relation if agreed.owner else None
    return [
        name for name, candidates in agreed.candidate_filters.items()
        if len(candidates.agreements) == 1 and candidates.agreements[0].leader == owner and candidates.implied is None and not candidates.earlier
    ]  # fmt: skip


def _rules(agreed: EntityPlan, followers: list[str]) -> list[list[str]]:
    """Of each rule that holds the owner and nothing but references which follow it and must be there, those references."""
    entity, owner = agreed.entity, agreed.entity.relation(agreed.owner.relation) if agreed.owner else None
    out = []
    for rule in entity.unique_rules:
        held = [name for name in followers if set(entity.relation(name).columns) <= set(rule.columns)]
        columns = {column for name in held for column in entity.relation(name).columns}
        if owner is None or not held or any(agreed.candidate_filters[name].optional for name in held):
            continue
        if set(owner.columns) <= set(rule.columns) and set(rule.columns) == columns | set(owner.columns):
            out.append(held)
    return out


def _above(plan: Plan, entity_plan: EntityPlan) -> Plan:
    """The plan of the entities that rows of this one refer to, and of all that those refer to."""
    from .. import PASSES
    from ..making.rooms import make_room

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
    for one_pass in PASSES:
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
