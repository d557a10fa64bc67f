"""An SQLite file: tables made from the model, foreign keys enforced, all rows in one transaction or none."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ..model import Entity
from ..model.problems import RefusedError, TargetError, UnreadableError
from ..plan import Plan
from ..readers import receipt_path
from ..readers.sqlite_file import open_to_read, take_back
from .receipt import Receipt
from .sqlite_ddl import create_indexes, create_table, quoted, table_name
from .there import refuse_others


class SqliteTarget:
    """A file that is not there yet is written under another name and renamed when whole; in one that is there, empty or
    missing tables are filled in one transaction. A table that holds rows is never touched."""

    def __init__(self, path: Path) -> None:
        self.path, self.name = path, str(path)
        self._draft: Path | None = None
        self._connection: sqlite3.Connection | None = None
        self._inserts: dict[str, str] = {}

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        exists = self.path.exists()
        if self.path.is_dir():
            raise RefusedError(f"{self.path} is a folder; a file was meant", hint="nothing was changed")
        tables = _tables(self.path) if exists else {}
        if there is None:
            self._refuse_rows(plan, tables)
        else:
            refuse_others(str(self.path), there, tables)
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            if not exists:
                self._draft = self.path.with_name(f".{self.path.name}.{os.getpid()}.partial")
                self._draft.unlink(missing_ok=True)
            connection = self._connection = sqlite3.connect(
                self._draft or self.path, isolation_level=None, check_same_thread=False
            )
            if self._draft is not None:
                connection.execute("PRAGMA journal_mode = OFF")  # nothing to go back to: an unfinished draft is deleted
                connection.execute("PRAGMA synchronous = OFF")
            connection.execute("PRAGMA foreign_keys = ON")
            connection.execute("BEGIN")
            connection.execute("PRAGMA defer_foreign_keys = ON")  # circles of references hold at the end
            for name in plan.order:
                if name not in tables:
                    connection.execute(create_table(plan.entities[name].entity))
                    for statement in create_indexes(plan.entities[name].entity):
                        connection.execute(statement)
        except (sqlite3.Error, OSError) as error:
            self.abandon()
            raise TargetError(f"{self.path}: {error}") from None
        for name in plan.order:
            columns = plan.entities[name].columns
            marks = ", ".join("?" * len(columns))
            self._inserts[name] = f"INSERT INTO {table_name(name)} ({', '.join(map(quoted, columns))}) VALUES ({marks})"

    def _refuse_rows(self, plan: Plan, tables: dict[str, int]) -> None:
        held = {name: tables[name] for name in plan.order if tables.get(name)}
        if held:
            others = [
                f"{name} {rows:,} (not in the world, never touched)" for name, rows in tables.items() if name not in plan.entities
            ]
            listed = " · ".join([f"{name} {rows:,}" for name, rows in held.items()] + others)
            raise RefusedError(
                f"{self.path} holds rows; nothing was changed: {listed}",
                hint="choose another file, or remove this one first; --on-rows append adds rows",
            )

    def convert(self, entity: str, batch: Any) -> Any:
        return list(zip(*(_python_values(column) for column in batch.columns), strict=True))

    def write(self, entity: str, converted: Any) -> None:
        assert self._connection is not None
        try:
            self._connection.executemany(self._inserts[entity], converted)
        except sqlite3.Error as error:
            raise TargetError(f"{self.path}: {entity}: {error}; nothing was kept") from None

    def finish(self, receipt: Receipt) -> None:
        assert self._connection is not None
        beside = receipt_path(self.path)
        written = beside.with_name(f".{beside.name}.{os.getpid()}.partial")
        written.write_text(receipt.to_json(), "utf-8")
        try:
            self._connection.execute("COMMIT")
        except sqlite3.Error as error:
            written.unlink()
            raise TargetError(f"{self.path}: {error}; nothing was kept") from None
        self._connection.close()
        self._connection = None
        if self._draft is not None:
            if self.path.exists():
                written.unlink()
                raise RefusedError(f"{self.path} appeared while it was being written; it was left alone")
            self._draft.rename(self.path)
            self._draft = None
        written.rename(beside)

    def abandon(self) -> None:
        if self._connection is not None:
            connection, self._connection = self._connection, None
            try:
                if connection.in_transaction and self._draft is None:
                    connection.execute("ROLLBACK")
            except sqlite3.Error:
                pass  # on a full disk; the journal is there, and whoever opens the file next goes back by it
            finally:
                connection.close()
            if self._draft is None:
                take_back(self.path)
        if self._draft is not None:
            self._draft.unlink(missing_ok=True)
            self._draft = None


def _tables(path: Path) -> dict[str, int]:
    """The tables of a file and how many rows each holds."""
    connection = open_to_read(path)
    try:
        names = [
            n for (n,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'")
        ]
        return {name: connection.execute(f"SELECT count(*) FROM {quoted(name)}").fetchone()[0] for name in names}
    except sqlite3.OperationalError as error:
        if "locked" not in str(error):
            raise UnreadableError(f"{path}: {error}; nothing was changed") from None
        raise RefusedError(
            f"another program is at work in {path} ({error}); nothing was changed", hint="try again when it is done"
        ) from None
    except sqlite3.DatabaseError as error:
        raise UnreadableError(f"{path} is no SQLite database ({error}); nothing was changed") from None
    finally:
        connection.close()


def _python_values(column: Any) -> list[Any]:
    """A column as SQLite stores it: times and decimals as text, which numeric columns turn into numbers."""
    kind = column.type
    if pa.types.is_timestamp(kind):
        naive = column.cast(pa.timestamp("us"))
        whole = (
            pc.all(pc.equal(pc.microsecond(naive), 0)).as_py() is not False
            and pc.all(pc.equal(pc.millisecond(naive), 0)).as_py() is not False
        )
        text = (naive.cast(pa.timestamp("s")) if whole else naive).cast(pa.string())
        column = pc.binary_join_element_wise(text, "+00:00", "") if kind.tz is not None else text
    elif pa.types.is_date(kind) or pa.types.is_time(kind) or pa.types.is_decimal(kind):
        column = column.cast(pa.string())
    elif pa.types.is_boolean(kind):
        column = column.cast(pa.int8())
    elif pa.types.is_list(kind):
        return [None if value is None else str(value) for value in column.to_pylist()]
    if not column.null_count and pa.types.is_integer(column.type):
        values: list[Any] = column.to_numpy(zero_copy_only=False).tolist()
        return values
    listed: list[Any] = column.to_pylist()
    return listed


def read_sqlite_table(path: Path, entity: Entity) -> Any:
    """One table as an Arrow table; a stored value that does not fit its field's type is shown as text."""
    connection = open_to_read(path)
    fields = [f for f in entity.fields if f.generated is None]
    try:
        rows = connection.execute(f"SELECT {', '.join(quoted(f.name) for f in fields)} FROM {table_name(entity.name)}").fetchall()
    except sqlite3.Error as error:
        raise UnreadableError(f"{path}: {error}") from None
    finally:
        connection.close()
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(fields)
    return pa.table({f.name: _typed(values, f.type.arrow()) for f, values in zip(fields, columns, strict=True)})


def _typed(values: Any, arrow: Any) -> Any:
    try:
        if pa.types.is_boolean(arrow):
            return pa.array([None if v is None else bool(v) for v in values], arrow)
        if pa.types.is_decimal(arrow) or pa.types.is_temporal(arrow):
            text = pa.array([None if v is None else str(v) for v in values], pa.string())
            return text.cast(pa.float64()).cast(arrow) if pa.types.is_decimal(arrow) else text.cast(arrow)
        return pa.array(values, arrow)
    except (pa.ArrowException, TypeError, ValueError, OverflowError):
        return pa.array([None if v is None else str(v) for v in values], pa.string())
