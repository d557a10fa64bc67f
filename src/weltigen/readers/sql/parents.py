"""Tables that are made from another: LIKE it, inheriting from it, or as a partition of it."""

from __future__ import annotations

from dataclasses import replace

from ..drafts import TableDraft
from .cursor import Cursor
from .reading import Reading

_LIKE = frozenset({"DEFAULTS", "IDENTITY", "GENERATED", "COMMENTS", "CONSTRAINTS", "INDEXES"})


def like(reading: Reading, table: TableDraft, part: Cursor, whole: bool) -> None:
    """Columns as in another table: MySQL takes every rule but the references along, PostgreSQL what INCLUDING names."""
    source = reading.table(part)
    if source is None:
        return
    wanted = set(_LIKE) if whole else set()
    while word := part.take_any("INCLUDING", "EXCLUDING"):
        named = part.next().value.upper()
        options = _LIKE if named == "ALL" else {named}
        wanted = wanted | options if word == "INCLUDING" else wanted - options
    for field in source.fields:
        kept = replace(
            field,
            default=field.default if "DEFAULTS" in wanted else None,
            identity=field.identity and "IDENTITY" in wanted,
            generated=field.generated if "GENERATED" in wanted else None,
            comment=field.comment if "COMMENTS" in wanted else None,
            nullable=field.nullable and field.name not in source.key,
        )
        table.add_field(kept)
    if "CONSTRAINTS" in wanted:
        table.checks += source.checks
    if "INDEXES" in wanted:
        table.key = source.key
        table.uniques += [replace(u, name=None) for u in source.uniques]
        table.indexes += [replace(i, name=None) for i in source.indexes]


def inherit(reading: Reading, table: TableDraft, parent: Cursor) -> None:
    """PostgreSQL's INHERITS: the parent's columns first, and its checks; its keys and references are not inherited."""
    source = reading.table(parent)
    if source is None:
        return
    own = {f.name for f in table.fields}
    table.fields = [f for f in source.fields if f.name not in own] + table.fields
    table.checks = source.checks + table.checks


def partition(reading: Reading, cursor: Cursor) -> None:
    """A partition holds rows of its parent, which alone is an entity; its bounds become a rule of the parent."""
    parent = reading.table(cursor)
    if parent is not None:
        cursor.skip_group()
        partition_bounds(reading, parent, cursor)


def partition_bounds(reading: Reading, parent: TableDraft, cursor: Cursor) -> None:
    """Behind the partition's name: FOR VALUES …, or DEFAULT."""
    if cursor.take("DEFAULT"):
        parent.parts.append(None)
        return
    if not cursor.take("FOR", "VALUES"):
        return
    columns = parent.partitioned_by
    if cursor.take("IN") and len(columns) == 1:
        parent.parts.append(f"{columns[0]} IN ({cursor.group().text()})")
    elif cursor.take("FROM"):
        low = [item.text() for item in cursor.group().items()]
        high = [item.text() for item in cursor.group().items()] if cursor.take("TO") else []
        if len(columns) == len(low) == len(high) == 1:
            parts = [f"{columns[0]} >= {low[0]}"] * (low[0].upper() != "MINVALUE")
            parts += [f"{columns[0]} < {high[0]}"] * (high[0].upper() != "MAXVALUE")
            parent.parts.append(" AND ".join(parts) or None)
        else:
            reading.notice(f"{parent.name}: bounds of a partition over several columns", cursor.script.place(cursor.offset))
