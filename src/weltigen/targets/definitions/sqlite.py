"""The tables of a model as SQLAlchemy knows them, so that the dialect writes their definitions.

What SQLite does not keep is left out and told: checks and indexes with functions that it has not built in, defaults that it
cannot work out. Rows keep these all the same, and the audit checks them.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    Column,
    Computed,
    ForeignKeyConstraint,
    Index,
    Integer,
    MetaData,
    PrimaryKeyConstraint,
    Table,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects import sqlite
from sqlalchemy.schema import CreateIndex, CreateTable
from sqlalchemy.sql.elements import quoted_name
from sqlalchemy.types import UserDefinedType
from sqlglot import exp

from ...expression import NotEvaluableError, parse
from ...expression.canonical import written_for
from ...model import Entity, Field, OnDelete, Relation, TypeName, Unique, World
from ...model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from ...stored.names import literal, quoted

# the declared spelling is kept where SQLite gives it a fitting affinity, so that the model can be read back
_SPELLED = {
    TypeName.ENUM: "text",
    TypeName.TIMESTAMPTZ: "timestamp with time zone",
    TypeName.BYTEA: "blob",
    TypeName.ARRAY: "text",
    TypeName.OTHER: "text",
    TypeName.BIT: "text",  # any other spelling would make a number of 0101
    TypeName.INTERVAL: "text",
    TypeName.INET: "text",
    TypeName.MACADDR: "text",
}

_NOT_IN_SQLITE = (
    exp.RegexpLike, exp.RegexpILike, exp.SimilarTo, exp.Interval, exp.Extract, exp.TimestampTrunc, exp.DateTrunc, exp.Pad,
    exp.Repeat, exp.Reverse, exp.Concat, exp.ConcatWs, exp.Pow, exp.Sqrt, exp.Exp, exp.Ln,
    exp.Anonymous, exp.Array,
)  # fmt: skip


class _Spelled(UserDefinedType[Any]):
    """A type as it is to be written."""

    cache_ok = True

    def __init__(self, spelling: str) -> None:
        self.spelling = spelling

    def get_col_spec(self, **_: Any) -> str:
        return self.spelling


def definitions(world: World, entities: list[Entity]) -> Iterator[str]:
    """The statements that create the tables and unique indexes of some entities in SQLite, with every rule that it can keep."""
    metadata = MetaData()
    tables = {
        entity.name: _table(metadata, entity, world.dialect)
        for entity in {e.name: e for e in (*world.entities, *entities)}.values()
    }
    for entity in entities:
        for relation in entity.relations:
            if world.entity(relation.target).tells_apart(relation.target_columns):
                tables[entity.name].append_constraint(_reference(tables, relation))
    dialect = sqlite.dialect()
    names = {name.casefold() for name in tables}
    for entity in entities:
        table = tables[entity.name]
        yield str(CreateTable(table).compile(dialect=dialect))
        for index in _indexes(entity, table):
            index.name = quoted_name(_unlike(str(index.name), entity.name, names), None)
            yield str(CreateIndex(index).compile(dialect=dialect))


def _unlike(name: str, table: str, names: set[str]) -> str:
    """The name of an index, unlike those of all tables and indexes so far: other databases have names for each table alone."""
    while name.casefold() in names or name.casefold().startswith("sqlite_"):
        name = f"{table} {name}"
    names.add(name.casefold())
    return name


def left_out(world: World, entity: Entity) -> list[str]:
    """What a table in SQLite does not have of an entity's declaration, in words."""
    loose = [r for r in entity.relations if not world.entity(r.target).tells_apart(r.target_columns)]
    out = [f"{entity.name}: {check}" for check in entity.checks if to_sqlite(check.expression, check.dialect) is None]
    kept = {rule for rule, _, _ in _kept_rules(entity)}
    out += [f"{entity.name}: {rule}" for rule in entity.special_rules if rule not in kept]
    out += [f"reference {r.label} to {r.target} ({', '.join(r.target_columns)}), which is not unique" for r in loose]
    for field in entity.fields:
        if field.default is not None and field.generated is None and not _counts(entity, field) and to_default(field) is None:
            out.append(f"{entity.name}.{field.name}: default {field.default}")
    return out


