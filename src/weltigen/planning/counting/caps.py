"""How many rows an owner has room for, where references of its rows must agree with it: it never gets more.

Members are known only once the entities above are planned. Cells have addresses, so these can be planned apart, without the
entity in question and what comes after it: their values are the same.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...plan.entity import EntityPlan
from ...plan.plan import Plan
from ...rows.runtime import PlanRuntime
from ..knowledge.agreeing import agree, differs, may_find_nothing, per_pair

NO_CAP = 1 << 40
PlanAbove = Callable[[Plan, EntityPlan], Plan]  # plans all that rows of an entity refer to, apart and without it


def owner_caps(plan: Plan, entity_plan: EntityPlan, plan_above: PlanAbove) -> tuple[NDArray[np.int64], str] | None:
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
    assert entity_plan.owner is not None
    above = plan_above(plan, entity_plan)
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
        room_left = np.ones(owners.size, np.int64)
        for name in names:
            apart = differs(entity_plan.entity.relation(entity_plan.owner.relation), entity_plan.entity.relation(name))
            room_left = np.minimum(room_left * np.maximum(room[name] - apart, 0), NO_CAP)
        caps = np.minimum(caps, room_left)
    return caps, agreed.candidate_filters[followers[0]].agreements[0].ancestor or entity_plan.owner.relation


def _followers(agreed: EntityPlan) -> list[str]:
    """References that agree with the owner alone, and are left a choice."""
    owner = agreed.owner.relation if agreed.owner else None
    return [
        name for name, candidates in agreed.candidate_filters.items()
        if len(candidates.agreements) == 1 and candidates.agreements[0].leader == owner
        and candidates.implied is None and not candidates.earlier
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
