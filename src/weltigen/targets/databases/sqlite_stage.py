"""Rows on their way into an SQLite database that is there: written by Arrow into files of ours, and taken over by SQL.

Twice as fast as prepared statements, since no value becomes a Python object. The database itself is opened by one library of
SQLite alone, Python's own (see `ArrowConnection`): the Arrow driver has closed a file before the other library attaches it.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from .sqlite_arrow import ArrowConnection

_FIRST = 500_000  # rows of the first file; each later one takes four times as many, so that ten files hold any run
_MOST = 8  # files that one transaction attaches; the usual build of SQLite allows ten


class Stage:
    """`path` gives the name of the file of a number; all of them go when the transaction has ended."""

    def __init__(self, connection: sqlite3.Connection, path: Callable[[int], Path]) -> None:
        self._connection, self._path = connection, path
        self._encoding = connection.execute("PRAGMA encoding").fetchone()[0]  # the same, or nothing can be attached
        self._files: list[Path] = []
        self._open: ArrowConnection | None = None
        self._tables: dict[str, tuple[str, str]] = {}  # the statement that takes its rows over, and the one that adds some
        self._rows = 0

    @staticmethod
    def fits(connection: sqlite3.Connection) -> bool:
        """Whether the library at hand can attach as many files."""
        return connection.getlimit(sqlite3.SQLITE_LIMIT_ATTACHED) > _MOST

    @property
    def full(self) -> bool:
        return self._rows >= _FIRST * 4 ** len(self._files) and len(self._files) + 1 < _MOST

    def add(self, entity: str, table: str, columns: Sequence[str], batch: Any) -> None:
        """Keep rows for a table, both it and its columns quoted as SQL wants them."""
        file = self._open or self._begin()
        if entity not in self._tables:
            kept = f"rows_{len(self._tables)}"
            names = ", ".join(f"c{number}" for number in range(len(columns)))
            file.execute(f"CREATE TABLE {kept} ({names})")  # no types: what comes is what is handed on
            taken = f"INSERT INTO {table} ({', '.join(columns)}) SELECT {names} FROM {{schema}}.{kept} ORDER BY rowid"
            self._tables[entity] = taken, f"INSERT INTO {kept} VALUES ({', '.join('?' * len(columns))})"
        file.insert(self._tables[entity][1], batch)
        self._rows += batch.num_rows

    def _begin(self) -> ArrowConnection:
        path = self._path(len(self._files))
        path.unlink(missing_ok=True)
        file = self._open = ArrowConnection(path)
        for statement in (f"PRAGMA encoding = '{self._encoding}'", "PRAGMA journal_mode = OFF", "PRAGMA synchronous = OFF"):
            file.execute(statement)
        file.execute("BEGIN")
        self._files.append(path)
        return file

    def hand_over(self, failed: Callable[[Exception, str], Exception]) -> None:
        """Put what was kept into its tables; `failed` makes of an error and an entity what is to be raised."""
        if self._open is None:
            return
        self._open.execute("COMMIT")
        self._open.close()
        self._open = None
        schema = f"weltigen_{len(self._files)}"
        self._connection.execute(f"ATTACH ? AS {schema}", (str(self._files[-1]),))
        for entity, (statement, _) in self._tables.items():
            try:
                self._connection.execute(statement.format(schema=schema))
            except sqlite3.Error as error:
                raise failed(error, entity) from None
        self._tables, self._rows = {}, 0

    def clear(self) -> None:
        """Let the files go: when the transaction that read them has ended, or the connection is closed."""
        if self._open is not None:
            self._open.close()
            self._open = None
        for number, path in enumerate(self._files, 1):
            with suppress(sqlite3.Error):  # not attached, or closed already
                self._connection.execute(f"DETACH weltigen_{number}")
            path.unlink(missing_ok=True)
        self._files, self._tables, self._rows = [], {}, 0
