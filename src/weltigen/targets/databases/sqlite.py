"""SQLite: foreign keys are looked at, and indexes built, when the rows are there.

A file that is not there yet is written under another name, by Arrow batches, and renamed when whole. One that is there is
changed in one transaction, and takes its rows from files that Arrow batches were written to; in a transaction that is somebody
else's, they go in by prepared statements of many rows each.
"""

from __future__ import annotations

import re
import sqlite3
from collections import Counter
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from ...model import Entity, World
from ...model.phrases import plural
from ...model.problems import RefusedError, TargetError, UnreadableError, WeltigenError
from ...plan import EntityPlan, Plan
from ...readers.sources import sqlite_world
from ...stored.receipts import Receipt
from ...stored.sqlite import digits_lost, stored_values
from ...stored.sqlite_files import take_back
from .file_place import FilePlace
from .place import OUR_FAULT, PROTECTED, THEIR_RULE, Trigger, refuse_one_name
from .sqlite_arrow import ArrowConnection, driver_errors, said_by
from .sqlite_stage import Stage

_MARKS = 400  # parameters of a statement, about: every build of SQLite takes 999


class SqlitePlace(FilePlace):
    """By a path, or in the transaction of a connection that somebody else opened and ends."""

    dialect = "sqlite"

    def __init__(self, path: Path | None = None, connection: Any = None) -> None:
        super().__init__(path if path is not None else Path(connection.engine.url.database or ":memory:"))
        self._given, self.borrowed = connection, connection is not None
        self._connection: sqlite3.Connection | ArrowConnection | None = None
        self._stage: Stage | None = None
        self._statements: dict[str, tuple[int, str, str]] = {}
        self._later: list[str] = []
        self._again: list[str] = []  # triggers that rest
        self._made: frozenset[str] = frozenset()
        self._lost: Counter[tuple[str, str]] = Counter()  # values of a field that differ in the float that SQLite stores

    def open(self, wait: float) -> None:
        if self.borrowed:
            raw = self._connection = self._given.connection.driver_connection
            self._given.exec_driver_sql("SELECT 1")  # which begins the transaction that is theirs
            if not raw.in_transaction:
                self._db.execute("BEGIN")
            self._db.execute("PRAGMA defer_foreign_keys = ON")
            return
        place = self.take()
        if self.path.exists():
            take_back(self.path)
        if self._draft is not None:  # a file of ours alone; see there
            self._connection = ArrowConnection(place)
        else:
            connection = sqlite3.connect(place, isolation_level=None, check_same_thread=False, timeout=min(wait, 5.0))
            self._connection = connection
        if self._draft is not None:
            self._db.execute("PRAGMA journal_mode = OFF")  # nothing to go back to: an unfinished draft is deleted
            self._db.execute("PRAGMA synchronous = OFF")
        self._db.execute("PRAGMA foreign_keys = OFF")
        self._db.execute("BEGIN IMMEDIATE")
        if isinstance(self._connection, sqlite3.Connection) and Stage.fits(self._connection):
            self._stage = Stage(self._connection, lambda number: self.draft_path().with_suffix(f".{number}.partial"))

    @property
    def _db(self) -> sqlite3.Connection | ArrowConnection:
        assert self._connection is not None
        return self._connection

    def require(self, plan: Plan) -> None:
        super().require(plan)
        refuse_one_name(plan, "SQLite")

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        self._hand_over()
        return self._db.execute(sql).fetchall()

    def run(self, sql: str) -> int:
        self._hand_over()
        return self._db.execute(sql).rowcount

    def _hand_over(self) -> None:
        """Whoever looks at the database, or changes it, sees the rows that came before."""
        if self._stage is not None:
            self._stage.hand_over(self.failure)

    def failure(self, error: Exception, doing: str) -> Exception:
        if isinstance(error, WeltigenError) or not isinstance(error, (*driver_errors(), OSError)):
            return error
        told = said_by(error)
        if "locked" in told:
            said = f"another program is at work in {self.path} ({told}); nothing was changed"
            return RefusedError(said, hint="try again when it is done")
        if "not a database" in told:
            return UnreadableError(f"{self.path} is not an SQLite database ({told}); nothing was changed")
        if type(error).__name__ == "IntegrityError" or "constraint failed" in told:
            lost = sorted(name for entity, name in self._lost if entity == doing)
            hint = OUR_FAULT if doing in self._made else f"{OUR_FAULT}; or {THEIR_RULE}"
            if lost:
                has = f"SQLite stores decimals as floats, which have not all digits of {', '.join(lost)}"
                hint = f"{has}: a folder of files keeps them"
            return TargetError(f"{self.path}: {doing}: {told}; {self.left}", hint=hint)
        return TargetError(f"{self.path}: {doing}: {told}; {self.left}")

    def has_table(self, name: str) -> bool:
        return bool(self.query(f"SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = '{name}'"))

    def step(self) -> None:
        self._end_transaction()
        self._db.execute("BEGIN IMMEDIATE")

    def _end_transaction(self) -> None:
        self._hand_over()
        self._db.execute("COMMIT")
        if self._stage is not None:
            self._stage.clear()

    def world(self) -> World | None:
        if not self.query("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' LIMIT 1"):
            return None
        return sqlite_world(self._db, str(self.path))

    def key(self, entity: Entity) -> str:
        return entity.name.casefold()

    def protected_by(self) -> str | None:
        found = self.query(f"SELECT 1 FROM sqlite_master WHERE name = '{PROTECTED}'")
        return f"its table {PROTECTED}" if found else None

    def triggers(self, entities: Sequence[Entity]) -> list[Trigger]:
        tables = {entity.name.casefold(): entity for entity in entities}
        rows = self.query("SELECT name, tbl_name, sql FROM sqlite_master WHERE type = 'trigger'")
        return [
            Trigger(name, tables[table.casefold()], sql) for name, table, sql in rows
            if table.casefold() in tables and re.search(r"(?i)\binsert\s+on\b", sql)
        ]  # fmt: skip

    def rest(self, trigger: Trigger) -> bool:
        self.run(f"DROP TRIGGER {self.quoted(trigger.name)}")
        self._again.append(trigger.again)
        return True

    def create(self, world: World, entities: Sequence[Entity]) -> list[str]:
        from ..definitions.sqlite import definitions  # SQLAlchemy, which takes its time, is loaded when a table is made

        for statement in definitions(world, list(entities)):
            if statement.lstrip().startswith("CREATE TABLE") or self.in_steps:
                self.run(statement)
            else:
                self._later.append(statement)
        from ..definitions.sqlite import left_out

        return [note for entity in entities for note in left_out(world, entity)]

    def put_off_indexes(self, entities: Sequence[Entity]) -> None:
        tables = {entity.name.casefold() for entity in entities}
        for table, name, sql in self.query(
            "SELECT tbl_name, name, sql FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL"
        ):
            # where somebody else's connection looks at references, it needs the unique ones
            if table.casefold() in tables and not (self.borrowed and "UNIQUE" in sql.upper()):
                self.run(f"DROP INDEX {self.quoted(name)}")
                self._later.append(sql)

    def begin_rows(self, plan: Plan, there: World | None, created: frozenset[str]) -> None:
        self._made = created

    def convert(self, entity_plan: EntityPlan, batch: Any) -> Any:
        import pyarrow as pa

        lost = {name: n for name, column in zip(batch.schema.names, batch.columns, strict=True) if (n := digits_lost(column))}
        columns = [stored_values(column) for column in batch.columns]
        if isinstance(self._connection, ArrowConnection) or self._stage is not None:
            return pa.record_batch(columns, batch.schema.names), None, lost
        several = self._statement(entity_plan)[0]
        whole, listed = batch.num_rows - batch.num_rows % several, [column.to_pylist() for column in columns]
        # the parameters of a statement: the values of its first row, then of its second, and so on
        joined = list(zip(*(values[row:whole:several] for row in range(several) for values in listed), strict=True))
        return joined, list(zip(*(values[whole:] for values in listed), strict=True)), lost

    def _statement(self, entity_plan: EntityPlan) -> tuple[int, str, str]:
        """How many rows a statement takes, that statement, and one for a single row."""
        name, columns = entity_plan.name, entity_plan.columns
        if name not in self._statements:
            several = max(1, _MARKS // max(1, len(columns)))
            row = f"({', '.join('?' * len(columns))})"
            head = f"INSERT INTO {self.table(entity_plan.entity)} ({', '.join(map(self.quoted, columns))}) VALUES "
            self._statements[name] = several, head + ", ".join([row] * several), head + row
        return self._statements[name]

    def load(self, entity_plan: EntityPlan, converted: Any) -> None:
        joined, rest, lost = converted
        self._lost.update({(entity_plan.name, name): number for name, number in lost.items()})
        _, many, one = self._statement(entity_plan)
        if isinstance(self._db, ArrowConnection):
            self._db.insert(one, joined)
        elif self._stage is not None:
            columns = list(map(self.quoted, entity_plan.columns))
            self._stage.add(entity_plan.name, self.table(entity_plan.entity), columns, joined)
            if self._stage.full:
                self._hand_over()
        else:
            self._db.executemany(many, joined)
            self._db.executemany(one, rest)

    def end_rows(self) -> list[str]:
        assert self._plan is not None
        for statement in (*self._later, *self._again):
            self.run(statement)
        for name in self._plan.order:
            broken = self.query(f"PRAGMA foreign_key_check({self.table(self._plan.world.entity(name))})")
            if broken:
                said = f"{len(broken):,} rows refer to a {broken[0][2]} that is not there"
                raise TargetError(f"{self.path}: {name}: {said}; {self.left}", hint=OUR_FAULT)
        return [
            f"{entity}.{field}: the last digits of {plural(number, 'value')}: SQLite stores decimals as floats"
            for (entity, field), number in self._lost.items()
        ]

    def commit(self, receipt: Receipt) -> None:
        if not self.borrowed:
            super().commit(receipt)

    def commit_rows(self) -> None:
        self._end_transaction()
        if self._draft is not None:
            self._db.close()
            self._connection = None

    def close(self) -> None:
        if not self.borrowed:
            if self._connection is not None:
                self._connection.close()
                self._connection = None
            self._lock.release()

    def abandon(self) -> None:
        if self.borrowed:
            return
        if self._connection is not None:
            connection, self._connection = self._connection, None
            try:
                if self._draft is None:
                    # where no transaction is open any more, and on a full disk, this fails; in the second case the journal is
                    # there, and whoever opens the file next goes back by it
                    with suppress(*driver_errors()):
                        connection.execute("ROLLBACK")
            finally:
                connection.close()
                if self._stage is not None:
                    self._stage.clear()
            if self._draft is None:
                take_back(self.path)
        self.let_go()
