"""Rules about which rows refer to which: agreement on an ancestor, conditions on the target, how many, and the form of trees."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from ..expression import parse
from ..model import Entity, PerOwner, PerPair, Relation, World
from ..model.literals import read_moment, read_span
from ..model.ties import Tie, Way
from ..stored.names import quoted
from ..stored.stores.store import Store
from .rule import SetRule

_MOST_LEVELS = 100  # a tree of which no depth is declared is followed so far down


def relating_rules(
    world: World, entity: Entity, ties: tuple[Tie, ...], store: Store, skip_counts: bool, stages: int = 1
) -> Iterator[SetRule]:
    """The rules of an entity's references; none over tables or columns that are not there."""
    for tie in ties:
        first, *others = tie.ways
        for other in others:
            if _on_the_way(world, entity, first, store) and _on_the_way(world, entity, other, store):
                yield _agreement(world, entity, tie.ancestor, first, other, store)
    for relation in entity.relations:
        if not _on_the_way(world, entity, (relation.name,), store):
            continue
        if relation.where is not None or relation.alike:
            yield _filter(world, entity, relation, store)
        if skip_counts:
            continue
        if isinstance(entity.rows, PerOwner) and entity.rows.per == relation.name and not entity.fixed:
            limits = _widened(world, relation, *_limits(world, entity.rows), entity.rows.none)
            yield _count(world, entity, relation, limits, store)
        if relation.spread is not None and relation.spread.most is not None and stages == 1:
            spread = relation.spread
            least = spread.least or 0
            yield _count(world, entity, relation, _widened(world, relation, least, spread.most or 0, spread.none), store)
        if relation.tree is not None:
            grouped = any(way[:1] == (relation.name,) for tie in ties for way in tie.ways)
            yield from _tree(entity, relation, store, grouped, stages)
    if isinstance(entity.rows, PerPair) and not ties and not skip_counts:
        ways = [entity.relation(name) for name in entity.rows.per]
        if all(_on_the_way(world, entity, (relation.name,), store) for relation in ways):
            yield _combinations(world, entity, ways, store)


def _on_the_way(world: World, entity: Entity, way: Way, store: Store) -> bool:
    """Whether all tables and columns along a way are stored."""
    at = entity
    for name in way:
        relation = at.relation(name)
        target = world.entity(relation.target)
        stored, there = store.columns(at), store.columns(target)
        if stored is None or there is None or not set(relation.columns) <= set(stored):
            return False
        if not set(relation.target_columns) <= set(there):
            return False
        at = target
    return store.columns(at) is not None


def _joined(world: World, entity: Entity, way: Way, prefix: str, store: Store) -> tuple[str, str]:
    """JOINs along a way, and the alias at its end."""
    at, alias, sql = entity, "this", ""
    for number, name in enumerate(way):
        relation = at.relation(name)
        target, joined = world.entity(relation.target), f"{prefix}{number}"
        pairs = zip(relation.columns, relation.target_columns, strict=True)
        on = " AND ".join(f"{alias}.{quoted(a)} = {joined}.{quoted(b)}" for a, b in pairs)
        sql += f" JOIN {store.table(target)} AS {joined} ON {on}"
        at, alias = target, joined
    return sql, alias


def _identity(entity: Entity) -> tuple[str, ...]:
    return entity.key or next((rule.columns for rule in entity.unique_rules), entity.field_names)


def _listed(entity: Entity, columns: tuple[str, ...]) -> tuple[tuple[str, ...], str]:
    shown = tuple(dict.fromkeys((*entity.key, *columns)))
    return shown, ", ".join(f"this.{quoted(column)}" for column in shown)


def _agreement(world: World, entity: Entity, ancestor: str, one: Way, other: Way, store: Store) -> SetRule:
    (first, a), (second, b) = (_joined(world, entity, way, prefix, store) for way, prefix in ((one, "one"), (other, "two")))
    differs = " OR ".join(f"{a}.{quoted(column)} <> {b}.{quoted(column)}" for column in _identity(world.entity(ancestor)))
    columns = tuple(column for way in (one, other) if way for column in entity.relation(way[0]).columns)
    shown, listed = _listed(entity, columns)
    query = f"SELECT {listed} FROM {store.table(entity)} AS this{first}{second} WHERE {differs}"
    named = [".".join(way) or "the row itself" for way in (one, other)]
    return SetRule(kind="agreement", text=f"{named[0]} and {named[1]} lead to the same {ancestor}", query=query,
                   shown=shown, keys=len(entity.key))  # fmt: skip


