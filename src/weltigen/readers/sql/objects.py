"""Types, domains, indexes, comments, and what is dropped."""

from __future__ import annotations

from dataclasses import replace

from ...model import Index, Unique
from .changes import rename_table
from .columns import plain_default
from .cursor import Cursor
from .reading import Reading
from .rules import index_parts
from .types import Domain, read_type


def create_index(reading: Reading, cursor: Cursor, *, unique: bool) -> None:
    """Behind CREATE INDEX. One that is not unique may also be of a view, which is nothing to us."""
    place = cursor.place()
    cursor.take("CONCURRENTLY")
    exists = cursor.take("IF", "NOT", "EXISTS") or reading.lenient
    name = None if cursor.sees("ON") else cursor.qualified()[1]
    while cursor and not cursor.take("ON"):
        cursor.next()
    cursor.take("ONLY")
    table = reading.table(cursor) if unique else reading.draft.find(reading.table_name(cursor)[1])
    if table is None:
        return
    while cursor and not cursor.sees("("):
        cursor.next()
    columns, expressions = index_parts(cursor.group(), rules_out=unique)
    where, distinct = None, True
    while cursor:
        if cursor.take("NULLS", "NOT", "DISTINCT"):
            distinct = False
        elif cursor.take("WHERE"):
            where = _bare(cursor.text())
            break
        else:
            cursor.next()
    if exists and name and name in [*(u.name for u in table.uniques), *(i.name for i in table.indexes)]:
        return
    if not unique:
        table.indexes.append(Index(columns=columns, expressions=expressions, where=where, name=name, place=place))
        return
    table.uniques.append(
        Unique(columns=columns, expressions=expressions, where=where, nulls_distinct=distinct, name=name, place=place)
    )


def _bare(text: str) -> str:
    """Without parentheses around the whole."""
    while text.startswith("(") and text.endswith(")"):
        depth = 0
        for at, character in enumerate(text):
            depth += {"(": 1, ")": -1}.get(character, 0)
            if depth == 0 and at < len(text) - 1:
                return text
        text = text[1:-1].strip()
    return text


def create_type(reading: Reading, cursor: Cursor) -> None:
    """Behind CREATE TYPE: an enumeration, or something that we only know by its name."""
    schema, name = cursor.qualified()
    if cursor.take("AS", "ENUM"):
        values = tuple(item.peek().value for item in cursor.group().items() if item)
        for key in _keys(schema, name):
            reading.types.enums[key] = values
        return
    for key in _keys(schema, name):
        reading.types.others.add(key)
    reading.step_over(cursor)


def _keys(schema: str | None, name: str) -> tuple[str, ...]:
    return (name, f"{schema}.{name}") if schema else (name,)


def create_domain(reading: Reading, cursor: Cursor) -> None:
    """Behind CREATE DOMAIN."""
    schema, name = cursor.qualified()
    cursor.take("AS")
    spelled = read_type(cursor, reading.types)
    under = spelled.domain or Domain(type=spelled.type)
    checks = [*under.checks]
    nullable, default, constraint = under.nullable, under.default, None
    while cursor:
        if cursor.take("CONSTRAINT"):
            constraint = cursor.name()
            continue
        if cursor.take("NOT", "NULL"):
            nullable = False
        elif cursor.take("DEFAULT"):
            default = plain_default(cursor.expression(frozenset({"NOT", "NULL", "CHECK", "CONSTRAINT", "COLLATE"})))
        elif cursor.sees("CHECK", "("):
            cursor.next()
            checks.append((constraint, cursor.group().text()))
        else:
            cursor.next()
        constraint = None
    domain = Domain(type=spelled.type, nullable=nullable, default=default, checks=tuple(checks))
    for key in _keys(schema, name):
        reading.types.domains[key] = domain


def alter_type(reading: Reading, cursor: Cursor) -> None:
    """Behind ALTER TYPE: values added to or renamed in an enumeration, also where columns have it already."""
    schema, name = cursor.qualified()
    values = reading.types.enums.get(name)
    if values is None:
        reading.step_over(cursor)
        return
    changed = values
    if cursor.take("ADD", "VALUE"):
        cursor.take("IF", "NOT", "EXISTS")
        value = cursor.next().value
        side = cursor.take_any("BEFORE", "AFTER")
        at = values.index(cursor.peek().value) + (side == "AFTER") if side and cursor.peek().value in values else len(values)
        changed = values if value in values else (*values[:at], value, *values[at:])
    elif cursor.take("RENAME", "VALUE"):
        old = cursor.next().value
        cursor.take("TO")
        new = cursor.next().value
        changed = tuple(new if value == old else value for value in values)
    elif cursor.take("RENAME", "TO"):
        reading.types.enums[cursor.name()] = values
    for key in _keys(schema, name):
        reading.types.enums[key] = changed
    for table in reading.draft.tables:
        table.fields = [
            replace(f, type=replace(f.type, values=changed)) if values == f.type.values and values else f for f in table.fields
        ]


def comment_on(reading: Reading, cursor: Cursor) -> None:
    """Behind COMMENT."""
    cursor.take("ON")
    what = cursor.take_any("TABLE", "COLUMN")
    if not what:
        return
    names = [cursor.name()]
    while cursor.take("."):
        names.append(cursor.name())
    cursor.take("IS")
    text = cursor.peek().value if cursor.peek().kind == "text" else None
    column = names.pop() if what == "COLUMN" and len(names) > 1 else None
    table = reading.draft.find(".".join(names)) or reading.draft.find(names[-1])
    if table is None:
        return
    if column is None:
        table.comment = text
    else:
        table.replace_field(column, comment=text)


def drop(reading: Reading, cursor: Cursor) -> None:
    """Behind DROP."""
    what = cursor.take_any("TABLE", "INDEX", "TYPE", "DOMAIN", "TEMPORARY", "SCHEMA")
    cursor.take("TABLE")
    cursor.take("CONCURRENTLY")
    cursor.take("IF", "EXISTS")
    if what not in ("TABLE", "INDEX", "TYPE", "DOMAIN", "SCHEMA"):
        return
    for item in cursor.items():
        if not item.is_name():
            continue
        if what == "TABLE":
            table = reading.draft.find(reading.table_name(item)[1])
            if table is not None:
                reading.draft.drop(table)
            continue
        schema, name = item.qualified()
        if what == "SCHEMA":
            for table in [t for t in reading.draft.tables if t.schema == name]:
                reading.draft.drop(table)
        elif what == "INDEX":
            for table in reading.draft.tables:
                table.uniques = [u for u in table.uniques if (u.name or "").lower() != name.lower()]
                table.indexes = [i for i in table.indexes if (i.name or "").lower() != name.lower()]
        else:
            for key in _keys(schema, name):
                reading.types.enums.pop(key, None)
                reading.types.domains.pop(key, None)
                reading.types.others.discard(key)


def rename_tables(reading: Reading, cursor: Cursor) -> None:
    """Behind MySQL's RENAME TABLE: pairs of names."""
    for item in cursor.items():
        table = reading.table(item)
        if table is not None and item.take("TO"):
            rename_table(reading, table, item)
