"""The rules of a world as SQL conditions over one place."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from typing import Any

from sqlglot import exp, parse_one
from sqlglot.errors import SqlglotError

from ..expression import Expression, NotEvaluableError, octets_of, parse
from ..expression.comparing import as_compared
from ..model import Check, Entity, Field, PatternSource, Relation, TypeName, Unique, World
from ..model.folding import Fold, fold_of
from ..model.origins import Origin
from ..model.types import TEXTS
from ..stored.names import quoted
from ..stored.stores.store import Store
from .dates import with_days
from .following import following_rules, joined_check
from .rule import RowRule, SetRule


def row_rules(world: World, entity: Entity, store: Store, stored: dict[str, str]) -> Iterator[RowRule]:
    """Rules that one row keeps or breaks alone, or with the row that it refers to."""
    for field in entity.fields:
        if field.name not in stored:
            continue
        yield from _field_rules(world, entity, field, store)
    for check in entity.checks:
        if (joined := joined_check(world, entity, check, store)) is not None:
            yield joined
            continue
        condition = translate(check, store.dialect, entity)
        columns = _columns_of(check, entity)
        named = f" (check {check.name})" if check.name else " (check)"
        yield RowRule(kind="check", text=f"{check.expression}{named}", broken=f"NOT ({condition})", columns=columns)
    for relation in entity.relations:
        if relation.unlike is not None:
            other = entity.relation(relation.unlike)
            same = " AND ".join(f"{quoted(a)} = {quoted(b)}" for a, b in zip(relation.columns, other.columns, strict=True))
            yield RowRule(
                kind="check",
                text=f"{relation.name} differs from {other.name}",
                broken=same,
                columns=relation.columns + other.columns,
            )


def _field_rules(world: World, entity: Entity, field: Field, store: Store) -> Iterator[RowRule]:
    column, here = quoted(field.name), (field.name,)
    wrong = store.wrong_type(entity, field.name, field.type)
    if wrong is not None:
        yield RowRule(kind="type", text=f"{field.name} is {field.type}", broken=wrong, columns=here)
    if not field.nullable:
        yield RowRule(kind="not null", text=f"{field.name} is not null", broken=store.absent(field.name), columns=here)
    limits, kind = field.limits, field.type
    for comparison, end in ((">=", kind.least), ("<=", kind.most)):
        if end is not None:
            text, broken = f"{field.name} is {comparison} {end}, as its type holds", f"NOT ({column} {comparison} {end})"
            yield RowRule(kind="range", text=text, broken=broken, columns=here)
    length = "char_length" if store.dialect == "mysql" else "length"  # MySQL's length() counts bytes
    if field.room is not None and field.type.name in TEXTS:
        yield RowRule(
            kind="length",
            text=f"{field.name} has at most {field.room} characters",
            broken=f"{length}({column}) > {field.room}",
            columns=here,
        )
    if limits.min_length:
        if kind.name is TypeName.BYTEA:
            length = "octet_length" if store.dialect == "duckdb" else "length"
        yield RowRule(kind="length", text=f"{field.name} has at least {limits.min_length} characters",
                      broken=f"{length}({column}) < {limits.min_length}", columns=here)  # fmt: skip
    # what was read out of a check is asked by the check itself, as it was written
    lists = [allowed.values for allowed in limits.allowed if allowed.origin is not Origin.CHECK]
    if field.type.values:
        lists.append(field.type.values)
    for values in lists:
        listed = ", ".join(store.literal(value, field.type) for value in values)
        short = ", ".join(values[:6]) + (", …" if len(values) > 6 else "")
        yield RowRule(
            kind="enum",
            text=f"{field.name} is one of {short}",
            broken=f"{store.as_text(column, kind)} NOT IN ({listed})",
            columns=here,
        )
    said = [field.source] if isinstance(field.source, PatternSource) and field.guess is None else []
    patterns = [*limits.patterns, *said]
    for pattern in patterns:
        if pattern.origin is Origin.CHECK:
            continue
        yield RowRule(
            kind="pattern",
            text=f"{field.name} matches {pattern.pattern}",
            broken=f"NOT {store.matches(column, pattern.pattern)}",
            columns=here,
        )
    if limits.multiple_of is not None:
        part = f"{column} / {limits.multiple_of}"
        yield RowRule(
            kind="range",
            text=f"{field.name} is a multiple of {limits.multiple_of}",
            broken=f"abs(round({part}) - {part}) > 1e-9",
            columns=here,
        )
    yield from following_rules(world, entity, field, store)


def translate(check: Check, dialect: str, entity: Entity | None = None) -> str:
    """The condition in the place's dialect, its texts compared as the model's own compares those of `entity`; as it stands where
    it does not parse."""
    with suppress(NotEvaluableError):  # the place may know a function that has no meaning to us
        fields = {field.name.lower(): field for field in entity.fields} if entity is not None else {}
        expression = parse(check.expression, check.dialect)
        if not dialect == check.dialect == "postgres":  # which compares as it does
            expression = as_compared(expression, check.dialect, lambda path: fields.get(path.lower()))
        if dialect == "duckdb":
            return _spans_in_duckdb(_measured(expression, fields)).sql(dialect)
        tree = exp.Paren(this=expression.tree.copy())
        if check.dialect in (None, "postgres"):  # others reckon with dates as the place does
            with_days(tree, lambda column: fields.get(column.name.lower()) if not column.table else None, dialect)
        return replace(expression, tree=tree.this).sql(dialect)
    try:
        return str(parse_one(check.expression, dialect=check.dialect or "postgres").sql(dialect=dialect))
    except SqlglotError:
        return check.expression


def _measured(expression: Expression, fields: dict[str, Field]) -> Expression:
    """The expression with lengths as DuckDB takes them: of bytes, and of numbers as they are written."""
    tree = exp.Paren(this=expression.tree.copy())
    for node in list(tree.find_all(exp.Length, exp.Anonymous)):
        measured = node.this if isinstance(node, exp.Length) else octets_of(node)
        column = measured.unnest() if measured is not None else None
        field = fields.get(column.name.lower()) if isinstance(column, exp.Column) and not column.table else None
        if field is None or column is None:
            continue
        if field.type.name is TypeName.BYTEA:
            node.replace(parse_one(f"length(hex({column.sql(dialect='duckdb')})) // 2", dialect="duckdb"))
        elif field.type.name not in TEXTS:
            column.replace(exp.Cast(this=column.copy(), to=exp.DataType.build("varchar")))
    return replace(expression, tree=tree.this)


# seconds of an interval as ISO 8601 writes it, part by part; {0} is the text
_SECONDS = " + ".join(
    f"coalesce(try_cast(regexp_extract({{0}}, '{pattern}', 1) AS BIGINT), 0) * {seconds}"
    for pattern, seconds in (
        (r"^P[^T]*?(\d+)Y", 360 * 86_400), (r"^P[^T]*?(\d+)M", 30 * 86_400), (r"^P[^T]*?(\d+)W", 604_800),
        (r"^P[^T]*?(\d+)D", 86_400),
        (r"T.*?(\d+)H", 3_600), (r"T.*?(\d+)M", 60), (r"T.*?(\d+)(?:\.\d+)?S", 1),
    )
)  # fmt: skip


def _spans_in_duckdb(expression: Expression) -> Expression:
    """The expression with lengths of intervals in seconds, a month of 30 days, which stand as texts in files."""
    tree = exp.Paren(this=expression.tree.copy())
    for node in list(tree.find_all(exp.Anonymous)):
        if node.name != "SPAN_LENGTH":
            continue
        inner = node.expressions[0].sql(dialect="duckdb")
        if isinstance(node.expressions[0].unnest(), exp.Column):
            told = f"CASE WHEN {inner} LIKE 'P%' THEN {_SECONDS.format(inner)} ELSE epoch(CAST({inner} AS INTERVAL)) END"
        else:
            told = f"epoch(CAST({inner} AS INTERVAL))"
        node.replace(parse_one(told, dialect="duckdb"))
    return replace(expression, tree=tree.this)


def _columns_of(check: Check, entity: Entity) -> tuple[str, ...]:
    try:
        tree = parse_one(check.expression, dialect=check.dialect or "postgres")
    except SqlglotError:
        return ()
    names = {column.name.lower() for column in tree.find_all(exp.Column)}
    return tuple(name for name in entity.field_names if name.lower() in names)


def set_rules(world: World, entity: Entity, store: Store) -> Iterator[SetRule]:
    """Rules over several rows: keys and references; none over columns that are not there."""
    for rule in entity.unique_rules:
        if _there(entity, rule.columns, store):
            yield _unique(world, entity, rule, store)
    for rule in entity.special_rules:
        if _there(entity, rule.columns, store):
            yield _unique(world, entity, rule, store)
    for relation in entity.relations:
        target = world.entity(relation.target)
        if not (_there(entity, relation.columns, store) and _there(target, relation.target_columns, store)):
            continue
        yield _reference(world, entity, relation, store)


def _there(entity: Entity, columns: tuple[str, ...], store: Store) -> bool:
    """SQLite takes a quoted name that it does not know for a text, so nothing is asked about columns that are missing."""
    return set(columns) <= set(store.columns(entity) or ())


def _unique(world: World, entity: Entity, rule: Unique, store: Store) -> SetRule:
    columns = [_compared(entity.field(column), world.dialect, store) for column in rule.columns]
    columns += [f"({translate(Check(expression=text), store.dialect)})" for text in rule.expressions]
    conditions = [f"({translate(Check(expression=rule.where), store.dialect)})"] if rule.where else []
    conditions += [f"{column} IS NOT NULL" for column in columns] if rule.nulls_distinct else []
    there, listed = " AND ".join(conditions) or "1 = 1", ", ".join(columns)
    query = f"SELECT {listed}, count(*) AS n FROM {store.table(entity)} WHERE {there} GROUP BY {listed} HAVING count(*) > 1"
    one_to_one = any(set(relation.columns) == set(rule.columns) for relation in entity.relations)
    kind = "primary key" if rule.columns == entity.key else "one-to-one" if one_to_one else "unique"
    text = f"primary key ({', '.join(rule.columns)})" if kind == "primary key" else str(rule)
    found = SetRule(kind=kind, text=text, query=query, shown=(*rule.columns, *rule.expressions, "times"), keys=len(columns))
    if kind == "primary key" or not entity.key or not _there(entity, entity.key, store):
        return found
    inner = ", ".join(f"{column} AS c{number}" for number, column in enumerate(columns))
    same = " AND ".join(
        f"this.c{number} {'=' if rule.nulls_distinct else 'IS NOT DISTINCT FROM'} twice.c{number}"
        for number in range(len(columns))
    )
    keys = ", ".join(f"{quoted(column)} AS k{number}" for number, column in enumerate(entity.key))
    picked = ", ".join([f"this.k{number}" for number in range(len(entity.key))] + [f"this.c{n}" for n in range(len(columns))])
    twice = query.replace(f"SELECT {listed},", f"SELECT {inner},", 1)
    rows = f"(SELECT {keys}, {inner} FROM {store.table(entity)} WHERE {there}) AS this"
    return replace(found, named=SetRule(
        kind=kind, text=text, query=f"SELECT {picked} FROM {rows} JOIN ({twice}) AS twice ON {same}",
        shown=(*entity.key, *rule.columns, *rule.expressions), keys=len(entity.key),
        order=tuple(range(len(entity.key), len(entity.key) + len(columns))),
    ))  # fmt: skip


def _compared(field: Field, dialect: str | None, store: Store) -> str:
    """A column as the model's database compares it. SQLite knows no accents, and tells the case of letters beyond ASCII apart."""
    fold, column = fold_of(field.type, field.collation, dialect), quoted(field.name)
    if store.compares_as(dialect):
        return column
    if fold >= Fold.ACCENTS and store.dialect == "duckdb":
        column = f"strip_accents({column})"
    if fold >= Fold.CASE:
        column = f"lower({column})"
    return store.without_last_spaces(column) if fold >= Fold.SPACES else column