def _filter(world: World, entity: Entity, relation: Relation, store: Store) -> SetRule:
    target = world.entity(relation.target)
    joins, end = _joined(world, entity, (relation.name,), "one", store)
    where = relation.where
    condition = exp.paren(parse(where.expression, where.dialect).tree.copy() if where is not None else exp.true())
    for number, column in enumerate(list(condition.find_all(exp.Column))):
        alias = end
        if column.table:  # a field of a row to which the target refers
            onward = next(r for r in target.relations if column.table in (r.name, r.target, *r.columns))
            further, alias = _joined(world, target, (onward.name,), f"on{number}_", store)
            joins += further.replace("this.", f"{end}.").replace(" JOIN ", " LEFT JOIN ")
        name = next((f for f in target.field_names if f.lower() == column.name.lower()), column.name)
        column.replace(exp.column(exp.to_identifier(column.name if column.table else name, quoted=True), table=alias))
    shown, listed = _listed(entity, relation.columns)
    pairs = [f"{end}.{quoted(alike.theirs)} = this.{quoted(alike.own)}" for alike in relation.alike]
    broken = f"coalesce(NOT ({' AND '.join([condition.sql(store.dialect), *pairs])}), 1 = 1)"
    query = f"SELECT {listed} FROM {store.table(entity)} AS this{joins} WHERE {broken}"
    said = ([f"where {where.expression}"] if where is not None else []) + list(map(str, relation.alike))
    text = f"{relation.name} refers only to {relation.target} rows {' and '.join(said)}"
    return SetRule(kind="filter", text=text, query=query, shown=shown, keys=len(entity.key))


