"""Pass: how many rows each entity has: a number, one for each owner, by an expression, or by its rank in the model."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal
from math import prod
from typing import Any

import numpy as np
import pyarrow as pa

from ...expression import NotEvaluableError, parse_over_counts
from ...model import PerOwner, PerPair, Problem, Relation, RowCount, RowFormula
from ...model.changing import changed
from ...model.graphs import depth_first
from ...model.histories import history_of
from ...model.literals import read_span
from ...model.phrases import plural
from ...model.problems import UsageError, nearest
from ...plan.components import MOST_ROWS
from ...plan.entity import EntityPlan
from ...plan.owner_counts import Owner, count_table
from ...plan.plan import Plan
from ...plan.stages import first_row
from ...randomness import ExactSubset, contiguous, key
from ...randomness.quantiles import STEPS
from ..knowledge.agreeing import differs
from ..knowledge.cohort_counts import child_counts
from .caps import PlanAbove, owner_caps
from .cohorts import deal_cohorts
from .histories import count_history
from .stages import disturbed, keep_or_add, pair_of, stays_as_it_is
from .usual import usual_rows

MOST_COUNTED = 10_000_000_000  # rows that combinations may make


def count_rows(plan: Plan, plan_above: PlanAbove) -> Plan:
    """`plan_above` plans apart the entities that rows of one refer to, where these say how many rows there is room for."""
    for name in plan.asked:
        if name not in plan.entities:
            raise UsageError(f"no entity '{name}' to set the rows of", hint=nearest(name, tuple(plan.entities)))
    order, problems = _counting_order(plan)
    for name in order:
        plan = _count(plan, plan.entities[name], plan_above)
        if plan.before is not None:
            plan = keep_or_add(plan, plan.before.entities[name], plan.entities[name])
        if name not in plan.kept and plan.entities[name].entity.cohorts:
            dealt, trouble = deal_cohorts(plan, plan.entities[name])
            plan, problems = plan.with_entity(dealt), problems + trouble
    if plan.before is not None:
        plan = replace(plan, order=tuple(name for name in plan.order if name not in plan.kept))
        problems += disturbed(plan)
        if not plan.order and not problems and not plan.problems:
            raise UsageError(
                "this stage adds no rows", hint="set rows of an entity (--rows ENTITY=N), or double all of them (--times 1)"
            )
    return plan.with_problems(problems)


def _counting_order(plan: Plan) -> tuple[list[str], list[Problem]]:
    """The order of filling, but that an entity comes after those which its expression counts."""
    rank = {name: number for number, name in enumerate(plan.order)}

    def needs(name: str) -> list[str]:
        entity = plan.entities[name].entity
        rows = entity.rows
        needed: set[str] = set()
        if isinstance(rows, RowFormula):
            needed = set(parse_over_counts(rows.expression).paths)
        elif isinstance(rows, PerOwner):
            needed = {entity.relation(rows.per).target} - {name}
        elif isinstance(rows, PerPair):
            needed = {entity.relation(each).target for each in rows.per} - {name}
        elif rows is None and not entity.fixed:
            needed = {r.target for r in entity.relations if rank[r.target] < rank[name]}
        return [] if name in plan.asked or entity.there else sorted(needed, key=rank.__getitem__)

    order, circles = depth_first(plan.order, needs)
    return order, [_circular(plan, circle) for circle in circles]


def _circular(plan: Plan, way: list[str]) -> Problem:
    formula = next(rows for name in way if isinstance(rows := plan.entities[name].entity.rows, RowFormula))
    return Problem(
        fact=f"the number of rows follows from itself: {', which follows from '.join(way)}",
        place=formula.place, hint="give one of them a plain number",
    )  # fmt: skip


def _count(plan: Plan, entity_plan: EntityPlan, plan_above: PlanAbove) -> Plan:
    entity = entity_plan.entity
    rows = entity.rows
    told = history_of(plan.world, entity.name)
    if plan.before is not None and stays_as_it_is(plan, entity):
        return plan
    if entity.there:
        return plan.with_entity(replace(entity_plan, generated=0, because="rows that are there"))
    if told is not None:
        counted, problems = count_history(plan, entity_plan, told)
        return plan.with_entity(counted).with_problems(problems)
    if entity.name in plan.asked:
        number = plan.asked[entity.name]
        if isinstance(rows, PerPair):  # no longer each with each
            entity_plan = replace(entity_plan, entity=replace(entity, rows=RowCount(number=number, place=rows.place)))
        return plan.with_entity(replace(entity_plan, generated=number, because="requested"))
    if isinstance(rows, PerOwner):
        return _per_owner(plan, entity_plan, rows, plan_above)
    if isinstance(rows, PerPair):
        return _per_pair(plan, entity_plan, rows, plan_above)
    if isinstance(rows, RowCount):
        grows = rows.number > 1
        number = round(rows.number * plan.times) if grows else rows.number
        times = f", times {plan.times:g}" if grows and plan.times != 1 else ""
        return plan.with_entity(replace(entity_plan, generated=number, because=f"set in the world file{times}"))
    if isinstance(rows, RowFormula):
        return _by_formula(plan, entity_plan, rows)
    if entity.fixed:
        return plan.with_entity(replace(entity_plan, because="fixed rows"))
    number, because = usual_rows(plan, entity_plan)
    return plan.with_entity(changed(entity_plan, generated=number, because=because))


def _by_formula(plan: Plan, entity_plan: EntityPlan, rows: RowFormula) -> Plan:
    formula = parse_over_counts(rows.expression)
    try:
        totals = {
            name: pa.array([plan.entities[name].total + plan.entities[name].earlier_rows], pa.int64()) for name in formula.paths
        }
        value = formula.evaluate(totals.__getitem__, 1)[0].as_py()
        if value is None:
            raise NotEvaluableError(f"{rows.expression} is null here (a division by zero gives null)")
        if isinstance(value, bool) or not isinstance(value, int | float | Decimal) or not 0 <= value <= MOST_ROWS:
            raise NotEvaluableError(f"{rows.expression} gives {value}, which is not a number of rows")
    except NotEvaluableError as error:
        # the usual number stands in, so that no other problem follows from this one
        usual, because = usual_rows(plan, entity_plan)
        problem = Problem(fact=f"{entity_plan.entity.name}.rows: {error}", place=rows.place)
        return plan.with_entity(replace(entity_plan, generated=usual, because=because)).with_problems([problem])
    number = int(Decimal(value).quantize(Decimal(1), ROUND_HALF_UP))
    if plan.before is not None:  # what there is counts
        number = max(0, number - first_row(plan, entity_plan.name))
    return plan.with_entity(replace(entity_plan, generated=number, because=f"{rows.expression}, set in the world file"))


def _per_owner(plan: Plan, entity_plan: EntityPlan, rows: PerOwner, plan_above: PlanAbove) -> Plan:
    entity = entity_plan.entity
    relation = entity.relation(rows.per)
    owner = plan.entities[relation.target]
    if relation.target == entity.name:
        problem = Problem(fact=f"{entity.name} cannot own its own rows: each would need more of them", place=rows.place,
                          hint="give a number of rows; the reference picks among them")  # fmt: skip
        return plan.with_entity(replace(entity_plan, generated=1)).with_problems([problem])
    if rows.every is not None:
        start, end = plan.window
        rows = replace(rows, each=-((start - end) // read_span(rows.every)))
    try:
        table = count_table(rows)
    except ValueError as error:
        hint = "change mean, least, most or none so that they agree"
        problem = Problem(fact=f"{entity.name}.rows: {error}", place=rows.place, hint=hint)
        return plan.with_entity(replace(entity_plan, generated=max(1, owner.total))).with_problems([problem])
    because = str(rows)
    if rows.none and rows.none * owner.total <= 0.5:
        because += f" (of {owner.total:,}, that is less than one)"
    wanted = _Wanted(table, because, max(1, rows.lowest))
    owned, problems = _owned(plan, entity_plan, relation, wanted, plan_above)
    return plan.with_entity(owned).with_problems(problems if rows.lowest and not rows.none else [])


@dataclass(frozen=True, slots=True)
class _Wanted:
    """Counts of equal weight for the owners, where they come from, and the fewest rows that each owner must have."""

    table: Any
    because: str
    least: int


def _owned(
    plan: Plan, entity_plan: EntityPlan, relation: Relation, wanted: _Wanted, plan_above: PlanAbove
) -> tuple[EntityPlan, list[Problem]]:
    """Rows for each owner, no more than it has room for; and what to say where that is fewer than must be."""
    owners, table, because, least = plan.entities[relation.target].total, wanted.table, wanted.because, wanted.least
    bits = key(plan.stage_seed, entity_plan.name, "", f"rows for {relation.name}")
    try:
        special = _special(plan, entity_plan, relation)
    except ValueError as error:
        told = [Problem(fact=f"{relation.target}: {error}", place=entity_plan.entity.place)]
        return replace(entity_plan, generated=1), told
    if special:
        because = f"{because}; {_said(plan, entity_plan, relation)}"
    split = contiguous(owners, table, bits, special=special)
    owned = changed(entity_plan, generated=split.children, owner=Owner(relation=relation.name, split=split), because=because)
    found = owner_caps(plan, owned, plan_above) if not plan.problems else None
    if found is None or (found[0] >= split.most).all():
        return owned, []
    caps, ancestor = found
    split = contiguous(owners, table, bits, caps, special)
    because = f"{because}, as far as the same {ancestor} has room"
    owned = replace(owned, generated=split.children, owner=Owner(relation=relation.name, split=split), because=because)
    lacking = np.flatnonzero(caps < least)
    if not lacking.size:
        return owned, []
    name, rows = entity_plan.name, entity_plan.entity.rows
    fact = f"{name}: {lacking.size:,} of {owners:,} rows of {relation.target} have no room for {plural(least, 'row')}"
    return owned, [Problem(
        fact=f"{fact}, since what those refer to must be of the same {ancestor} (the first: {relation.target}/{lacking[0]})",
        place=rows.place if rows else None, hint=f"least: 0, or give each {ancestor} more of what {name} refers to",
    )]  # fmt: skip


def _special(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> tuple[tuple[ExactSubset, Any], ...]:
    """The owners' cohorts that say how many rows each of theirs has; ValueError where the numbers do not agree."""
    cohorts = plan.entities[relation.target].cohorts
    out = []
    for name, count in child_counts(plan, entity_plan.entity, relation.name):
        try:
            out.append((cohorts[name].subset, count_table(count)))
        except ValueError as error:
            raise ValueError(f"the cohort {name} sets rows of {entity_plan.name}: {error}") from None
    return tuple(out)