def _reference(world: World, entity: Entity, relation: Relation, store: Store) -> SetRule:
    target = world.entity(relation.target)
    on = " AND ".join(
        f"this.{quoted(a)} = other.{quoted(b)}" for a, b in zip(relation.columns, relation.target_columns, strict=True)
    )
    there = " AND ".join(f"this.{quoted(column)} IS NOT NULL" for column in relation.columns)
    shown = tuple(dict.fromkeys((*entity.key, *relation.columns)))
    listed = ", ".join(f"this.{quoted(column)}" for column in shown)
    found = f"other.{quoted(relation.target_columns[0])} IS NULL"
    source = f"{store.table(entity)} AS this LEFT JOIN {store.table(target)} AS other ON {on}"
    query = f"SELECT {listed} FROM {source} WHERE {there} AND {found}"
    return SetRule(
        kind="foreign key",
        text=f"{'+'.join(relation.columns)} refers to {relation.target}",
        query=query,
        shown=shown,
        keys=len(entity.key),
    )


def fixed_rules(entity: Entity, store: Store, stored: dict[str, str]) -> Iterator[tuple[str, str, dict[str, Any]]]:
    """For each fixed row: what it is called, a query that counts it, and its given values."""
    for row in entity.fixed:
        given = dict(row)
        parts = []
        for column, text in given.items():
            field = entity.field(column)
            if column not in stored or field.type.name in (TypeName.BYTEA, TypeName.ARRAY, TypeName.OTHER):
                continue
            if text is None:
                parts.append(f"{quoted(column)} IS NULL")
            elif field.type.name is TypeName.JSON:  # blanks between its parts mean nothing
                parts.append(store.same_json(quoted(column), store.literal(text, field.type)))
            else:
                parts.append(f"{quoted(column)} = {store.literal(text, field.type)}")
        key = ", ".join(f"{column} {given[column]}" for column in (entity.key or tuple(given)) if column in given)
        yield (
            f"fixed row {key} is there",
            f"SELECT count(*) FROM {store.table(entity)} WHERE {' AND '.join(parts) or '1 = 1'}",
            given,
        )