def _counts(entity: Entity, field: Field) -> bool:
    return field.identity or (entity.key == (field.name,) and field.type.name in INTEGERS)


def to_default(field: Field) -> str | None:
    """A default in SQLite's words: a literal, or the present moment; None where it is anything else."""
    text = field.default or ""
    if re.fullmatch(r"(?i)(now\(\)|current_timestamp(\(\d?\))?|transaction_timestamp\(\)|localtimestamp)", text):
        return "CURRENT_TIMESTAMP"
    if re.fullmatch(r"(?i)current_(date|time)", text):
        return text.upper()
    if re.fullmatch(r"[-+]?\d+(\.\d+)?", text) and field.type.name in NUMBERS:
        return text
    if field.type.name is TypeName.BOOLEAN:
        known = {"true": "1", "t": "1", "1": "1", "b'1'": "1", "false": "0", "f": "0", "0": "0", "b'0'": "0"}
        return known.get(text.lower(), known.get(text.lower().strip("'")))
    if re.fullmatch(r"'(?:[^']|'')*'", text):
        return text
    plain = field.type.name in TEXTS | MOMENTS | {TypeName.ENUM, TypeName.UUID, TypeName.TIME} and re.fullmatch(
        r"[\w .:+-]+", text
    )
    return literal(text) if plain and "(" not in text else None


def _table(metadata: MetaData, entity: Entity, dialect: str | None) -> Table:
    rowid = entity.key[0] if len(entity.key) == 1 and entity.field(entity.key[0]).type.name in INTEGERS else None
    never_again = dialect == "sqlite" and rowid is not None and entity.field(rowid).identity
    parts: list[Any] = [_column(field, field.name == rowid, never_again) for field in entity.fields]
    if entity.key:
        parts.append(PrimaryKeyConstraint(*entity.key))
    parts += [
        UniqueConstraint(*rule.columns)
        for rule in entity.uniques if not rule.expressions and not rule.where and rule.columns != entity.key
    ]  # fmt: skip
    for check in entity.checks:
        expression = to_sqlite(check.expression, check.dialect)
        if expression is not None:
            parts.append(CheckConstraint(_literally(expression), name=check.name))
    for field in entity.fields:
        if field.type.name is TypeName.ENUM and field.type.values:
            values = ", ".join(map(literal, field.type.values))
            parts.append(CheckConstraint(_literally(f"{quoted(field.name)} IN ({values})")))
        if (limits := _type_limits(field)) is not None:
            parts.append(CheckConstraint(_literally(limits)))
    return Table(entity.name, metadata, *parts, sqlite_autoincrement=never_again)


def _type_limits(field: Field) -> str | None:
    """What a type's name does not say of its numbers in SQLite."""
    least, most, name = field.type.least, field.type.most, quoted(field.name)
    if least is None and most is None:
        return None
    return (
        f"{name} BETWEEN {least} AND {most}"
        if None not in (least, most)
        else f"{name} >= {least}"
        if most is None
        else f"{name} <= {most}"
    )


def _column(field: Field, rowid: bool, never_again: bool) -> Column[Any]:
    if rowid and never_again:  # SQLAlchemy writes AUTOINCREMENT behind a type of its own alone
        return Column(field.name, Integer(), nullable=False)
    spelling = "INTEGER" if rowid else _SPELLED.get(field.type.stored.name, str(field.type))
    if field.collation is not None and field.collation.upper() in ("NOCASE", "RTRIM"):
        spelling += f" COLLATE {field.collation.upper()}"
    if field.generated is not None:
        expression = to_sqlite(field.generated, None) or "NULL"
        return Column(field.name, _Spelled(spelling), Computed(_literally(expression), persisted=True))
    default = to_default(field) if field.default is not None and not rowid else None
    return Column(
        field.name, _Spelled(spelling), nullable=field.nullable, autoincrement=False,
        server_default=_literally(default) if default is not None else None,
    )  # fmt: skip


