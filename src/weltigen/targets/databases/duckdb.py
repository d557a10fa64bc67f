"""A DuckDB file: batches are handed over as they are in memory."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

from ...model import Entity, World
from ...model.problems import RefusedError, TargetError, UnreadableError, WeltigenError
from ...plan import EntityPlan, Plan
from ...readers.live.duckdb import duckdb_world
from ..definitions import definer_for
from .file_place import FilePlace
from .place import OUR_FAULT, PROTECTED, THEIR_RULE, refuse_one_name


class DuckdbPlace(FilePlace):
    dialect = "duckdb"

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self._connection: Any = None
        self._made: frozenset[str] = frozenset()

    def require(self, plan: Plan) -> None:
        super().require(plan)
        refuse_one_name(plan, "DuckDB")

    def open(self, wait: float) -> None:
        import duckdb

        self._connection = duckdb.connect(str(self.take()))
        self._connection.execute("SET TimeZone = 'UTC'")
        self._connection.execute("BEGIN")

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        return list(self._connection.execute(sql).fetchall())

    def run(self, sql: str) -> int:
        found = self._connection.execute(sql).fetchone()
        if self._replaces and sql.startswith("DELETE"):
            self._connection.execute("CHECKPOINT")  # before which an index may still hold keys that went
        return int(found[0]) if found and isinstance(found[0], int) else 0

    def failure(self, error: Exception, doing: str) -> Exception:
        import duckdb

        if isinstance(error, WeltigenError) or not isinstance(error, duckdb.Error):
            return error
        said = str(error).splitlines()[0].partition("Error: ")[2] or str(error).splitlines()[0]
        if "lock" in said.lower() and isinstance(error, duckdb.IOException):
            return RefusedError(
                f"another program is at work in {self.path}; nothing was changed", hint="try again when it is done"
            )
        if isinstance(error, duckdb.IOException) and self._draft is None and "valid DuckDB" in said:
            return UnreadableError(f"{self.path} is not a DuckDB database; nothing was changed", hint="name another file")
        if isinstance(error, duckdb.ConstraintException):
            hint = OUR_FAULT if doing in self._made else f"{OUR_FAULT}; or {THEIR_RULE}"
            return TargetError(f"{self.path}: {doing}: {said.partition(':')[0]}; {self.left}", hint=hint)
        return TargetError(f"{self.path}: {doing}: {said}; {self.left}")

    def has_table(self, name: str) -> bool:
        return bool(self.query(f"SELECT 1 FROM duckdb_tables() WHERE table_name = '{name}'"))

    def step(self) -> None:
        if self._draft is not None and self._replaces:
            self._connection.close()
            self._connection = None
            self._draft.replace(self.path)
            self._draft = None
            return
        self._connection.execute("COMMIT")
        self._connection.execute("BEGIN")

    def world(self) -> World | None:
        return duckdb_world(self._connection, str(self.path))

    def key(self, entity: Entity) -> str:
        return entity.name.casefold()

    def protected_by(self) -> str | None:
        if self.query(f"SELECT 1 FROM duckdb_tables() WHERE table_name = '{PROTECTED}'"):
            return f"its table {PROTECTED}"
        return None

    def create(self, world: World, entities: Sequence[Entity]) -> list[str]:
        import duckdb

        left: list[str] = []
        for one in definer_for(self.dialect, world).definitions(entities):
            left += one.left_out
            try:
                self._connection.execute(one.create)
            except duckdb.Error as error:
                # an error ends the transaction, in which there is nothing yet but tables that are made again
                if isinstance(error, duckdb.IOException):
                    raise
                return self._create_bare(world, entities)
        return left

    def _create_bare(self, world: World, entities: Sequence[Entity]) -> list[str]:
        """Tables with those defaults and checks alone that DuckDB takes, each tried in a database of its own."""
        import duckdb

        self._connection.execute("ROLLBACK")
        self._connection.execute("BEGIN")
        left: list[str] = []
        with duckdb.connect(":memory:") as trial:
            for one in definer_for(self.dialect, world).definitions(entities):
                left += one.left_out
                try:
                    trial.execute(one.create)
                    chosen = one.create
                except duckdb.Error:
                    trial.execute(one.bare)
                    chosen = one.bare
                    left += [extra.words for extra in one.extras]
                self._connection.execute(chosen)
        return left

    def clear(self, order: Sequence[Entity], loosened: Sequence[tuple[Entity, Sequence[str]]]) -> None:
        self.before_deletes()
        super().clear(order, loosened)
        self._connection.execute("BEGIN")

    def before_deletes(self) -> None:
        """DuckDB takes no key that went in the same transaction: all is done in a copy, which then takes the file's place."""
        import duckdb

        self._connection.execute("ROLLBACK")
        self._connection.close()
        self._draft, self._replaces = self.draft_path(), True
        shutil.copyfile(self.path, self._draft)
        self._connection = duckdb.connect(str(self._draft))
        self._connection.execute("SET TimeZone = 'UTC'")

    def begin_rows(self, plan: Plan, there: World | None, created: frozenset[str]) -> None:
        self._made = created

    def convert(self, entity_plan: EntityPlan, batch: Any) -> Any:
        return batch

    def load(self, entity_plan: EntityPlan, converted: Any) -> None:
        names = ", ".join(self.quoted(name) for name in converted.schema.names)
        self._connection.register("weltigen rows", converted)
        try:
            self._connection.execute(
                f'INSERT INTO {self.table(entity_plan.entity)} ({names}) SELECT {names} FROM "weltigen rows"'
            )
        except RuntimeError as error:  # by which DuckDB tells of an interruption
            if "interrupt" in str(error).lower():
                raise KeyboardInterrupt from None
            raise
        self._connection.unregister("weltigen rows")

    def end_rows(self) -> list[str]:
        assert self._plan is not None
        self.require_targets({entity.name: entity for entity in self._plan.world.entities})
        return []

    def commit_rows(self) -> None:
        self._connection.execute("COMMIT")
        self._connection.close()
        self._connection = None

    def close(self) -> None:
        if self._connection is not None:
            self._connection.close()
            self._connection = None
        self._lock.release()

    def abandon(self) -> None:
        import duckdb

        if self._connection is not None:
            connection, self._connection = self._connection, None
            with closing(connection), suppress(duckdb.Error):  # what fails is taken back when the file is opened next
                connection.execute("ROLLBACK")
        self.let_go()
