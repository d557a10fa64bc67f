"""MariaDB and MySQL: rows by LOAD DATA LOCAL where the server allows it, else by INSERT statements of many rows.

LOCAL turns errors into warnings even in strict mode, so warnings are read and rows counted after each batch. References to rows
that may come later are looked at when all rows are there. The server commits at each definition: tables that this run made are
dropped again when it fails.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from typing import Any

from ...model import Entity, TypeName, World
from ...model.problems import RefusedError, TargetError, UsageError, WeltigenError
from ...plan import EntityPlan, Plan
from ...stored.connections import open_connection
from ...stored.names import LEDGER
from ...stored.receipts import Receipt
from ...stored.sql_text import data_lines, insert_statements
from ..definitions import definer_for
from .place import OUR_FAULT, PROTECTED, THEIR_RULE, Trigger, may_come_later, their_world
from .server import ServerPlace

_MODE = "STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_AUTO_VALUE_ON_ZERO,NO_ENGINE_SUBSTITUTION"
_LOCKED = (1205, 1213, 3572)
_DENIED = (1044, 1142, 1143, 1227)


class MariadbPlace(ServerPlace):
    """By a URL, or in the transaction of a connection that somebody else opened and ends."""

    dialect = "mysql"
    defines_at_once = True

    def __init__(self, url: str | None = None, connection: Any = None) -> None:
        super().__init__(url, connection)
        self._earlier: dict[str, Any] = {}
        self._made: list[Entity] = []
        self._later: list[str] = []
        self._loads = False  # whether LOAD DATA LOCAL is allowed
        self._there: World | None = None
        self._unchecked: set[str] = set()  # entities whose references are looked at when all rows are there
        self._checks: bool | None = None  # whether the server looks at references now, if that was said

    def open(self, wait: float) -> None:
        self.connect(local_infile=True)
        if type(self._raw).__module__.partition(".")[0] != "pymysql":
            raise UsageError("rows are written to MariaDB and MySQL by PyMySQL alone",
                             hint="create the engine with mysql+pymysql://")  # fmt: skip
        seconds = max(1, int(wait))
        settings = {
            "time_zone": "'+00:00'", "sql_mode": f"'{_MODE}'", "foreign_key_checks": "0",
            "innodb_lock_wait_timeout": str(seconds), "lock_wait_timeout": str(seconds),
        }  # fmt: skip
        for name, value in settings.items():
            self._earlier[name] = self.query(f"SELECT @@SESSION.{name}")[0][0]
            self.run(f"SET SESSION {name} = {value}")
        own = bool(getattr(self._raw, "client_flag", 0) & 128)  # the client's own consent, CLIENT.LOCAL_FILES
        self._loads = own and bool(self.query("SELECT @@GLOBAL.local_infile")[0][0])
        self._checks = None
        if not self.borrowed:
            self.run("START TRANSACTION")

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        with self._raw.cursor() as cursor:
            cursor.execute(sql)
            return list(cursor.fetchall())

    def run(self, sql: str) -> int:
        with self._raw.cursor() as cursor:
            return int(cursor.execute(sql))

    def failure(self, error: Exception, doing: str) -> Exception:
        import pymysql

        if isinstance(error, WeltigenError) or not isinstance(error, pymysql.MySQLError):
            return error
        code, said = (error.args[0], str(error.args[-1])) if error.args else (0, str(error))
        if code in _LOCKED:
            return RefusedError(f"{self.name}: {doing}: a lock did not come in time{self._holders()}; nothing was changed",
                                hint="wait until it is free, or --wait SECONDS")  # fmt: skip
        if code in _DENIED:
            return TargetError(f"{self.name}: {said}; {self.left}", hint="the user needs the right to write to these tables")
        if isinstance(error, pymysql.IntegrityError | pymysql.DataError):
            return TargetError(f"{self.name}: {doing}: {_without_values(said)}; {self.left}", hint=self._whose(doing))
        if isinstance(error, pymysql.OperationalError) and code in (2006, 2013, 0):
            return TargetError(f"{self.name}: {doing}: the connection was lost; {self.left}")
        return TargetError(f"{self.name}: {doing}: {_without_values(said)} ({code}); {self.left}")

    def _whose(self, entity: str) -> str:
        return (
            OUR_FAULT if self._plan is None or any(one.name == entity for one in self._made) else f"{OUR_FAULT}; or {THEIR_RULE}"
        )

    def _holders(self) -> str:
        """Who is at work in another transaction, where this user may see it."""
        if self.borrowed:
            return ""
        try:
            other = open_connection(self.url)
        except WeltigenError:
            return ""
        try:
            rows = other.exec_driver_sql(
                "SELECT p.user, t.trx_mysql_thread_id, p.command FROM information_schema.innodb_trx t"
                " JOIN information_schema.processlist p ON p.id = t.trx_mysql_thread_id"
                f" WHERE p.id <> {self._raw.thread_id()} ORDER BY t.trx_started LIMIT 1"
            ).all()
        except Exception:  # who may not look is told less
            rows = []
        finally:
            other.close()
            other.engine.dispose()
        return "".join(f": {user} holds one (connection {thread}, {command.lower()})" for user, thread, command in rows)

    def has_table(self, name: str) -> bool:
        of = f"table_schema = DATABASE() AND table_name = '{name}'"
        return bool(self.query(f"SELECT 1 FROM information_schema.tables WHERE {of}"))

    def step(self) -> None:
        self._raw.commit()
        self.run("START TRANSACTION")

    def world(self) -> World | None:
        self._there = their_world(self._connection, self.name)
        return self._there

    def protected_by(self) -> str | None:
        schema = "table_schema = DATABASE()"
        if self.query(f"SELECT 1 FROM information_schema.tables WHERE {schema} AND table_name = '{PROTECTED}'"):
            return f"its table {PROTECTED}"
        where = "FROM information_schema.columns WHERE table_schema = 'information_schema' AND table_name = 'SCHEMATA'"
        if self.query(f"SELECT 1 {where} AND column_name = 'SCHEMA_COMMENT'"):
            comment = self.query("SELECT schema_comment FROM information_schema.schemata WHERE schema_name = DATABASE()")
            if comment and PROTECTED in (comment[0][0] or ""):
                return f"its comment, which says {PROTECTED}"
        return None

    def triggers(self, entities: Sequence[Entity]) -> list[Trigger]:
        names = {self.table(entity).strip("`"): entity for entity in entities}
        rows = self.query(
            "SELECT trigger_name, event_object_table FROM information_schema.triggers"
            " WHERE trigger_schema = DATABASE() AND event_manipulation = 'INSERT'"
        )
        return [Trigger(name, names[table]) for name, table in rows if table in names]

    def create(self, world: World, entities: Sequence[Entity]) -> list[str]:
        if self.borrowed:
            raise UsageError(
                f"{self.name}: definitions end a transaction here, so no tables are created within somebody else's",
                hint="create the tables first, or hand over the engine or its URL",
            )
        left: list[str] = []
        definitions = definer_for(self.dialect, world).definitions(entities)
        for entity, one in zip(entities, definitions, strict=True):
            left += one.left_out
            if self._attempt(one.create) is not None:
                self.run(one.bare)
                self._made.append(entity)
                for extra in one.extras:
                    if (why := self._attempt(extra.sql)) is not None:
                        left.append(f"{extra.words} ({_without_values(why)})")
            else:
                self._made.append(entity)
        for one in definitions:
            for statement in (*one.keys, *one.references):
                if (why := self._attempt(statement)) is not None:
                    left.append(f"{one.entity}: {statement.partition(' ADD ')[2] or statement} ({_without_values(why)})")
        self.run("START TRANSACTION")
        return left

    def _attempt(self, sql: str) -> str | None:
        import pymysql

        try:
            self.run(sql)
        except pymysql.MySQLError as error:
            if error.args and error.args[0] in _LOCKED:
                raise
            return str(error.args[-1])
        return None

    def take_away(self, entities: Sequence[Entity]) -> None:
        self.run("SET SESSION foreign_key_checks = 0")
        for entity in entities:
            self.run(f"DROP TABLE {self.table(entity)}")
        self.run("SET SESSION foreign_key_checks = 1")
        self._checks = None
        self.run("START TRANSACTION")

    def make_ledger(self, sql: str) -> None:
        self.run(sql)
        self._made.append(Entity(name=LEDGER, fields=()))
        if not self.borrowed:
            self.run("START TRANSACTION")

    def begin_rows(self, plan: Plan, there: World | None, created: frozenset[str]) -> None:
        tables = {self.key(entity): entity for entity in (there.entities if there is not None else ())}
        for name in plan.order:  # tables may declare more than a model
            entity = plan.world.entity(name)
            relations = (*entity.relations, *(tables[self.key(entity)].relations if self.key(entity) in tables else ()))
            if any(relation.guess is None and may_come_later(relation, plan) for relation in relations):
                self._unchecked.add(name)

    def convert(self, entity_plan: EntityPlan, batch: Any) -> Any:
        if self._loads:
            return batch.num_rows, data_lines(batch)
        fields = [entity_plan.entity.field(name) for name in batch.schema.names]
        names = [self.quoted(name) for name in batch.schema.names]
        return batch.num_rows, list(insert_statements(self.table(entity_plan.entity), names, batch, fields, self.dialect))

    def load(self, entity_plan: EntityPlan, converted: Any) -> None:
        rows, content = converted
        if not rows:
            return
        if (checks := entity_plan.name not in self._unchecked) != self._checks:
            self.run(f"SET SESSION foreign_key_checks = {int(checks)}")
            self._checks = checks
        if not self._loads:
            for statement in content:
                self.run(statement.rstrip(";\n"))
            return
        with _as_file(content) as path, self._raw.cursor() as cursor:
            taken = cursor.execute(self._loading(entity_plan, path))
            warnings = [row for row in (_warnings(self._raw) if cursor.warning_count else ()) if row[0] != "Note"]
        if taken != rows or warnings:
            said = _without_values(str(warnings[0][2])) if warnings else f"{rows - taken:,} rows were passed over"
            raise TargetError(f"{self.name}: {entity_plan.name}: {said}; {self.left}", hint=self._whose(entity_plan.name))

    def _loading(self, entity_plan: EntityPlan, path: str) -> str:
        parts, sets = [], []
        for number, name in enumerate(entity_plan.columns):
            field, variable = entity_plan.entity.field(name), f"@c{number}"
            match field.type.name:
                case TypeName.BYTEA:
                    sets.append(f"{self.quoted(name)} = UNHEX({variable})")
                case TypeName.BOOLEAN:  # a text 1 is 49 where the column is a bit
                    sets.append(f"{self.quoted(name)} = CAST({variable} AS UNSIGNED)")
                case TypeName.BIT if not self._kept_as_text(entity_plan, name):
                    sets.append(f"{self.quoted(name)} = CAST(CONV({variable}, 2, 10) AS UNSIGNED)")
                case _:
                    parts.append(self.quoted(name))
                    continue
            parts.append(variable)
        setting = f" SET {', '.join(sets)}" if sets else ""
        return (
            f"LOAD DATA LOCAL INFILE '{path}' INTO TABLE {self.table(entity_plan.entity)} CHARACTER SET utf8mb4"
            " FIELDS TERMINATED BY ',' OPTIONALLY ENCLOSED BY '\"' ESCAPED BY '' LINES TERMINATED BY '\\n'"
            f" ({', '.join(parts)}){setting}"
        )

    def _kept_as_text(self, entity_plan: EntityPlan, name: str) -> bool:
        """Whether a column of bits is one of texts here: bits without a length are."""
        field = entity_plan.entity.field(name)
        return field.type.length is None or field.type.length > 64

    def end_rows(self) -> list[str]:
        assert self._plan is not None
        if self._unchecked:
            names, entities = self._unchecked, {self.key(entity): entity for entity in self._plan.world.entities}
            of = {self.key(self._plan.world.entity(name)) for name in names}
            if self._there is not None:
                entities |= {self.key(entity): entity for entity in self._there.entities if self.key(entity) in entities}
            self.require_targets({entity.name: entity for entity in entities.values()}, {entities[key].name for key in of})
        return []

    def commit(self, receipt: Receipt) -> None:
        if not self.borrowed:
            self._raw.commit()
            names = ", ".join(self.table(self._plan.world.entity(name)) for name in self._plan.order) if self._plan else ""
            if names:
                self.query(f"ANALYZE TABLE {names}")
        else:
            self.restore()

    def restore(self) -> None:
        for name, value in self._earlier.items():
            self.run(f"SET SESSION {name} = '{value}'" if isinstance(value, str) else f"SET SESSION {name} = {value}")

    def take_back(self) -> None:
        made = () if self.in_steps else tuple(reversed(self._made))
        drops = [f"DROP TABLE IF EXISTS {self.table(entity)}" for entity in made]
        try:
            self._raw.rollback()
            for statement in drops:
                self.run(statement)
        except Exception:  # the connection was lost; tables that it made are dropped over another one
            if drops:
                other = open_connection(self.url)
                other.exec_driver_sql("SET SESSION foreign_key_checks = 0")
                for statement in drops:
                    other.exec_driver_sql(statement.replace("%", "%%"))
                other.close()
                other.engine.dispose()
            raise
        self._connection.invalidate()  # its settings are not for others


class _as_file:  # noqa: N801
    """Bytes under a path that the client can open: in memory where the system can do that, else in a temporary file."""

    def __init__(self, content: bytes) -> None:
        self._content, self._number, self._path = content, -1, ""

    def __enter__(self) -> str:
        if hasattr(os, "memfd_create"):
            self._number = os.memfd_create("weltigen")
            with os.fdopen(os.dup(self._number), "wb") as file:
                file.write(self._content)
            os.lseek(self._number, 0, os.SEEK_SET)
            return f"/proc/self/fd/{self._number}"
        with tempfile.NamedTemporaryFile("wb", delete=False) as temporary:
            temporary.write(self._content)
        self._path = temporary.name
        return self._path.replace("\\", "/")

    def __exit__(self, *_: object) -> None:
        if self._number >= 0:
            os.close(self._number)
        if self._path:
            os.unlink(self._path)  # noqa: PTH108


def _warnings(raw: Any) -> list[tuple[Any, ...]]:
    return list(raw.show_warnings())


def _without_values(said: str) -> str:
    """A server's message without the values that it quotes: one may be a password."""
    import re

    return re.sub(r"(Duplicate entry|value:?|statement) '(?:[^']|'(?! for| at))*'", r"\1 '…'", said)