def _indexes(entity: Entity, table: Table) -> Iterator[Index]:
    """The unique indexes over expressions, or over some of the rows, that SQLite can keep; and one for the columns of each
    reference that no rule begins with, so that children are found and parents deleted quickly."""
    for number, (rule, parts, where) in enumerate(_kept_rules(entity)):
        listed: list[Any] = [*(table.c[name] for name in rule.columns), *(text(_escaped(f"({part})")) for part in parts)]
        name = rule.name or f"{entity.name} unique {number + 1}"
        yield Index(name, *listed, unique=True, sqlite_where=text(_escaped(where)) if where else None, _table=table)

    begun = {rule.columns[:n] for rule in entity.unique_rules for n in range(1, len(rule.columns) + 1)}
    for declared in entity.indexes:
        kept = [to_sqlite(expression, None) for expression in declared.expressions]
        condition = to_sqlite(declared.where, None) if declared.where else ""
        if None in kept or condition is None:
            continue
        begun |= {declared.columns[:n] for n in range(1, len(declared.columns) + 1)} if not condition else set()
        listed = [*(table.c[name] for name in declared.columns), *(text(_escaped(f"({part})")) for part in kept)]
        name = declared.name or f"{entity.name} by {' '.join((*declared.columns, *declared.expressions))}"
        yield Index(name, *listed, sqlite_where=text(_escaped(condition)) if condition else None, _table=table)
    for relation in entity.relations:
        if relation.columns not in begun:
            begun.add(relation.columns)
            name = f"{entity.name} by {' '.join(relation.columns)}"
            yield Index(name, *(table.c[column] for column in relation.columns), _table=table)


def _kept_rules(entity: Entity) -> list[tuple[Unique, list[str], str]]:
    """The rules over expressions or some rows that SQLite keeps, with their parts and their condition in its words."""
    out = []
    for rule in entity.special_rules:
        parts = [to_sqlite(expression, None) for expression in rule.expressions]
        where = to_sqlite(rule.where, None) if rule.where else ""
        if None not in parts and where is not None and rule.nulls_distinct:
            out.append((rule, [part for part in parts if part is not None], where))
    return out


def _reference(tables: dict[str, Table], relation: Relation) -> ForeignKeyConstraint:
    def action(event: OnDelete) -> str | None:
        return str(event.upper()) if event is not OnDelete.NO_ACTION else None

    target = tables[relation.target]
    return ForeignKeyConstraint(
        list(relation.columns), [target.c[name] for name in relation.target_columns],
        ondelete=action(relation.on_delete), onupdate=action(relation.on_update), match="FULL" if relation.match_full else None,
        deferrable=True if relation.deferrable else None, initially="DEFERRED" if relation.initially_deferred else None,
    )  # fmt: skip


def _literally(expression: str) -> Any:
    return text(_escaped(expression))


def _escaped(expression: str) -> str:
    """An expression in which no colon is taken for the beginning of a parameter."""
    return re.sub(r"(?<!:):(?=\w)", r"\\:", expression)


def to_sqlite(expression: str, dialect: str | None) -> str | None:
    """The condition in SQLite's dialect; None where it uses what SQLite does not have built in, or reads other rows."""
    try:
        parsed = parse(expression, dialect)
    except NotEvaluableError:
        return None
    beyond = parsed.aggregates or any("." in path for path in parsed.paths)
    if beyond or parsed.tree.find(*_NOT_IN_SQLITE) is not None:
        return None
    lacking = written_for(parsed.tree, "sqlite").find(exp.Left, exp.Right, exp.StartsWith)  # no substr() says the same
    return None if lacking is not None else parsed.sql("sqlite")
