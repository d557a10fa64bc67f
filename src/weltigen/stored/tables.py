"""What is stored, read back as Arrow tables of the model's types."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa

from ..model import Entity, Field, FieldType, TypeName, World
from ..model.literals import read_literal, write_array
from ..model.problems import UnreadableError
from .file_names import file_stem
from .formats import reading, stored_file
from .locations import Database, DuckdbFile, Folder, location_of
from .names import quoted
from .sqlite import read_sqlite_table
from .stores import Store, open_store

TableReader = Callable[[str], Any]


def read_folder_table(path: Path, entity: Entity) -> Any:
    """One entity's file as a pyarrow.Table; UnreadableError where it is not there or does not parse."""
    schema = pa.schema([(f.name, f.type.stored.arrow()) for f in entity.fields if f.generated is None])
    found = stored_file(path, entity.name)
    if found is None:
        raise UnreadableError(f"{path / file_stem(entity.name)}.*: no such file")
    format, file = found
    with reading(file):
        return format.read(file, schema)


def read_store_table(store: Store, entity: Entity) -> Any:
    """One entity's table in a database, in the order in which it is stored, or of its key, as a pyarrow.Table."""
    fields = [field for field in entity.fields if field.generated is None and field.name in (store.columns(entity) or ())]
    if not fields:
        raise UnreadableError(f"there is no table of {entity.name}")
    listed = ", ".join(store.exactly(quoted(field.name), field.type) for field in fields)
    order = f" ORDER BY {', '.join(map(quoted, entity.key))}" if entity.key and not store.keeps_order else ""
    return typed_table(fields, store.query(f"SELECT {listed} FROM {store.table(entity)}{order}"))


def typed_table(fields: Sequence[Field], rows: Sequence[Sequence[Any]]) -> Any:
    """A driver's rows as a pyarrow.Table of the fields' types."""
    columns = zip(*rows, strict=True) if rows else [()] * len(fields)
    return pa.table({f.name: _typed(values, f.type.stored) for f, values in zip(fields, columns, strict=True)})


def as_literals(column: Any, field_type: FieldType) -> list[str | None]:
    """A column as the texts that `read_literal` reads back."""
    arrow = column.type
    if pa.types.is_binary(arrow):
        return [None if value is None else rf"\x{value.hex()}" for value in column.to_pylist()]
    if pa.types.is_list(arrow):
        return [None if value is None else write_array(value) for value in column.to_pylist()]
    if pa.types.is_timestamp(arrow):
        column = column.cast(pa.timestamp("us"))
    texts: list[str | None] = column.cast(pa.string()).to_pylist()
    return texts


def _read_once(target: str | Path, entity: Entity) -> Any:
    store = open_store(target)
    try:
        return read_store_table(store, entity)
    finally:
        store.close()


def _typed(values: Any, field_type: FieldType) -> Any:
    """A driver's values as an Arrow column of a field's type; as texts where they are none."""
    arrow = field_type.arrow()
    match field_type.name:
        case TypeName.TIME:
            values = [(datetime.min + v).time() if isinstance(v, timedelta) else v for v in values]
        case TypeName.BOOLEAN:
            values = [v if v is None else bool(v) for v in values]
        case TypeName.ARRAY:
            values = [read_literal(v, field_type) if isinstance(v, str) else v for v in values]
        case TypeName.NUMERIC if any(isinstance(v, str) for v in values):  # PostgreSQL's money
            values = [v if v is None else Decimal(re.sub(r"[^\d.-]", "", str(v))) for v in values]
        case TypeName.NUMERIC if any(isinstance(v, float) for v in values):  # as SQLite keeps decimals
            last = Decimal(1).scaleb(-field_type.digits[1])
            values = [Decimal(repr(v)).quantize(last) if isinstance(v, float) else v for v in values]
        case TypeName.BIT:
            width = field_type.length or 1
            values = [f"{int.from_bytes(v, 'big'):0{width}b}" if isinstance(v, bytes) else v for v in values]
        case TypeName.TIMESTAMPTZ:
            values = [v.replace(tzinfo=UTC) if isinstance(v, datetime) and v.tzinfo is None else v for v in values]
    if pa.types.is_temporal(arrow) and any(isinstance(v, str) for v in values):  # MySQL's zero dates are no dates
        values = [None if isinstance(v, str) and v.startswith("0000-00") else v for v in values]
    if pa.types.is_string(arrow):
        values = [v if v is None else str(v) for v in values]
    try:
        return pa.array(values, arrow)
    except (pa.ArrowException, TypeError, ValueError, OverflowError):
        return pa.array([None if v is None else str(v) for v in values], pa.string())


def table_reader(target: str | Path, world: World) -> TableReader:
    """A function from an entity's name to what is stored there, a pyarrow.Table of its fields' types."""
    location = location_of(target)
    if isinstance(location, Folder):
        return lambda entity: read_folder_table(location.path, world.entity(entity))
    if isinstance(location, Database | DuckdbFile):
        return lambda entity: _read_once(target, world.entity(entity))
    return lambda entity: read_sqlite_table(location.path, world.entity(entity))
