"""Cohorts: named shares of an entity's rows, dealt so that each is exact to the row."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from ..model import Cohort, Entity, Field, PerOwner, Problem
from ..model.problems import plural
from ..randomness import ExactSubset, key

if TYPE_CHECKING:
    from .plan import EntityPlan, FieldPlan, Plan


@dataclass(frozen=True, slots=True, kw_only=True)
class CohortPlan:
    """A cohort with the rows that belong to it, and its own way of filling some of their fields."""

    cohort: Cohort
    subset: ExactSubset
    fields: Mapping[str, FieldPlan] = field(default_factory=dict)

    def __str__(self) -> str:
        own = [*self.fields, *(relation.name for relation in self.cohort.references)]
        said = [f"sets {', '.join(own)}"] if own else []
        said += [f"{amount(count)} of {entity} each" for entity, count in self.cohort.children]
        return f"{self.cohort.name}: {plural(self.subset.rows, 'row')}" + (f"; {'; '.join(said)}" if said else "")


def amount(count: PerOwner) -> str:
    """How many rows a row has, in words."""
    if count.each is not None:
        return plural(count.each, "row")
    return f"{count.lowest} to {count.highest} rows" + (f" ({count.mean:g} on average)" if count.mean is not None else "")


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
    for group in _together(entity.cohorts):
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


def _together(cohorts: tuple[Cohort, ...]) -> list[list[Cohort]]:
    groups: list[list[Cohort]] = []
    for cohort in cohorts:
        touching = [group for group in groups if any(settings_of(cohort) & settings_of(other) for other in group)]
        groups = [group for group in groups if group not in touching]
        groups.append([member for group in touching for member in group] + [cohort])
    return groups


def merged(base: Field, own: Field) -> Field:
    """A field as a cohort has it: its own source and presence, and its limits beside the field's."""
    bounds = base.limits.bounds
    if own.limits.bounds:
        bounds = tuple(bound for bound in bounds if bound.because != "guessed")
    limits = replace(
        base.limits,
        bounds=bounds + own.limits.bounds, allowed=base.limits.allowed + own.limits.allowed,
        patterns=own.limits.patterns or base.limits.patterns, multiple_of=own.limits.multiple_of or base.limits.multiple_of,
        min_length=max((n for n in (base.limits.min_length, own.limits.min_length) if n is not None), default=None),
        max_length=min((n for n in (base.limits.max_length, own.limits.max_length) if n is not None), default=None),
    )  # fmt: skip
    return replace(
        base, source=own.source or base.source, limits=limits, present=own.present or base.present,
        follows=own.follows or base.follows, guess=None if own.source is not None else base.guess,
    )  # fmt: skip


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
