"""Cohorts that say how many rows each of theirs has."""

from __future__ import annotations

from ...model import Entity, PerOwner
from ...plan.plan import Plan


def child_counts(plan: Plan, child: Entity, relation: str) -> list[tuple[str, PerOwner]]:
    """The cohorts of a relation's target that say how many rows of `child` each of their rows has by it.

    None where the target's rows are those of an earlier stage: they have theirs already.
    """
    world, target = plan.world, child.relation(relation).target
    if not world.has(target) or target in plan.kept:
        return []
    return [
        (cohort.name, count)
        for cohort in world.entity(target).cohorts
        for entity, count in cohort.children
        if entity == child.name and count.per == relation
    ]