def _said(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> str:
    counts = child_counts(plan, entity_plan.entity, relation.name)
    return "; ".join(f"{count.amount()} for each in {name}" for name, count in counts)


def _per_pair(plan: Plan, entity_plan: EntityPlan, rows: PerPair, plan_above: PlanAbove) -> Plan:
    """The first relation owns the rows: as many for each as there are combinations of the others' targets."""
    if plan.before is not None:
        paired, problems = pair_of(plan, entity_plan, rows)
        if paired is None:
            return plan.with_problems(problems)
        entity_plan, rows = paired
    entity = entity_plan.entity
    first, *others = (entity.relation(name) for name in rows.per)
    each = prod(plan.entities[relation.target].total for relation in others)
    if differs(first, others[0]):
        each -= 1
    if len(others) > 1 and any(relation.same for relation in others):
        problem = Problem(fact=f"{entity.name}: combinations of three references cannot agree on an ancestor as well",
                          place=rows.place, hint="give a number of rows instead")  # fmt: skip
        return plan.with_entity(replace(entity_plan, generated=1)).with_problems([problem])
    owners = plan.entities[first.target].total
    if entity_plan.fixed or owners * each > MOST_COUNTED or first.target == entity.name:
        why = (
            "stand beside fixed rows" if entity_plan.fixed
            else f"be {owners * each:,}" if first.target != entity.name else "follow from themselves"
        )  # fmt: skip
        problem = Problem(fact=f"{entity.name}: rows for each {' and '.join(rows.per)} cannot {why}", place=rows.place,
                          hint="give a number of rows instead")  # fmt: skip
        return plan.with_entity(replace(entity_plan, generated=1)).with_problems([problem])
    table = np.full(STEPS, each, np.int64)
    owned, _ = _owned(plan, entity_plan, first, _Wanted(table, str(rows), 0), plan_above)
    return plan.with_entity(owned)
