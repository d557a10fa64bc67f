"""One source of SQL, statement by statement, into a world.

The grammar of data definitions is our own, over tokens: it passes over words that it does not know, keeps every place, and
reads a thousand tables in a second. Expressions inside it are left as texts, which sqlglot parses where they are needed.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ...model import Place, Problem, World
from ...model.problems import UnreadableError
from .changes import add_geometry, alter_table
from .cursor import Cursor
from .dialects import DIALECTS, dialect_named, foreign_database, guess_dialect
from .from_checks import told_by_checks
from .mysql_types import with_whole_years, with_wide_numbers
from .objects import alter_type, comment_on, create_domain, create_index, create_type, drop, rename_tables
from .reading import Reading
from .rows import read_copy, read_insert
from .tables import create_table
from .tokens import Script, Statement

# statements that say nothing about the model and are not worth a word
_QUIET = frozenset(
    "USE PRAGMA BEGIN COMMIT START END SAVEPOINT RELEASE ROLLBACK LOCK UNLOCK ANALYZE ANALYSE VACUUM SELECT SHOW RESET GO "
    "CONNECT FLUSH CLOSE DISCARD".split()
)


def read_ddl(sql: str, file: str, dialect: str | None = None, *, lines: bool = True) -> World:
    """The world that SQL text declares; UnreadableError with line and column where it does not hold together.

    `lines` is false for text that a database's catalogue gave, in which a line number would mean nothing.
    """
    if dialect is None and (foreign := foreign_database(sql)) is not None:
        raise UnreadableError(Problem(
            fact=f"this is {foreign}'s SQL, which is not read here", place=Place(file=file),
            hint=f"these are read: {', '.join(DIALECTS[:-1])}; --dialect reads it as one of them all the same",
        ))  # fmt: skip
    dialect = dialect or guess_dialect(sql, Path(file).name)
    reading = Reading(Script(sql, file, dialect_named(dialect), lines))
    reading.draft.dialect = reading.script.dialect.sqlglot
    for statement in reading.script.statements():
        _read(reading, statement)
    draft = reading.draft
    draft.spelled = reading.script.spelled
    if not draft.tables and not draft.problems:
        odd = next((note for note in draft.notices if not note.stepped_over), draft.notices[0] if draft.notices else None)
        raise UnreadableError(Problem(
            fact=f"no table is declared here; only this: {odd.what}" if odd else "no table is declared here",
            place=odd.place if odd else Place(file=file), hint=f"a model needs at least one CREATE TABLE; read as {dialect}",
        ))  # fmt: skip
    if reading.script.dialect.sqlglot == "mysql":
        for table in draft.tables:
            with_whole_years(table)
        with_wide_numbers(draft.tables)
    told_by_checks(reading)
    return draft.freeze(file, dialect)


def _read(reading: Reading, statement: Statement) -> None:
    cursor = Cursor(reading.script, statement.tokens)
    first = cursor.word()
    if first in ("CREATE", "ALTER", "DROP", "COMMENT", "RENAME"):
        cursor.next()
        _DEFINITIONS[first](reading, cursor)
    elif first in ("INSERT", "REPLACE"):
        cursor.next()
        read_insert(reading, statement, cursor)
    elif first == "COPY" and statement.rows is not None:
        cursor.next()
        read_copy(reading, statement, cursor)
    elif first == "DO":
        _do_block(reading, cursor)
    elif first == "WITH" or first in ("UPDATE", "DELETE", "TRUNCATE", "MERGE", "COPY", "LOAD"):
        reading.step_over(cursor, stepped_over=False)
    elif first == "SET":
        cursor.next()
        reading.search(cursor)
    elif first == "SELECT" and cursor.word(1) == "ADDGEOMETRYCOLUMN":
        add_geometry(reading, cursor)
    elif first not in _QUIET:
        reading.step_over(cursor, stepped_over=first in _STEPPED_OVER)


_STEPPED_OVER = frozenset(
    {"GRANT", "REVOKE", "CALL", "EXECUTE", "SECURITY", "NOTIFY", "PREPARE", "DEALLOCATE", "REFRESH", "REINDEX", "CLUSTER"}
)


def _create(reading: Reading, cursor: Cursor) -> None:
    cursor.take("OR", "REPLACE")
    temporary = cursor.take_any("TEMP", "TEMPORARY", "UNLOGGED", "GLOBAL", "LOCAL", "FOREIGN", "VIRTUAL")
    temporary = cursor.take_any("TEMP", "TEMPORARY") or temporary
    if cursor.take("TABLE"):
        if temporary in ("TEMP", "TEMPORARY", "VIRTUAL"):
            reading.step_over(cursor)
        else:
            create_table(reading, cursor)
    elif cursor.take("UNIQUE"):
        cursor.take_any("CLUSTERED", "NONCLUSTERED")
        cursor.take("INDEX")
        create_index(reading, cursor, unique=True)
    elif cursor.take("INDEX"):
        create_index(reading, cursor, unique=False)
    elif cursor.take("TYPE"):
        create_type(reading, cursor)
    elif cursor.take("DOMAIN"):
        create_domain(reading, cursor)
    elif cursor.word() not in (
        "SEQUENCE",
        "SCHEMA",
        "DATABASE",
        "EXTENSION",
        "FULLTEXT",
        "SPATIAL",
        "COLLATION",
        "STATISTICS",
    ):
        reading.step_over(cursor, stepped_over=cursor.word() in _SHAPELESS)


# what CREATE makes beside tables and what they are made of; any other word is none that we know
_SHAPELESS = frozenset(
    "VIEW MATERIALIZED RECURSIVE FUNCTION PROCEDURE TRIGGER CONSTRAINT EVENT RULE ROLE USER AGGREGATE CAST OPERATOR POLICY"
    " PUBLICATION SUBSCRIPTION SERVER LANGUAGE TABLESPACE CONVERSION ACCESS TEXT TRANSFORM DEFINER ALGORITHM SQL EVENT"
    " PACKAGE LOGFILE GROUP FORCE EDITIONABLE SYNONYM ASSERTION TRUSTED PROCEDURAL".split()
)


def _alter(reading: Reading, cursor: Cursor) -> None:
    cursor.take_any("IGNORE", "FOREIGN", "ONLINE")
    if cursor.take("TABLE"):
        alter_table(reading, cursor)
    elif cursor.take("TYPE"):
        alter_type(reading, cursor)
    elif cursor.take("DOMAIN"):
        reading.step_over(cursor, stepped_over=False)


def _rename(reading: Reading, cursor: Cursor) -> None:
    if cursor.take("TABLE"):
        rename_tables(reading, cursor)


_DEFINITIONS: dict[str, Callable[[Reading, Cursor], None]] = {
    "CREATE": _create, "ALTER": _alter, "DROP": drop, "COMMENT": comment_on, "RENAME": _rename,
}  # fmt: skip

_BEGINS = frozenset({"CREATE", "ALTER", "DROP", "COMMENT", "INSERT"})


def _do_block(reading: Reading, cursor: Cursor) -> None:
    """PostgreSQL's DO: definitions written out in its body are read; conditions are not evaluated, so what exists may stay."""
    body = next((t for t in cursor.tokens if t.kind == "text"), None)
    if body is None:
        return
    start = reading.script.sql.index(body.value, body.start) if body.value else body.start
    tokens = list(reading.script.tokens(start, start + len(body.value)))
    reading.lenient, found = True, 0
    try:
        for at, token in enumerate(tokens):
            word = token.value.upper() if token.kind == "word" else ""
            before = tokens[at - 1].value.upper() if at else ";"
            if before not in (";", "BEGIN", "THEN", "ELSE", "LOOP"):
                continue
            stop = next((i for i in range(at, len(tokens)) if tokens[i].kind == "sign" and tokens[i].value == ";"), len(tokens))
            if word in _BEGINS - {"INSERT"}:
                _read(reading, Statement(tokens[at:stop]))
                found += 1
            elif word == "EXECUTE" and at + 2 == stop and tokens[at + 1].kind == "text":
                part = Reading(Script(tokens[at + 1].value, reading.script.file, reading.script.dialect, lines=False),
                               reading.draft, reading.types, lenient=True)  # fmt: skip
                for statement in part.script.statements():
                    _read(part, statement)
                found += 1
    finally:
        reading.lenient = False
    if not found:
        reading.step_over(cursor)
