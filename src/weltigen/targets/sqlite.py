"""An SQLite file: tables made from the model, foreign keys enforced, all rows in one transaction or none."""

from __future__ import annotations

import os
import sqlite3
from collections import Counter
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ..model.phrases import plural
from ..model.problems import RefusedError, TargetError, UsageError
from ..plan import Plan
from ..stored.names import quoted
from ..stored.receipts import Receipt, receipt_path
from ..stored.sqlite import digits_lost, python_values, table_counts
from ..stored.sqlite_files import take_back
from .append_guard import refuse_changed_rows
from .definitions import definitions, left_out
from .locks import Lock


class SqliteTarget:
    """A file that is not there yet is written under another name and renamed when whole; in one that is there, empty or
    missing tables are filled in one transaction. A table that holds rows is never touched."""

    def __init__(self, path: Path) -> None:
        self.path, self.name = path, str(path)
        self._draft: Path | None = None
        self._lock = Lock(path)
        self.notes: tuple[str, ...] = ()
        self._connection: sqlite3.Connection | None = None
        self._inserts: dict[str, str] = {}
        self._lost: Counter[tuple[str, str]] = Counter()  # values of a field that differ in the float that SQLite stores

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        _refuse_one_name(plan)
        exists = self.path.exists()
        if self.path.is_dir():
            raise RefusedError(f"{self.path} is a folder; a file was meant", hint="nothing was changed")
        if not self.path.parent.is_dir():
            raise UsageError(
                f"there is no folder {self.path.parent} to make {self.path.name} in", hint=f"mkdir -p {self.path.parent}"
            )
        self._lock.take()
        try:
            self._open(plan, there, exists)
        except BaseException:
            self._lock.release()
            raise

    def _open(self, plan: Plan, there: Mapping[str, int] | None, exists: bool) -> None:
        tables = table_counts(self.path) if exists else {}
        if there is None:
            self._refuse_rows(plan, tables)
        else:
            refuse_changed_rows(str(self.path), there, tables)
        try:
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
            missing = [plan.entities[name].entity for name in plan.order if name not in tables]
            self.notes = tuple(note for entity in missing for note in left_out(plan.world, entity))
            for statement in definitions(plan.world, missing):
                connection.execute(statement)
        except (sqlite3.Error, OSError) as error:
            self.abandon()
            raise TargetError(f"{self.path}: {error}") from None
        for name in plan.order:
            columns = plan.entities[name].columns
            marks = ", ".join("?" * len(columns))
            self._inserts[name] = f"INSERT INTO {quoted(name)} ({', '.join(map(quoted, columns))}) VALUES ({marks})"

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
        lost = {name: n for name, column in zip(batch.schema.names, batch.columns, strict=True) if (n := digits_lost(column))}
        return list(zip(*(python_values(column) for column in batch.columns), strict=True)), lost

    def write(self, entity: str, converted: Any) -> None:
        assert self._connection is not None
        rows, lost = converted
        self._lost.update({(entity, name): number for name, number in lost.items()})
        try:
            self._connection.executemany(self._inserts[entity], rows)
        except sqlite3.IntegrityError as error:
            if lost:
                names = ", ".join(sorted(lost))
                raise TargetError(
                    f"{self.path}: {entity}: {error}; nothing was kept",
                    hint=f"SQLite stores decimals as floats, which have not all digits of {names}: a folder of files keeps them",
                ) from None
            raise TargetError(
                f"{self.path}: {entity}: {error}; nothing was kept",
                hint="rows that break a rule of the model are a fault in weltigen, not in the model: please report it",
            ) from None
        except sqlite3.Error as error:
            raise TargetError(f"{self.path}: {entity}: {error}; nothing was kept") from None

    def complete(self, entity: str) -> None:
        pass  # everything is committed together

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
        self.notes += tuple(
            f"{entity}.{field}: the last digits of {plural(number, 'value')}: SQLite stores decimals as floats"
            for (entity, field), number in self._lost.items()
        )
        if self._draft is not None:
            if self.path.exists():
                written.unlink()
                raise RefusedError(f"{self.path} appeared while it was being written; it was left alone")
            self._draft.rename(self.path)
            self._draft = None
        written.rename(beside)
        self._lock.release()

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
        self._lock.release()


def _refuse_one_name(plan: Plan) -> None:
    """UsageError where two tables, or two columns of one, differ in case only."""
    for owner, names in ((None, tuple(plan.entities)), *((e.name, e.columns) for e in plan.entities.values())):
        taken: dict[str, str] = {}
        for name in names:
            other = taken.setdefault(name.lower(), name)
            if other != name:
                of = f"columns {other} and {name} of {owner}" if owner else f"tables {other} and {name}"
                raise UsageError(f"SQLite takes the {of} for one", hint="a folder of files holds them both: --into FOLDER")
