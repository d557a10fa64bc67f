"""Any other database that SQLAlchemy opens: plain inserts of many rows, slower than a database's own way of loading."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ...model import Entity, Field, TypeName, World
from ...model.problems import TargetError, WeltigenError
from ...plan import EntityPlan, Plan
from ...readers.live import world_there
from ...stored.floats import widened_rows
from ...stored.names import schema_and_table
from ...stored.receipts import Receipt
from .place import OUR_FAULT, PROTECTED, THEIR_RULE
from .server import ServerPlace

_KEYED = 255  # characters of a text in a key, where it has no length of its own


class GeneralPlace(ServerPlace):
    dialect = "standard"

    def __init__(self, url: str | None = None, connection: Any = None) -> None:
        super().__init__(url, connection)
        self._tables: dict[str, Any] = {}

    def open(self, wait: float) -> None:
        self.connect()
        if not self.borrowed:
            self._connection.begin()

    def quoted(self, name: str) -> str:
        return str(self._connection.dialect.identifier_preparer.quote_identifier(name))

    def table(self, entity: Entity) -> str:
        schema, table = schema_and_table(entity)
        return f"{self.quoted(schema)}.{self.quoted(table)}" if schema is not None else self.quoted(table)

    def key(self, entity: Entity) -> str:
        return entity.name.casefold()

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        from sqlalchemy import text

        return [tuple(row) for row in self._connection.execute(text(sql.replace(":", r"\:"))).all()]

    def run(self, sql: str) -> int:
        from sqlalchemy import text

        return int(self._connection.execute(text(sql.replace(":", r"\:"))).rowcount)

    def holds_rows(self, entity: Entity) -> bool:
        return self.count(entity) > 0  # not every database knows LIMIT

    def failure(self, error: Exception, doing: str) -> Exception:
        from sqlalchemy.exc import IntegrityError, SQLAlchemyError

        if isinstance(error, WeltigenError) or not isinstance(error, SQLAlchemyError):
            return error
        said = str(getattr(error, "orig", None) or error).partition("\n")[0][:200]
        hint = f"{OUR_FAULT}; or {THEIR_RULE}" if isinstance(error, IntegrityError) else None
        return TargetError(f"{self.name}: {doing}: {said}; {self.left}", hint=hint)

    def has_table(self, name: str) -> bool:
        from sqlalchemy import inspect

        return bool(inspect(self._connection).has_table(name))

    def step(self) -> None:
        self._connection.commit()
        self._connection.begin()

    def world(self) -> World | None:
        return world_there(self._connection, self.name)

    def protected_by(self) -> str | None:
        return f"its table {PROTECTED}" if self.has_table(PROTECTED) else None

    def create(self, world: World, entities: Sequence[Entity]) -> list[str]:
        from sqlalchemy import ForeignKeyConstraint, Index, MetaData
        from sqlalchemy.schema import AddConstraint, CreateIndex, CreateTable

        metadata, left = MetaData(), list[str]()
        tables = {entity.name: _table(metadata, world, entity) for entity in entities}
        for entity in entities:
            self._connection.execute(CreateTable(tables[entity.name]))
            left += [f"{entity.name}: {check}" for check in entity.checks]
            left += [f"{entity.name}: {rule}" for rule in entity.special_rules]
        for entity in entities:
            table = tables[entity.name]
            for number, index in enumerate(entity.indexes):
                if index.columns and not index.expressions and not index.where:
                    made = Index(f"ix_{table.name}_{number}"[:60], *(table.c[name] for name in index.columns))
                    self._connection.execute(CreateIndex(made))
            for relation in entity.relations:
                known = relation.guess is None and relation.target in tables
                if not known or not world.entity(relation.target).tells_apart(relation.target_columns):
                    continue
                target = tables[relation.target]
                rule = ForeignKeyConstraint(list(relation.columns), [target.c[name] for name in relation.target_columns])
                table.append_constraint(rule)
                if not self._attempt(AddConstraint(rule)):
                    left.append(f"{relation.label} to {relation.target}")
        return left

    def _attempt(self, statement: Any) -> bool:
        from sqlalchemy.exc import CompileError, SQLAlchemyError

        try:
            with self._connection.begin_nested():
                self._connection.execute(statement)
        except (SQLAlchemyError, CompileError):
            return False
        return True

    def begin_rows(self, plan: Plan, there: World | None, created: frozenset[str]) -> None:
        from sqlalchemy import MetaData, Table

        metadata = MetaData()
        for name in plan.order:
            schema, table = schema_and_table(plan.world.entity(name))
            self._tables[name] = Table(table, metadata, schema=schema, autoload_with=self._connection)

    def convert(self, entity_plan: EntityPlan, batch: Any) -> Any:
        return widened_rows(batch)

    def load(self, entity_plan: EntityPlan, converted: Any) -> None:
        if converted:
            self._connection.execute(self._tables[entity_plan.name].insert(), converted)

    def end_rows(self) -> list[str]:
        assert self._plan is not None
        self.require_targets({entity.name: entity for entity in self._plan.world.entities})
        return [f"{self.name}: rows were inserted by plain statements, which is slower than this database's own way of loading"]

    def commit(self, receipt: Receipt) -> None:
        if not self.borrowed:
            self._connection.commit()


def _table(metadata: Any, world: World, entity: Entity) -> Any:
    """A table in types that every database of SQLAlchemy has."""
    from sqlalchemy import Column, PrimaryKeyConstraint, Table, UniqueConstraint

    keyed = {c for rule in entity.unique_rules for c in rule.columns} | {c for r in entity.relations for c in r.columns}
    keyed |= world.columns_referred_to(entity.name)
    parts: list[Any] = [
        Column(f.name, _type(f, f.name in keyed), nullable=f.nullable, autoincrement=f.identity or "auto") for f in entity.fields
    ]
    if entity.key:
        parts.append(PrimaryKeyConstraint(*entity.key))
    plain = [rule for rule in entity.unique_rules if rule.columns != entity.key and rule.nulls_distinct]
    parts += [UniqueConstraint(*rule.columns) for rule in plain]
    schema, table = schema_and_table(entity)
    return Table(table, metadata, *parts, schema=schema)


def _type(field: Field, keyed: bool) -> Any:
    import sqlalchemy as sa

    of = field.type.stored
    match of.name:
        case TypeName.SMALLINT | TypeName.INTEGER:
            return sa.Integer()
        case TypeName.BIGINT:
            return sa.BigInteger()
        case TypeName.NUMERIC:
            return sa.Numeric(*of.digits)
        case TypeName.REAL | TypeName.DOUBLE:
            return sa.Double()
        case TypeName.BOOLEAN:
            return sa.Boolean()
        case TypeName.DATE:
            return sa.Date()
        case TypeName.TIME:
            return sa.Time()
        case TypeName.TIMESTAMP | TypeName.TIMESTAMPTZ:
            return sa.DateTime(timezone=of.name is TypeName.TIMESTAMPTZ)
        case TypeName.BYTEA:
            return sa.LargeBinary(of.length)
        case TypeName.ENUM:
            return sa.String(max(map(len, of.values), default=_KEYED))
    if of.length is not None:
        return sa.String(of.length)
    return sa.String(_KEYED) if keyed else sa.Text()
