"""A database as a target sees it: the words in which PostgreSQL, MariaDB, SQLite, DuckDB and any other do the same."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from ...model import Entity, Field, Relation, World
from ...model.problems import TargetError, UsageError
from ...plan import EntityPlan, Plan
from ...readers.live import world_there
from ...stored.names import quoted, table_name
from ...stored.receipts import Receipt
from ...stored.sql_text import insert_statements
from ...stored.tables import typed_table

PROTECTED = "weltigen_protected"  # a table, or a database's comment, of that name keeps every run away


@dataclass(frozen=True, slots=True)
class Trigger:
    """One that runs on inserts into a table: as it stands in SQL, and what brings it back."""

    name: str
    entity: Entity
    again: str = ""


class Place(ABC):
    """One database, open in one transaction."""

    dialect: str
    name: str  # as it is shown: database@host, or the path of a file
    database: str  # the name by which somebody confirms that its rows may go
    host: str | None = None  # None: it is a file
    borrowed = False  # the connection is somebody else's, who ends its transaction
    one_writer = True  # whether one connection at a time can write
    in_steps = False  # several transactions, each of which leaves its rows there
    _plan: Plan | None = None

    @abstractmethod
    def open(self, wait: float) -> None:
        """Connect and begin; `wait`: seconds until a lock that does not come is an error."""

    def require(self, plan: Plan) -> None:
        """Hear what is to come; UsageError where the database cannot hold such a model at all."""
        self._plan = plan

    @abstractmethod
    def query(self, sql: str) -> list[tuple[Any, ...]]:
        """All rows of an answer."""

    @abstractmethod
    def run(self, sql: str) -> int:
        """A statement; how many rows it changed."""

    @abstractmethod
    def failure(self, error: Exception, doing: str) -> Exception:
        """What to raise for a database's own error: one line, no values, a hint where there is one."""

    @abstractmethod
    def has_table(self, name: str) -> bool: ...

    @abstractmethod
    def step(self) -> None:
        """Commit what was done, and begin again."""

    @abstractmethod
    def world(self) -> World | None:
        """The tables that are there, with how many rows each holds; None where there are none."""

    @abstractmethod
    def protected_by(self) -> str | None:
        """What marks the database as one that no run may write to."""

    @abstractmethod
    def create(self, world: World, entities: Sequence[Entity]) -> list[str]:
        """Create tables; what of their declarations the database cannot express, in words."""

    @abstractmethod
    def begin_rows(self, plan: Plan, there: World | None, created: frozenset[str]) -> None:
        """Make ready for the rows of a plan: some tables are created by this run, others were there."""

    def triggers(self, entities: Sequence[Entity]) -> list[Trigger]:
        """Triggers that would run on rows that are loaded."""
        return []

    def rest(self, trigger: Trigger) -> bool:
        """Let a trigger rest until all rows are there; false where that is not allowed."""
        return False

    def put_off_indexes(self, entities: Sequence[Entity]) -> None:
        """Take away indexes and constraints of tables that are there, to build them again when the rows are."""
        raise UsageError(
            f"{self.name} builds no indexes anew in the transaction that loads the rows", hint="leave out --indexes-last"
        )

    @abstractmethod
    def convert(self, entity_plan: EntityPlan, batch: Any) -> Any:
        """A batch as `load` takes it. Runs beside the making of the next batch."""

    @abstractmethod
    def load(self, entity_plan: EntityPlan, converted: Any) -> None: ...

    def end_rows(self) -> list[str]:
        """All rows are there: keys, references and whatever else was put off, checked by the database; what is to be said of
        it."""
        return []

    @abstractmethod
    def commit(self, receipt: Receipt) -> None: ...

    @abstractmethod
    def abandon(self) -> None:
        """Take back whatever was done, and close."""

    @abstractmethod
    def close(self) -> None: ...

    def another(self, wait: float) -> Place:
        """One more connection to the same database, ready to load rows of the same plan; where there is not but `one_writer`."""
        raise AssertionError(f"{type(self).__name__} has but one writer")

    def insert(self, table: str, batch: Any, fields: Sequence[Field]) -> None:
        """Rows into a table that is no entity's."""
        names = [self.quoted(name) for name in batch.schema.names]
        for statement in insert_statements(table, names, batch, fields, self.dialect):
            self.run(statement.rstrip(";\n"))

    def set_values(self, entity: Entity, batch: Any, fields: Sequence[Field]) -> None:
        """Give columns of rows that are there their values; the batch holds the key and these columns."""
        table, new = self.table(entity), self.quoted("weltigen_values")
        names = ", ".join(map(self.quoted, batch.schema.names))
        self.run(f"CREATE TEMPORARY TABLE {new} AS SELECT {names} FROM {table} WHERE 1 = 0")
        self.insert(new, batch, fields)
        self.run(f"CREATE INDEX {self.quoted('weltigen by key')} ON {new} ({', '.join(map(self.quoted, entity.key))})")
        given = [name for name in batch.schema.names if name not in entity.key]
        same = " AND ".join(f"{new}.{self.quoted(name)} = {table}.{self.quoted(name)}" for name in entity.key)
        if self.dialect == "mysql":
            settings = ", ".join(f"{table}.{self.quoted(name)} = {new}.{self.quoted(name)}" for name in given)
            self.run(f"UPDATE {table} JOIN {new} ON {same} SET {settings}")
        else:
            settings = ", ".join(f"{self.quoted(name)} = {new}.{self.quoted(name)}" for name in given)
            self.run(f"UPDATE {table} SET {settings} FROM {new} WHERE {same}")
        self.run(f"DROP TABLE {new}" if self.dialect != "mysql" else f"DROP TEMPORARY TABLE {new}")

    # whether a definition ends the transaction, so that none takes it back
    defines_at_once = False

    def make_ledger(self, sql: str) -> None:
        self.run(sql)

    def take_away(self, entities: Sequence[Entity]) -> None:
        """Drop tables that hold no rows, whatever refers to them; only where `defines_at_once`."""
        raise AssertionError(f"{type(self).__name__} takes definitions back by itself")

    def late_references(self, stage: Plan, made: frozenset[str]) -> dict[str, list[Relation]]:
        """References, by entity, that the database would look at before the rows are there that they point to; `made` are tables
        of this run's own."""
        return {}

    # the same everywhere

    @property
    def left(self) -> str:
        """What a failure leaves there."""
        return "what is committed stays, and the same command goes on" if self.in_steps else "nothing was kept"

    def keep_changes(self) -> None:
        """Let what was done last, unless somebody else ends the transaction."""
        if not self.borrowed:
            self.step()

    @contextmanager
    def changing(self, wait: float, doing: str) -> Iterator[None]:
        """The place, open; at the end what was not kept is taken back, and a failure is told in its words."""
        try:
            self.open(wait)
            yield
        except Exception as error:
            said = self.failure(error, doing)
            self.abandon()
            raise said from None
        except BaseException:
            self.abandon()
            raise
        self.abandon()

    def before_deletes(self) -> None:  # noqa: B027
        """Make ready for deletes that are done before anything is committed."""

    def table(self, entity: Entity) -> str:
        return table_name(entity, self.dialect)

    def quoted(self, name: str) -> str:
        return quoted(name, self.dialect)

    def count(self, entity: Entity) -> int:
        return int(self.query(f"SELECT count(*) FROM {self.table(entity)}")[0][0])

    def stored_rows(self, entity: Entity, fields: Sequence[Field]) -> Any:
        """Columns of a table as a pyarrow.Table, in the order of the entity's key."""
        listed = ", ".join(self.quoted(field.name) for field in fields)
        order = f" ORDER BY {', '.join(map(self.quoted, entity.key))}" if entity.key else ""
        return typed_table(fields, self.query(f"SELECT {listed} FROM {self.table(entity)}{order}"))

    def holds_rows(self, entity: Entity) -> bool:
        return bool(self.query(f"SELECT 1 FROM {self.table(entity)} LIMIT 1"))

    def clear(self, order: Sequence[Entity], loosened: Sequence[tuple[Entity, Sequence[str]]]) -> None:
        """Delete all rows of some tables, children first; before that the columns `loosened` are set null."""
        for entity, columns in loosened:
            self.run(f"UPDATE {self.table(entity)} SET {', '.join(f'{self.quoted(column)} = NULL' for column in columns)}")
        for entity in order:
            self.run(f"DELETE FROM {self.table(entity)}")

    def key(self, entity: Entity) -> str:
        """By what two tables are told to be one."""
        return self.table(entity)

    def require_targets(self, entities: Mapping[str, Entity], of: Collection[str] | None = None) -> None:
        """TargetError where a row refers to nothing, one `of` some entities or of any; for databases that do not look by
        themselves."""
        for name, entity in entities.items():
            for relation in entity.relations if of is None or name in of else ():
                if relation.guess is not None or relation.target not in entities:
                    continue
                columns, targets = (list(map(self.quoted, names)) for names in (relation.columns, relation.target_columns))
                on = " AND ".join(f"this.{a} = other.{b}" for a, b in zip(columns, targets, strict=True))
                given = " AND ".join(f"{column} IS NOT NULL" for column in columns)
                other = f"LEFT JOIN {self.table(entities[relation.target])} AS other ON {on} WHERE other.{targets[0]} IS NULL"
                # each value once, which an index of the reference answers without its rows
                values = f"SELECT DISTINCT {', '.join(columns)} FROM {self.table(entity)} WHERE {given}"
                if self.query(f"SELECT 1 FROM ({values}) AS this {other} LIMIT 1"):
                    rows = f"SELECT * FROM {self.table(entity)} WHERE {given}"
                    lost = self.query(f"SELECT count(*) FROM ({rows}) AS this {other}")[0][0]
                    said = f"{lost:,} rows of {name} refer to a {relation.target} that is not there"
                    raise TargetError(f"{self.name}: {said}; {self.left}", hint=OUR_FAULT)


