"""Rows of a folder or an SQLite file, looked at in the order in which they are stored."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa

from ...expression import NotEvaluableError, parse
from ...expression.labels import label_of
from ...infer import infer
from ...model import Entity, FieldType, Relation, TypeName
from ...model import World as ModelWorld
from ...model.paths import resolve_path
from ...model.problems import UnreadableError, UsageError, nearest
from ...readers.sources import read_source, read_text
from ...readers.world_json import world_from_receipt
from ...stored.locations import Database, location_of, shown_location
from ...stored.names import literal, quoted
from ...stored.receipts import receipt_path
from ...stored.stores import open_store
from ...stored.stores.store import NotAnswered, Store
from .record import ALL, ENDS, Choice, Record, Referring, labels_by_column, other_end, referring

_ORDINAL = " ordinal"  # no field is called so


class StoredRecords:
    """Rows of a folder or an SQLite file, in the order in which they are stored."""

    def __init__(self, world: ModelWorld, target: str | Path) -> None:
        self.world, self.where = world, f"stored in {shown_location(target)}"
        self.place: Store = open_store(target)
        self.entities = [entity for entity in world.entities if self.place.columns(entity) is not None]

    def counts(self) -> dict[str, int]:
        return {entity.name: int(self._ask(f"SELECT count(*) FROM {self.place.table(entity)}")[0][0]) for entity in self.entities}

    def _ask(self, sql: str) -> list[tuple[Any, ...]]:
        try:
            return self.place.query(sql)
        except NotAnswered as error:
            raise UnreadableError(f"{self.where.removeprefix('stored in ')}: {error}") from None

    def _select(self, entity: Entity, rest: str) -> list[dict[str, Any]]:
        stored = self.place.columns(entity)
        if stored is None:
            raise UsageError(f"there is no {entity.name} in {self.where.removeprefix('stored in ')}")
        names = [field.name for field in entity.fields if field.name in stored]
        if not names:
            raise UnreadableError(f"{self.where.removeprefix('stored in ')}: {entity} has none of the fields of the model")
        rows = self._ask(f"SELECT {', '.join(map(quoted, names))} FROM {self.place.table(entity)} {rest}")
        forms = [_form(entity.field(name).type) for name in names]
        return [{n: form(v) for n, form, v in zip(names, forms, row, strict=True)} for row in rows]

    def size(self, entity: str, choice: Choice = ALL) -> int:
        declared = self.world.entity(entity)
        if choice.where is None or declared not in self.entities:
            return self.counts().get(entity, 0)
        sql = f"SELECT count(*) FROM {self.place.table(declared)} WHERE {self._condition(declared, choice.where)}"
        return int(self._ask(sql)[0][0])

    def page(self, entity: str, start: int, limit: int, choice: Choice = ALL) -> list[dict[str, Any]]:
        declared = self.world.entity(entity)
        choice.check(declared)
        parts = [f"WHERE {self._condition(declared, choice.where)}"] if choice.where is not None else []
        parts += [f"ORDER BY {quoted(choice.order)}"] if choice.order is not None else [self._stored_order(declared)]
        rows = self._select(declared, " ".join([*parts, f"LIMIT {limit} OFFSET {start}"]))
        return [{name: row[name] for name in choice.columns if name in row} for row in rows] if choice.columns else rows

    def labels(self, entity: str, start: int, limit: int, choice: Choice = ALL) -> list[dict[str, str]]:
        rows = self.page(entity, start, limit, replace(choice, columns=()))
        return [self._labels(self.world.entity(entity), row) for row in rows]

    def _labels(self, entity: Entity, values: dict[str, Any]) -> dict[str, str]:
        parents = ((relation, self._parent(relation, values)) for relation in entity.relations)
        named = [(r, self._label(self.world.entity(r.target), parent)) for r, parent in parents if parent is not None]
        return labels_by_column(entity, named)

    def _condition(self, entity: Entity, where: str) -> str:
        """A condition over fields of the entity alone, in the words of what is asked; UsageError for any other."""
        try:
            parsed = parse(where)
        except NotEvaluableError as error:
            raise UsageError(str(error)) from None
        for path in parsed.paths:
            if not entity.has(path):
                raise UsageError(f"{entity.name} has no field '{path}'", hint=nearest(path, entity.field_names))
        return parsed.sql(self.place.dialect)

    def ordinal(self, entity: str, where: str) -> int | None:
        declared = self.world.entity(entity)
        order = self._stored_order(declared)
        numbered = (
            f"SELECT row_number() OVER ({order}) - 1 AS {quoted(_ORDINAL)}, this.* FROM {self.place.table(declared)} AS this"
        )
        condition = self._condition(declared, where)
        found = self._ask(f"SELECT {quoted(_ORDINAL)} FROM ({numbered}) AS numbered WHERE {condition} LIMIT 1")
        return int(found[0][0]) if found else None

    def record(self, entity: str, ordinal: int) -> Record:
        declared = self.world.entity(entity)
        total = int(self._ask(f"SELECT count(*) FROM {self.place.table(declared)}")[0][0]) if declared in self.entities else 0
        if not 0 <= ordinal < total:
            there = f"0 to {total - 1:,}" if total else "none"
            raise UsageError(f"{entity} has no row {ordinal:,}", hint=f"its ordinals are: {there}")
        values = self.page(entity, ordinal, 1)[0]
        labels = self._labels(declared, values)
        children: list[Referring] = []
        for child, relation in referring(self.world, entity):
            if child in self.entities:
                match = _equal(relation.columns, [values.get(column) for column in relation.target_columns])
                count = int(self._ask(f"SELECT count(*) FROM {self.place.table(child)} WHERE {match}")[0][0])
                other, ends = other_end(child, relation), []
                for link in (
                    self._select(child, f"WHERE {match} {self._stored_order(child)} LIMIT {ENDS}")
                    if other is not None and count
                    else ()
                ):
                    end = self._parent(other, link) if other is not None else None
                    ends += [self._label(self.world.entity(other.target), end)] if end is not None and other is not None else []
                children.append(Referring(entity=child.name, relation=relation.name, count=count,
                                          other=other.target if other else None, ends=tuple(ends)))  # fmt: skip
        return Record(entity=entity, ordinal=ordinal, total=total, values=values, labels=labels, children=children)

    def _stored_order(self, entity: Entity) -> str:
        """An index would bring rows in its own order; the order in which they are stored is by the number of the row. A server
        promises no order: there it is that of the key."""
        if not self.place.keeps_order:
            return f"ORDER BY {', '.join(map(quoted, entity.key))}" if entity.key else ""
        if self.place.dialect != "sqlite" or entity.has("rowid"):
            return ""
        try:
            self.place.query(f"SELECT rowid FROM {self.place.table(entity)} LIMIT 0")
        except NotAnswered:
            return ""  # a table without such numbers
        return "ORDER BY rowid"

    def _parent(self, relation: Relation, values: dict[str, Any]) -> dict[str, Any] | None:
        keys = [values.get(column) for column in relation.columns]
        target = self.world.entity(relation.target)
        if None in keys or target not in self.entities:
            return None
        found = self._select(target, f"WHERE {_equal(relation.target_columns, keys)} LIMIT 1")
        return found[0] if found else None

    def _label(self, entity: Entity, values: dict[str, Any]) -> str:
        def evaluate(text: str) -> Any:
            expression = parse(text)
            paths = {path: resolve_path(self.world, entity, path) for path in expression.paths}
            return expression.evaluate(lambda path: self._at(entity, values, paths[path]), 1)

        return label_of(entity, evaluate, values)

    def _at(self, entity: Entity, values: dict[str, Any], path: tuple[str, ...]) -> Any:
        held: dict[str, Any] | None = values
        for name in path[:-1]:
            relation = entity.relation(name)
            held, entity = self._parent(relation, held) if held else None, self.world.entity(relation.target)
        return pa.array([held[path[-1]] if held else None])


def _form(field_type: FieldType) -> Callable[[Any], Any]:
    """A stored value as its type shows it: SQLite keeps 21.00 as 21, and true as 1."""
    if field_type.name is TypeName.NUMERIC:
        unit = Decimal(1).scaleb(-field_type.digits[1])
        return lambda value: Decimal(str(value)).quantize(unit) if isinstance(value, int | float) else value
    if field_type.name is TypeName.TIME:
        return lambda value: (datetime.min + value).time() if isinstance(value, timedelta) else value
    if field_type.name is TypeName.BIT:
        length = field_type.length or 1
        return lambda value: f"{int.from_bytes(value, 'big'):0{length}b}" if isinstance(value, bytes) else value
    if field_type.name is TypeName.BOOLEAN:
        return lambda value: bool(value) if value in (0, 1) else value
    return lambda value: value


def _equal(columns: tuple[str, ...], values: list[Any]) -> str:
    return " AND ".join(f"{quoted(c)} = {_as_sql(v)}" for c, v in zip(columns, values, strict=True))


def _as_sql(value: Any) -> str:
    if value is None:
        return "NULL"
    return str(value) if isinstance(value, int | float | Decimal) else literal(str(value))


def stored_world(target: str | Path, dialect: str | None = None) -> ModelWorld:
    """The world of stored data: the receipt's, which knows labels and checks, else what the file itself declares."""
    path = Path(target)
    if isinstance(location_of(target), Database):
        return infer(read_source(str(target), dialect))
    receipt = receipt_path(path)
    if path.is_file() and receipt.is_file():
        world = world_from_receipt(read_text(receipt), str(receipt))
        store = open_store(path)
        try:
            if all(store.columns(entity) is not None for entity in world.entities):
                return world
        finally:
            store.close()
    return infer(read_source(path, dialect))
