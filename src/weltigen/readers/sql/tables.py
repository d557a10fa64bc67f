"""CREATE TABLE: its columns, its rules, and the tables that it is made like."""

from __future__ import annotations

from ...model import Problem
from ..drafts import TableDraft
from .columns import column
from .cursor import Cursor
from .parents import inherit, like, partition
from .reading import Reading, names_in
from .rules import add_check, index, reference, skip_to_group, unique


def create_table(reading: Reading, cursor: Cursor) -> None:
    """Behind CREATE … TABLE."""
    exists = cursor.take("IF", "NOT", "EXISTS")
    place = cursor.place()
    schema, name = reading.table_name(cursor, made=True)
    folds = reading.script.dialect.folds_case  # there "Port" and port are two tables
    if (known := reading.draft.find(name)) is not None and (
        known.name == name or (known.name.lower() == name.lower() and not folds)
    ):
        if not exists and not reading.lenient:
            reading.draft.problems.append(Problem(fact=f"table '{name}' is declared twice", place=place))
        return
    table = TableDraft(name=name, place=place, schema=schema)
    if cursor.take("PARTITION", "OF"):
        partition(reading, cursor)
        return
    if cursor.take("LIKE"):
        like(reading, table, cursor, whole=True)
    elif cursor.sees("("):
        body = cursor.group()
        for part in body.items():
            if part:
                table_part(reading, table, part)
    if not table.fields and _selected(cursor):
        reading.notice(f"table {name} is made by a query or a type, so its columns are not known", place)
        return
    if cursor.take("INHERITS"):
        for parent in cursor.group().items():
            inherit(reading, table, parent)
    if not table.fields:
        reading.draft.problems.append(Problem(fact=f"table '{name}' has no columns", place=place))
        return
    _options(table, cursor)
    reading.draft.add(table)


def _selected(cursor: Cursor) -> bool:
    return cursor.sees("AS") or cursor.sees("SELECT") or cursor.sees("WITH") or cursor.sees("OF") or not cursor


def _options(table: TableDraft, cursor: Cursor) -> None:
    """What stands behind the parentheses: MySQL's comment and collation, or how PostgreSQL partitions the table."""
    while cursor:
        if cursor.take("PARTITION", "BY"):
            cursor.take_any("RANGE", "LIST", "HASH")
            if cursor.sees("("):
                table.partitioned_by = tuple(item.text() for item in cursor.group().items())
            continue
        if cursor.take("COLLATE"):
            cursor.take("=")
            table.collation = cursor.next().value
            continue
        if cursor.take("COMMENT"):
            cursor.take("=")
            if cursor.peek().kind == "text":
                table.comment = cursor.next().value
            continue
        cursor.next()


_BEGIN_RULES = frozenset("CONSTRAINT PRIMARY UNIQUE CHECK FOREIGN EXCLUDE LIKE FULLTEXT SPATIAL PERIOD KEY INDEX".split())


def table_part(reading: Reading, table: TableDraft, part: Cursor) -> None:
    """One element between the parentheses, or behind ADD."""
    if part.word() not in _BEGIN_RULES:
        column(reading, table, part)
        return
    name: str | None = None
    place = part.place()
    mysql = reading.script.dialect.backslashes
    if part.take("CONSTRAINT"):
        if part.word() not in ("PRIMARY", "UNIQUE", "CHECK", "FOREIGN", "EXCLUDE", "NOT") or part.word(1) in (
            "UNIQUE",
            "CHECK",
            "FOREIGN",
        ):
            name = part.name()
        if part.take("NOT", "NULL"):
            table.replace_field(part.name(), nullable=False)
            return
    word = part.word()
    follows = part.word(1)
    if word == "PRIMARY" and follows == "KEY":
        part.at += 2
        if part.take("USING", "INDEX"):
            known = part.name()
            promoted = next((u for u in table.uniques if (u.name or "").lower() == known.lower()), None)
            table.key, table.key_name = promoted.columns if promoted else table.key, name or known
            return
        skip_to_group(part)
        table.key, table.key_name = names_in(part.group()), name
    elif word == "UNIQUE" and (
        part.sees("UNIQUE", "(") or not part.is_name(2) or follows in ("KEY", "INDEX", "NULLS", "USING") or mysql
    ):
        part.next()
        unique(reading, table, part, name, place)
    elif word == "CHECK" and part.sees("CHECK", "("):
        part.next()
        add_check(reading, table, part.group().text(), name, place)
    elif word == "FOREIGN" and follows == "KEY":
        part.at += 2
        if not part.sees("("):  # MySQL's name of the index, which counts where the constraint has none
            index_name = part.name()
            name = name or index_name
        columns = names_in(part.group())
        part.take("REFERENCES")
        reference(reading, table, columns, part, name, place)
    elif word == "EXCLUDE" and part.word(1) in ("USING", ""):
        reading.notice(f"{table.name}: {part.text()}: rows may break it", place)
    elif word == "LIKE":
        part.next()
        like(reading, table, part, whole=False)
    elif word in ("FULLTEXT", "SPATIAL", "PERIOD") and part.is_name(1):
        pass
    elif mysql and word in ("KEY", "INDEX"):
        part.next()
        index(table, part, place)
    elif name is None:
        column(reading, table, part)
    else:
        reading.notice(f"{table.name}: {part.text(0)}", place)