OUR_FAULT = "rows that break a rule of the model are a fault in weltigen, not in the model: please report it"
THEIR_RULE = "the table has a rule that the model does not declare: read the model from the database itself"


def may_come_later(relation: Relation, plan: Plan) -> bool:
    """Whether some row may refer to one that is loaded after it."""
    order = plan.order
    if relation.entity not in order or relation.target not in order:
        return False
    return order.index(relation.target) >= order.index(relation.entity)


def their_world(connection: Any, name: str) -> World | None:
    """What an SQLAlchemy connection sees; the driver's own error where it cannot look."""
    from sqlalchemy.exc import DBAPIError

    try:
        return world_there(connection, name)
    except DBAPIError as error:
        raise error.orig or error from None


def refuse_one_name(plan: Plan, database: str) -> None:
    """UsageError where two tables, or two columns of one, differ in case only."""
    for owner, names in ((None, tuple(plan.entities)), *((e.name, e.columns) for e in plan.entities.values())):
        taken: dict[str, str] = {}
        for name in names:
            other = taken.setdefault(name.lower(), name)
            if other != name:
                of = f"columns {other} and {name} of {owner}" if owner else f"tables {other} and {name}"
                raise UsageError(f"{database} takes the {of} for one", hint="a folder of files holds them both: --into FOLDER")
