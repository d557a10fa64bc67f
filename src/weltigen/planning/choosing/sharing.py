"""How many rows pick each row that they may refer to: by popularity, between limits, or a number for each row of a cohort."""

from __future__ import annotations

from math import ceil

from ...model import Favour, PerOwner, Relation, Spread
from ...model.phrases import about, plural
from ...plan.entity import EntityPlan
from ...plan.owner_counts import per_owner_table
from ...plan.plan import Plan
from ...plan.ways.picks import Limited, Picked
from ...randomness import GroupSplit, PopularitySplit, from_counts, key, popularity
from ..knowledge.favour import favour_of

_NEAR = 0.05  # a mean of rows for each target is met where it differs by no more


def by_group(plan: Plan, entity_plan: EntityPlan, relation: Relation, counts: list[tuple[str, PerOwner]]) -> Picked:
    """Some cohorts of the target say how many rows each of theirs has; all others share out what is left."""
    target, rows = plan.entities[relation.target], entity_plan.total
    name = entity_plan.name
    keys = key(plan.stage_seed, name, relation.name, "popularity"), key(plan.stage_seed, name, relation.name, "children")
    splits: list[PopularitySplit | None] = []
    spans: list[tuple[int, int]] = []
    scale = _asked_scale(plan, entity_plan, target, counts)
    for cohort, count in counts:
        dealt, table = target.cohorts[cohort].subset, per_owner_table(count)
        if table is None:
            raise ValueError(f"the numbers of rows for each of the cohort {cohort} do not agree with each other")
        number = round(float(table.mean()) * dealt.rows * scale)
        if number > rows:
            said_of = f"{plural(dealt.rows, 'row')} of the cohort {cohort} with {count.amount()} each"
            raise ValueError(f"{said_of} need {number:,} in all, but there are {rows:,}")
        spans.append((dealt.first, dealt.rows))
        least = count.lowest if scale == 1 else 0
        none = count.none if scale == 1 else 0.0
        split = PopularitySplit.between(dealt.rows, number, least, max(least, count.highest), keys, none=none) if number else None
        splits.append(split)
        rows -= number
    if rows < 0:
        names = " and ".join(cohort for cohort, _ in counts)
        need, total = entity_plan.total - rows, entity_plan.total
        raise ValueError(f"the cohorts {names} together need {need:,} rows, but there are {total:,}")
    others = target.total - sum(size for _, size in spans)
    favour = favour_of(plan, relation)
    if rows and not others:
        raise ValueError(f"{rows:,} rows are left over, but every {relation.target} is of a cohort that says how many it has")
    if not rows or not others:
        splits.append(None)
    elif (spread := relation.spread) is not None:
        least, most, _ = spread_limits(spread, rows, others)
        splits.append(PopularitySplit.between(others, rows, least, most, keys, none=spread.none))
    else:
        splits.append(PopularitySplit.build(others, rows, popularity(favour.few, favour.take, others), *keys))
    dealt = target.cohorts[counts[0][0]].subset
    picks = GroupSplit.build(dealt, spans, splits, key(plan.stage_seed, entity_plan.name, relation.name, "groups"))
    return Picked(picks, favour, cohorts=tuple(counts))


_OTHERS = 0.2  # of the rows are left to rows of no cohort, where a run sets fewer rows than cohorts need


def _asked_scale(plan: Plan, entity_plan: EntityPlan, target: EntityPlan, counts: list[tuple[str, PerOwner]]) -> float:
    """By what the cohorts' numbers are multiplied where a run set the rows by hand: numbers for each owner are given up then.

    A later stage sets how many owners it adds, and other owners may decide how many rows there are for these.
    """
    if entity_plan.name not in plan.asked and not (plan.before is not None and target.name in plan.asked):
        return 1.0
    tables = [(target.cohorts[name].subset.rows, per_owner_table(count)) for name, count in counts]
    needed = sum(rows * float(table.mean()) for rows, table in tables if table is not None)
    return min(1.0, entity_plan.total * (1 - _OTHERS) / needed) if needed else 1.0


def picks_of(plan: Plan, entity_plan: EntityPlan, relation: Relation, favour: Favour, owners: int) -> PopularitySplit:
    """Shares from the declared counts per owner, where `--rows` took their place, else from favour."""
    shares = popularity(favour.few, favour.take, max(1, owners))
    rows = entity_plan.entity.rows
    name = entity_plan.name
    keys = key(plan.stage_seed, name, relation.name, "popularity"), key(plan.stage_seed, name, relation.name, "children")
    if (spread := relation.spread) is not None:
        least, most, _ = spread_limits(spread, entity_plan.total, owners)
        return PopularitySplit.between(owners, entity_plan.total, least, most, keys, none=spread.none)
    if isinstance(rows, PerOwner) and rows.per == relation.name and (table := per_owner_table(rows)) is not None and table.any():
        shares = from_counts(table)
    return PopularitySplit.build(owners, max(1, entity_plan.total), shares, *keys)


def spread_limits(spread: Spread, rows: int, owners: int) -> tuple[int, int, float]:
    """The fewest and the most rows for a row of the target that has any, and how many there are for each on average."""
    mean = rows / max(1, owners * (1 - spread.none))
    least = spread.least if spread.least is not None else 1 if spread.none else 0
    return least, spread.most if spread.most is not None else max(least, ceil(4 * mean)), rows / max(1, owners)


def agree_on_mean(spread: Spread, relation: Relation, rows: int, owners: int) -> None:
    """ValueError where the rows that there are do not come out at the mean that is wished for."""
    if spread.mean is not None and abs(spread.mean * owners - rows) > max(1.0, _NEAR * rows):
        raise ValueError(
            f"{spread.mean:g} for each {relation.target} makes {spread.mean * owners:,.0f} rows, but there are {rows:,}:"
            f" {about(rows / max(1, owners))} on average would agree"
        )


def limited(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> Limited:
    """What the world file says of how many rows each target has, with what it leaves open."""
    assert relation.spread is not None
    least, most, mean = spread_limits(relation.spread, entity_plan.total, plan.entities[relation.target].total)
    return Limited(relation.target, least, most, mean, relation.spread.none)
