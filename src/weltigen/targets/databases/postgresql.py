"""PostgreSQL: rows by COPY, in CSV that Arrow writes; tables that a run makes get their keys and references when the rows are
there.

A reference that may point to a row which comes later (to the table itself, or round in a circle) is checked at the end: one that
is not deferrable is made so for the length of the transaction.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ...model import Entity, Field, Relation, World
from ...model.problems import RefusedError, TargetError, UsageError, WeltigenError
from ...plan import EntityPlan, Plan
from ...stored.connections import open_connection
from ...stored.formats.csv import Csv
from ...stored.names import literal
from ...stored.receipts import Receipt
from ...stored.stores.server_store import values_as_texts
from ...stored.tables import typed_table
from ..definitions import definer_for
from .place import OUR_FAULT, PROTECTED, THEIR_RULE, Trigger, may_come_later, their_world
from .server import ServerPlace

_SETTINGS = {"TimeZone": "UTC", "DateStyle": "ISO", "IntervalStyle": "postgres"}
_SEQUENCES = """
    SELECT format('%I', a.attname), s.oid::regclass::text
    FROM pg_attribute a JOIN pg_depend d ON d.refobjid = a.attrelid AND d.refobjsubid = a.attnum
    JOIN pg_class s ON s.oid = d.objid AND s.relkind = 'S' WHERE a.attrelid = {0}::regclass AND d.deptype IN ('a', 'i')
    UNION SELECT format('%I', a.attname), s.oid::regclass::text
    FROM pg_attribute a JOIN pg_attrdef f ON f.adrelid = a.attrelid AND f.adnum = a.attnum
    JOIN pg_depend d ON d.objid = f.oid AND d.classid = 'pg_attrdef'::regclass
    JOIN pg_class s ON s.oid = d.refobjid AND s.relkind = 'S' WHERE a.attrelid = {0}::regclass"""
_TRIGGERS = """
    SELECT t.tgname, t.tgenabled::text FROM pg_trigger t
    WHERE t.tgrelid = {0}::regclass AND NOT t.tgisinternal AND t.tgenabled <> 'D'
    AND (t.tgtype & 4) <> 0 ORDER BY 1"""
_HOLDERS = """
    SELECT DISTINCT coalesce(a.usename, '?'), a.pid, coalesce(nullif(a.application_name, ''), 'no name'), a.state
    FROM pg_locks l JOIN pg_stat_activity a ON a.pid = l.pid
    WHERE l.locktype = 'relation' AND l.granted AND a.datname = current_database() AND a.pid <> {0} AND a.pid <> pg_backend_pid()
    AND l.relation IN ({1}) ORDER BY 2 LIMIT 3"""

# constraints of some tables, and references to them, that come back as they were from their definition alone: none with a
# comment, none that a partition has from its table, none whose index is more than an index
_CONSTRAINTS = """
    SELECT c.conrelid::regclass::text, quote_ident(c.conname), c.contype::text, pg_get_constraintdef(c.oid), c.conname
    FROM pg_constraint c JOIN pg_class t ON t.oid = c.conrelid
    LEFT JOIN pg_index i ON i.indexrelid = c.conindid AND c.contype <> 'f'
    WHERE (c.conrelid IN ({0}) AND c.contype IN ('p', 'u', 'x', 'f') OR c.confrelid IN ({0}) AND c.contype = 'f')
    AND c.conparentid = 0 AND t.relkind = 'r' AND NOT t.relispartition AND c.convalidated
    AND NOT coalesce(i.indisclustered OR i.indisreplident, false)
    AND NOT EXISTS (SELECT 1 FROM pg_description d WHERE d.objoid IN (c.oid, i.indexrelid)) ORDER BY c.contype = 'f' DESC, 1, 2"""
_INDEXES = """
    SELECT i.indexrelid::regclass::text, pg_get_indexdef(i.indexrelid)
    FROM pg_index i JOIN pg_class t ON t.oid = i.indrelid
    WHERE i.indrelid IN ({0}) AND t.relkind = 'r' AND NOT t.relispartition AND i.indisvalid
    AND NOT (i.indisclustered OR i.indisreplident) AND NOT EXISTS (SELECT 1 FROM pg_constraint c WHERE c.conindid = i.indexrelid)
    AND NOT EXISTS (SELECT 1 FROM pg_description d WHERE d.objoid = i.indexrelid) ORDER BY 1"""


class PostgresqlPlace(ServerPlace):
    """By a URL, or in the transaction of a connection that somebody else opened and ends."""

    dialect = "postgresql"

    def __init__(self, url: str | None = None, connection: Any = None) -> None:
        super().__init__(url, connection)
        self._earlier: dict[str, str] = {}
        self._settings: dict[str, str] = {}
        self._text = Csv()
        self._text.bytes = "hex"
        self._made: frozenset[str] = frozenset()
        self._later: list[str] = []  # statements for when the rows are there
        self._references: list[str] = []  # which come last of all, since they need the keys that they refer to
        self._gone: set[tuple[str, str]] = set()  # constraints, by table, that are built again behind the rows
        self._put_off: list[str] = []  # references that are deferrable for this transaction alone

    def open(self, wait: float) -> None:
        self.connect()
        if not self.borrowed:
            self._connection.begin()
        if type(self._raw).__module__.partition(".")[0] != "psycopg":
            raise UsageError("rows are copied into PostgreSQL by psycopg 3 alone",
                             hint="create the engine with postgresql+psycopg://")  # fmt: skip
        self._settings = {**_SETTINGS, "lock_timeout": f"{int(wait * 1000)}ms"}
        for name in self._settings:
            self._earlier[name] = self.query(f"SELECT current_setting('{name}')")[0][0]
        self._set()

    def _set(self) -> None:
        """What holds until the transaction ends."""
        for name, value in self._settings.items():
            self.run(f"SET LOCAL {name} = {literal(value)}")

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        with self._raw.cursor() as cursor:
            return list(cursor.execute(sql).fetchall())

    def stored_rows(self, entity: Entity, fields: Sequence[Field]) -> Any:
        columns = ", ".join(self.quoted(field.name) for field in fields)
        order = f" ORDER BY {', '.join(map(self.quoted, entity.key))}" if entity.key else ""
        with self._raw.cursor() as cursor:
            values_as_texts(cursor.adapters)
            cursor.execute(f"SELECT {columns} FROM {self.table(entity)}{order}")
            return typed_table(fields, cursor.fetchall())

    def run(self, sql: str) -> int:
        with self._raw.cursor() as cursor:
            cursor.execute(sql)
            return int(cursor.rowcount)

    def failure(self, error: Exception, doing: str) -> Exception:
        import psycopg

        if isinstance(error, WeltigenError) or not isinstance(error, psycopg.Error):
            return error
        kind, said = type(error).__name__, error.diag.message_primary or str(error).partition("\n")[0]
        constraint, table = error.diag.constraint_name, error.diag.table_name
        if isinstance(error, psycopg.errors.LockNotAvailable):
            return RefusedError(
                f"{self.name}: {doing}: a lock did not come in time{self._holders()}; nothing was changed",
                hint="wait until it is free, or --wait SECONDS",
            )
        if isinstance(error, psycopg.errors.InsufficientPrivilege):
            return TargetError(f"{self.name}: {said}; {self.left}", hint="the user needs the right to write to these tables")
        if isinstance(error, psycopg.IntegrityError | psycopg.DataError):
            hint = OUR_FAULT if self._declares(table, constraint) else THEIR_RULE
            return TargetError(f"{self.name}: {doing}: {said}; {self.left}", hint=hint)
        if isinstance(error, psycopg.OperationalError) and (self._connection is None or self._raw.closed):
            return TargetError(f"{self.name}: {doing}: the connection was lost ({said}); {self.left}")
        return TargetError(f"{self.name}: {doing}: {said} ({kind}); {self.left}")

    def _declares(self, table: str | None, constraint: str | None) -> bool:
        """Whether the model declares a rule of a table that was there; of tables that this run made it does."""
        if self._plan is None or constraint is None:
            return True
        for entity in self._plan.world.entities:
            if entity.name.rpartition(".")[2] == table:
                names = (
                    [c.name for c in entity.checks] + [u.name for u in entity.uniques] + [r.constraint for r in entity.relations]
                )
                return (
                    constraint in names or constraint.endswith(("_pkey", "_key", "_fkey", "_check")) or entity.name in self._made
                )
        return True

    def _holders(self) -> str:
        """Who holds a lock on one of the tables, as another connection sees it."""
        if self._plan is None or self.borrowed:
            return ""
        pid = self._raw.info.backend_pid
        tables = ", ".join(f"to_regclass({literal(self.table(entity))})" for entity in self._plan.world.entities)
        try:
            other = open_connection(self.url)
        except WeltigenError:
            return ""
        try:
            rows = other.exec_driver_sql(_HOLDERS.format(pid, tables).replace("%", "%%")).all()
        finally:
            other.close()
            other.engine.dispose()
        return "".join(f": {user} holds one (process {pid}, {program}, {state})" for user, pid, program, state in rows[:1])

    def has_table(self, name: str) -> bool:
        return bool(self.query(f"SELECT to_regclass({literal(self.quoted(name))}) IS NOT NULL")[0][0])

    def step(self) -> None:
        self._raw.commit()
        self._set()

    def world(self) -> World | None:
        return their_world(self._connection, self.name)

    def protected_by(self) -> str | None:
        if self.query(f"SELECT 1 FROM pg_class WHERE relname = '{PROTECTED}' LIMIT 1"):
            return f"its table {PROTECTED}"
        comment = self.query("SELECT shobj_description(oid, 'pg_database') FROM pg_database WHERE datname = current_database()")[
            0
        ][0]
        return f"its comment, which says {PROTECTED}" if PROTECTED in (comment or "") else None

    def triggers(self, entities: Sequence[Entity]) -> list[Trigger]:
        found = []
        for entity in entities:
            for name, enabled in self.query(_TRIGGERS.format(literal(self.table(entity)))):
                how = {"A": "ENABLE ALWAYS", "R": "ENABLE REPLICA"}.get(enabled, "ENABLE")
                again = f"ALTER TABLE {self.table(entity)} {how} TRIGGER {self.quoted(name)}"
                found.append(Trigger(name, entity, again))
        return found

    def rest(self, trigger: Trigger) -> bool:
        done = self._attempt(f"ALTER TABLE {self.table(trigger.entity)} DISABLE TRIGGER {self.quoted(trigger.name)}") is None
        self._put_off += [trigger.again] if done else []
        return done

    def create(self, world: World, entities: Sequence[Entity]) -> list[str]:
        left: list[str] = []
        definitions = definer_for(self.dialect, world).definitions(entities)
        for one in definitions:
            for statement in one.before:
                self._attempt(statement, ("DuplicateObject", "DuplicateSchema", "UniqueViolation"))
            left += one.left_out
            if self._attempt(one.create) is not None:
                self.run(one.bare)  # and its own failure is told
                for extra in one.extras:
                    if (why := self._attempt(extra.sql)) is not None:
                        left.append(f"{extra.words} ({why})")
            self._later += [*one.keys]
        if self.in_steps:  # whoever goes on finds the keys
            for statement in self._later:
                self.run(statement)
            self._later = []
            return left
        self._references += [sql for one in definitions for sql in one.references]
        return left

    def _attempt(self, sql: str, fine: tuple[str, ...] = ()) -> str | None:
        """Run a statement that may fail; what the database said then."""
        import psycopg

        self.run("SAVEPOINT weltigen")
        try:
            self.run(sql)
        except psycopg.Error as error:
            self.run("ROLLBACK TO SAVEPOINT weltigen")
            if type(error).__name__ in fine:
                return None
            if isinstance(error, psycopg.errors.LockNotAvailable):
                raise
            return error.diag.message_primary or "refused"
        self.run("RELEASE SAVEPOINT weltigen")
        return None

    def clear(self, order: Sequence[Entity], loosened: Sequence[tuple[Entity, Sequence[str]]]) -> None:
        if self._attempt(f"TRUNCATE {', '.join(map(self.table, order))}") is not None:  # no right to, or others refer to them
            super().clear(order, loosened)

    def put_off_indexes(self, entities: Sequence[Entity]) -> None:
        if not entities:
            return
        tables = ", ".join(f"{literal(self.table(entity))}::regclass" for entity in entities)
        known = {
            self.query(f"SELECT {literal(self.table(entity))}::regclass::text")[0][0]: self.table(entity) for entity in entities
        }
        constraints = self.query(_CONSTRAINTS.format(tables))
        references: list[str] = []
        for table, name, kind, definition, plain in constraints:  # references first: they need the keys
            if self._attempt(f"ALTER TABLE {table} DROP CONSTRAINT {name}") is None:
                self._gone.add((known.get(table, table), plain))
                (references if kind == "f" else self._later).append(f"ALTER TABLE {table} ADD CONSTRAINT {name} {definition}")
        for name, definition in self.query(_INDEXES.format(tables)):
            if self._attempt(f"DROP INDEX {name}") is None:
                self._later.append(definition)
        self._references += references

    def begin_rows(self, plan: Plan, there: World | None, created: frozenset[str]) -> None:
        self._made = created
        known = {self.table(entity): entity for entity in (there.entities if there is not None else ())}
        put_off = False
        for name in plan.order:
            entity = known.get(self.table(plan.world.entity(name)))
            if entity is None or name in created:
                continue
            for relation in entity.relations:
                if self.in_steps or not may_come_later(relation, plan):
                    continue
                if (self.table(entity), relation.constraint) in self._gone:
                    continue
                put_off = True
                if not relation.deferrable and relation.constraint is not None:
                    table = self.table(entity)
                    self.run(
                        f"ALTER TABLE {table} ALTER CONSTRAINT {self.quoted(relation.constraint)} DEFERRABLE INITIALLY DEFERRED"
                    )
                    back = "NOT DEFERRABLE"
                    self._put_off.append(f"ALTER TABLE {table} ALTER CONSTRAINT {self.quoted(relation.constraint)} {back}")
        if put_off:
            self.run("SET CONSTRAINTS ALL DEFERRED")

    def late_references(self, stage: Plan, made: frozenset[str]) -> dict[str, list[Relation]]:
        """Of tables that were there; in those of its own a run puts references last."""
        found, entities = self.world(), stage.world.entities
        known = {self.table(entity): entity for entity in (found.entities if found is not None else ())}
        definer = definer_for(self.dialect, stage.world)
        for entity, one in zip(entities, definer.definitions(entities), strict=True):
            there = known.get(self.table(entity))
            if entity.name in made and there is not None:
                held = {(relation.columns, relation.target) for relation in there.relations if relation.guess is None}
                pairs = zip(definer.kept(entity)[0], one.references, strict=True)
                self._references += [sql for relation, sql in pairs if (relation.columns, relation.target) not in held]
        late: dict[str, list[Relation]] = {}
        for name in stage.order:
            entity = stage.world.entity(name)
            there = known.get(self.table(entity))
            for relation in () if there is None or name in made else there.relations:
                if relation.guess is None and may_come_later(relation, stage):
                    late.setdefault(name, []).append(relation)
        return late

    def insert(self, table: str, batch: Any, fields: Sequence[Field]) -> None:
        columns = ", ".join(map(self.quoted, batch.schema.names))
        with self._raw.cursor() as cursor, cursor.copy(f"COPY {table} ({columns}) FROM STDIN (FORMAT csv)") as copy:
            copy.write(memoryview(self._text.encode(batch)))

    def convert(self, entity_plan: EntityPlan, batch: Any) -> Any:
        return memoryview(self._text.encode(batch))

    def load(self, entity_plan: EntityPlan, converted: Any) -> None:
        entity = entity_plan.entity
        columns = ", ".join(map(self.quoted, entity_plan.columns))
        with self._raw.cursor() as cursor, cursor.copy(f"COPY {self.table(entity)} ({columns}) FROM STDIN (FORMAT csv)") as copy:
            copy.write(converted)

    def end_rows(self) -> list[str]:
        assert self._plan is not None
        for statement in (*self._later, *self._references):
            self.run(statement)
        if self._put_off:
            self.run("SET CONSTRAINTS ALL IMMEDIATE")
            for statement in self._put_off:
                self.run(statement)
        for name in self._plan.order:
            entity = self._plan.world.entity(name)
            self._move_on(entity)
            self.run(f"ANALYZE {self.table(entity)}")
        if self.borrowed:
            self.restore()
        return []

    def restore(self) -> None:
        for setting, value in self._earlier.items():
            self.run(f"SET LOCAL {setting} = {literal(value)}")

    def _move_on(self, entity: Entity) -> None:
        """Numbers that the application asks for next lie behind those that were loaded."""
        for column, series in self.query(_SEQUENCES.format(literal(self.table(entity)))):
            most = self.query(f"SELECT max({column}) FROM {self.table(entity)}")[0][0]
            if most is None or not isinstance(most, int):
                continue
            last, called = self.query(f"SELECT last_value, is_called FROM {series}")[0]
            if most > last or (most == last and not called):
                self.run(f"SELECT setval({literal(series)}, {most})")

    def commit(self, receipt: Receipt) -> None:
        if not self.borrowed:
            self._raw.commit()
