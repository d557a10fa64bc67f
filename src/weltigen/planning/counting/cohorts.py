"""Cohorts dealt: which rows belong to each, exact to the row."""

from __future__ import annotations

from dataclasses import replace

from ...model import Cohort, Problem
from ...model.graphs import connected_groups
from ...plan.cohorts import CohortPlan
from ...plan.entity import EntityPlan
from ...plan.plan import Plan
from ...randomness import ExactSubset, key


def settings_of(cohort: Cohort) -> set[tuple[str, str]]:
    """What a cohort sets: two that set the same have no row in common."""
    fields = {("field", field.name) for field in cohort.fields}
    references = {("reference", relation.name) for relation in cohort.references}
    return fields | references | {("child", f"{entity}.{count.per}") for entity, count in cohort.children}


def deal_cohorts(plan: Plan, entity_plan: EntityPlan) -> tuple[EntityPlan, list[Problem]]:
    """The entity with the rows of its cohorts.

    Cohorts that set the same things, directly or by way of others, are dealt side by side; all others are dealt apart, so that
    they overlap as their shares make it likely.
    """
    entity, number = entity_plan.entity, entity_plan.generated
    dealt: dict[str, ExactSubset] = {}
    problems: list[Problem] = []
    for group in connected_groups(entity.cohorts, settings_of):
        bits = key(plan.stage_seed, entity.name, group[0].name, "cohort")
        first, exact = 0, 0.0
        for cohort in group:
            wish = cohort.rows * plan.times if cohort.rows is not None else (cohort.share or 0.0) * number
            exact += wish
            last = int(exact + 0.5 + 1e-9)  # sums are rounded, so that shares of the whole leave no row over
            dealt[cohort.name] = ExactSubset(of=number, first=first, rows=last - first, key=bits, fixed=entity_plan.fixed)
            first = last
        if first > number:
            names = " and ".join(cohort.name for cohort in group)
            shared = sorted({name for a in group for b in group if a is not b for _, name in settings_of(a) & settings_of(b)})
            why = f" set {', '.join(shared)} for different rows, and" if len(group) > 1 else ""
            verb = "need" if len(group) > 1 else "needs"
            problems.append(Problem(
                fact=f"{entity.name}: the cohort{'s' * (len(group) > 1)} {names}{why} {verb} {first:,} rows of {number:,}",
                place=group[-1].place, hint="smaller shares, or more rows",
            ))  # fmt: skip
            for cohort in group:
                dealt[cohort.name] = replace(dealt[cohort.name], first=0, rows=0)
    cohorts = {cohort.name: CohortPlan(cohort=cohort, subset=dealt[cohort.name]) for cohort in entity.cohorts}
    return replace(entity_plan, cohorts=cohorts), problems
