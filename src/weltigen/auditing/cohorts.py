"""Rules about cohorts. Which row belongs to one is stored nowhere; but no fewer rows may look like its rows than it has."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from sqlglot import exp

from ..expression import NotEvaluableError, parse
from ..model import Cohort, ConstSource, Entity, Field, PerOwner, Relation, WeightsSource, World
from ..stored.names import quoted
from ..stored.stores.store import Store
from .following import OPPOSITE
from .joined import Joined
from .rule import SetRule


def cohort_rules(
    world: World, entity: Entity, store: Store, times: float, stages: int, asked: frozenset[str]
) -> Iterator[SetRule]:
    """At least as many rows as a cohort has keep the limits that it sets, and have as many children as its rows do."""
    for cohort in entity.cohorts:
        every = f"(SELECT count(*) FROM {store.table(entity)})"
        # within a rounding in each stage: cohorts that stand side by side are rounded together
        part = f"{cohort.share} * ({every} - {len(entity.fixed)})" if cohort.share is not None else f"{cohort.rows} * {times}"
        least = f"{part} - {stages}"
        joined = Joined(world, entity, store)
        try:
            kept = [sql for field in cohort.fields for sql in _kept(entity, field, joined, store)]
            kept += [_referring(relation, joined) for relation in cohort.references if relation.where is not None]
        except NotEvaluableError:
            kept = []
        if kept:
            found = f"{store.table(entity)} AS this {joined.join} WHERE {' AND '.join(kept)}"
            yield _at_least(cohort, least, found, "as its fields say")
        for child, count in cohort.children:
            if child not in asked and store.columns(world.entity(child)) is not None:
                found = _with_children(world, entity, child, count, store)
                yield _at_least(cohort, least, found, f"with the declared number of rows of {child}")


def _at_least(cohort: Cohort, least: str, source: str, what: str) -> SetRule:
    size = f"{cohort.share * 100:g}% of the rows" if cohort.share is not None else f"{cohort.rows:,} rows"
    query = f"SELECT n FROM (SELECT count(*) AS n FROM {source}) AS found WHERE n < {least}"
    return SetRule(kind="cohort", text=f"cohort {cohort.name}: {size} {what}", query=query, shown=("rows",), keys=0)


def _kept(entity: Entity, field: Field, joined: Joined, store: Store) -> Iterator[str]:
    column, conditions = f"this.{quoted(field.name)}", []
    kind = entity.field(field.name).type
    for bound in field.limits.bounds:
        if bound.path:
            alias, name = joined.cell(bound.operand)
            limit = f"{quoted(alias)}.{quoted(name)}"
        else:
            limit = store.literal(bound.operand, kind)
        conditions.append(f"NOT ({column} {OPPOSITE[bound.comparison]} {limit})")
    lists = [allowed.values for allowed in field.limits.allowed]
    match field.source:
        case ConstSource(value=text):
            lists.append((text,))
        case WeightsSource():
            lists.append(field.source.values())
    conditions += [f"{column} IN ({', '.join(store.literal(value, kind) for value in values)})" for values in lists]
    if field.present is not None and field.present.when is None and field.present.share in (0.0, 1.0):
        yield f"{column} IS {'NOT ' if field.present.share else ''}NULL"
    for condition in conditions:
        yield f"({column} IS NULL OR {condition})"


def _referring(relation: Relation, joined: Joined) -> str:
    """That a reference goes to rows as the cohort's do, or nowhere."""
    assert relation.where is not None
    condition = parse(relation.where.expression, relation.where.dialect)
    if any("." in path for path in condition.paths) or condition.aggregates:
        raise NotEvaluableError(relation.where.expression)
    there = " AND ".join(f"this.{quoted(column)} IS NOT NULL" for column in relation.columns)
    tree = condition.tree.copy()
    for column in list(tree.find_all(exp.Column)):
        column.set("table", exp.to_identifier(relation.name, quoted=True))
    paths = tuple(f"{relation.name}.{path}" for path in condition.paths)
    return f"(NOT ({there}) OR {joined.sql(replace(condition, tree=tree, paths=paths))})"


def _with_children(world: World, entity: Entity, child: str, count: PerOwner, store: Store) -> str:
    relation = world.entity(child).relation(count.per)
    pairs = list(zip(relation.columns, relation.target_columns, strict=True))
    keys = ", ".join(quoted(column) for column, _ in pairs)
    on = " AND ".join(f"own.{quoted(b)} = kids.{quoted(a)}" for a, b in pairs)
    kids = f"(SELECT {keys}, count(*) AS n FROM {store.table(world.entity(child))} GROUP BY {keys}) AS kids"
    number = "coalesce(kids.n, 0)"
    none = f" OR {number} = 0" if count.none else ""
    within = f"({number} BETWEEN {count.lowest} AND {count.highest}{none})"
    return f"{store.table(entity)} AS own LEFT JOIN {kids} ON {on} WHERE {within}"