def _limits(world: World, rows: PerOwner) -> tuple[int, int]:
    if rows.every is None:
        return rows.lowest, rows.highest
    start, end = (read_moment(text) for text in world.window)
    each = -((start - end) // read_span(rows.every))
    return each, each


def _widened(world: World, relation: Relation, least: int, most: int, none: float) -> tuple[int, int, bool]:
    """The limits of all rows of the target, its cohorts among them; and whether there may be none."""
    empty = bool(none) or least == 0
    for cohort in world.entity(relation.target).cohorts:
        for entity, count in cohort.children:
            if (entity, count.per) == (relation.entity, relation.name):
                least, most = min(least, count.lowest), max(most, count.highest)
                empty |= bool(count.none) or count.lowest == 0
    return least, most, empty


def _count(world: World, entity: Entity, relation: Relation, limits: tuple[int, int, bool], store: Store) -> SetRule:
    lowest, highest, none = limits
    owner = world.entity(relation.target)
    on = " AND ".join(
        f"own.{quoted(b)} = kids.{quoted(a)}" for a, b in zip(relation.columns, relation.target_columns, strict=True)
    )
    keys = ", ".join(quoted(column) for column in relation.columns)
    number = "coalesce(kids.n, 0)"
    least = f"({number} < {lowest} AND {number} > 0)" if none else f"{number} < {lowest}"
    shown = ", ".join(f"own.{quoted(column)}" for column in relation.target_columns)
    query = (
        f"SELECT {shown}, {number} FROM {store.table(owner)} AS own LEFT JOIN"
        f" (SELECT {keys}, count(*) AS n FROM {store.table(entity)} GROUP BY {keys}) AS kids ON {on}"
        f" WHERE {least} OR {number} > {highest}"
    )
    said = f"{lowest}" if lowest == highest else f"{lowest} to {highest}"
    return SetRule(kind="count", text=f"{said} rows for each {relation.target}", query=query,
                   shown=(*relation.target_columns, "rows"), keys=len(relation.target_columns))  # fmt: skip


def _combinations(world: World, entity: Entity, ways: list[Relation], store: Store) -> SetRule:
    first, others = ways[0], ways[1:]
    own = world.entity(first.target)
    apart = int(any(first.unlike == other.name or other.unlike == first.name for other in others))
    counts = [f"(SELECT count(*) FROM {store.table(world.entity(other.target))})" for other in others]
    wanted = " * ".join(counts) + (f" - {apart}" if apart else "")
    columns = ", ".join(dict.fromkeys(quoted(column) for relation in ways for column in relation.columns))
    keys = ", ".join(quoted(column) for column in first.columns)
    on = " AND ".join(f"own.{quoted(b)} = kids.{quoted(a)}" for a, b in zip(first.columns, first.target_columns, strict=True))
    shown = ", ".join(f"own.{quoted(column)}" for column in first.target_columns)
    query = (
        f"SELECT {shown}, coalesce(kids.n, 0), coalesce(kids.m, 0) FROM {store.table(own)} AS own LEFT JOIN"
        f" (SELECT {keys}, count(*) AS n, sum(times) AS m FROM (SELECT {columns}, count(*) AS times FROM {store.table(entity)}"
        f" GROUP BY {columns}) AS pairs GROUP BY {keys}) AS kids ON {on}"
        f" WHERE coalesce(kids.n, 0) <> {wanted} OR coalesce(kids.m, 0) <> {wanted}"
    )
    named = " and ".join(relation.name for relation in ways)
    return SetRule(kind="count", text=f"one row for each {named}", query=query,
                   shown=(*first.target_columns, "combinations", "rows"), keys=len(first.target_columns))  # fmt: skip


def _tree(entity: Entity, relation: Relation, store: Store, grouped: bool, stages: int) -> Iterator[SetRule]:
    """Levels and children; the number of roots unless each group has its own. Each stage has trees of its own."""
    assert relation.tree is not None
    tree, table = relation.tree, store.table(entity)
    pairs = list(zip(relation.columns, relation.target_columns, strict=True))
    itself = " AND ".join(f"{quoted(a)} = {quoted(b)}" for a, b in pairs)
    root = " OR ".join([f"{quoted(a)} IS NULL" for a, _ in pairs] + [itself])
    here = ", ".join(quoted(b) for _, b in pairs)
    text = f"{tree.roots:,} rows without a parent by {relation.name}"
    every = f"(SELECT count(*) FROM {table})"
    wrong = f"n <> CASE WHEN {every} < {tree.roots} THEN {every} ELSE {tree.roots} END"
    if stages > 1:
        text += f" in each of {stages} stages"
        wrong = f"n < CASE WHEN {every} < {tree.roots} THEN {every} ELSE {tree.roots} END OR n > {tree.roots * stages}"
    if tree.share is not None:  # one more or less is a matter of rounding
        text, wrong = (
            f"{tree.share * 100:g}% of the rows without a parent by {relation.name}",
            f"abs(n - {tree.share} * {every}) > {stages}",
        )
    query = f"SELECT n FROM (SELECT count(*) AS n FROM {table} WHERE {root}) AS roots WHERE {wrong}"
    if not grouped:
        yield SetRule(kind="tree", text=text, query=query, shown=("rows",), keys=0)
    if tree.most is not None:
        above = ", ".join(quoted(a) for a, _ in pairs)
        query = f"SELECT {above}, count(*) FROM {table} WHERE NOT ({itself}) GROUP BY {above} HAVING count(*) > {tree.most}"
        yield SetRule(kind="tree", text=f"at most {tree.most} rows below each by {relation.name}", query=query,
                      shown=(*relation.columns, "rows"), keys=len(pairs))  # fmt: skip
    depth = tree.depth or _MOST_LEVELS
    below = " AND ".join(f"low.{quoted(a)} = up.{quoted(b)}" for a, b in pairs)
    new = " OR ".join(f"low.{quoted(b)} <> up.{quoted(b)}" for _, b in pairs)
    listed = ", ".join(f"low.{quoted(b)}" for _, b in pairs)
    missing = " AND ".join(f"found.{quoted(b)} = this.{quoted(b)}" for _, b in pairs)
    shown = ", ".join(f"this.{quoted(b)}" for _, b in pairs)
    query = (
        f"WITH RECURSIVE found AS (SELECT {here}, 1 AS level FROM {table} WHERE {root} UNION ALL"
        f" SELECT {listed}, level + 1 FROM {table} AS low JOIN found AS up ON {below} WHERE ({new}) AND level < {depth})"
        f" SELECT {shown} FROM {table} AS this LEFT JOIN found ON {missing} WHERE found.level IS NULL"
    )
    text = f"at most {depth} levels by {relation.name}" if tree.depth else f"no row is above itself by {relation.name}"
    yield SetRule(kind="tree", text=text, query=query, shown=tuple(b for _, b in pairs), keys=len(pairs))
