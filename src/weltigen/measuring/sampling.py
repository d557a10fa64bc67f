"""Rows that are there, read to be measured: all of a small table, and of a large one every so-manieth by its key."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from ..model import Entity, Field, Relation, World
from ..model.problems import UsageError
from ..model.types import NUMBERS, TypeName
from ..stored.locations import shown_location
from ..stored.names import quoted
from ..stored.stores import NotAnswered, Store, open_store
from ..stored.tables import typed_table
from .profile import Children, EntityProfile, children_of, profile_of

MOST = 50_000  # rows of a table that are looked at


def profiles_at(world: World, place: str | Path) -> Mapping[str, EntityProfile]:
    """The profiles of what is stored of a world: in a folder of CSV or Parquet files, an SQLite or DuckDB file, or a database.

    UsageError where nothing of it is there, or what is there cannot be asked.
    """
    store = open_store(place)
    try:
        found = {entity.name: store.columns(entity) for entity in world.entities}
        if all(columns is None for columns in found.values()):
            hint = f"it would hold: {', '.join(world.entity_names[:8])}"
            raise UsageError(f"{shown_location(place)} holds nothing of {world.name}", hint=hint)
        counts = {entity.name: _count(store, entity) for entity in world.entities if found[entity.name] is not None}
        return {
            entity.name: _profile(store, entity, found[entity.name] or {}, counts)
            for entity in world.entities
            if counts.get(entity.name)
        }
    except NotAnswered as error:
        raise UsageError(f"{shown_location(place)} cannot be measured: {error}") from None
    finally:
        store.close()


def _count(store: Store, entity: Entity) -> int:
    return int(store.query(f"SELECT count(*) FROM {store.table(entity)}")[0][0])


def _profile(store: Store, entity: Entity, columns: Mapping[str, str], counts: Mapping[str, int]) -> EntityProfile:
    rows = counts[entity.name]
    fields = [field for field in entity.fields if field.generated is None and field.name in columns]
    listed = ", ".join(store.exactly(quoted(field.name), field.type) for field in fields)
    sql = f"SELECT {listed} FROM {store.table(entity)}"
    if not fields:
        return EntityProfile(rows=rows, sampled=0)
    step = -(-rows // MOST)
    if step > 1:
        order = ", ".join(map(quoted, entity.key)) if entity.key and set(entity.key) <= set(columns) else "1"
        named = ", ".join(f"c{at}" for at in range(len(fields)))
        inner = ", ".join(f"{store.exactly(quoted(field.name), field.type)} AS c{at}" for at, field in enumerate(fields))
        numbered = f"SELECT {inner}, row_number() OVER (ORDER BY {order}) AS place FROM {store.table(entity)}"
        sql = f"SELECT {named} FROM ({numbered}) AS numbered WHERE place % {step} = 0"
    table = _table(fields, store.query(sql))
    children = {
        relation.name: told
        for relation in entity.relations
        if len(relation.columns) == 1 and relation.target in counts and relation.columns[0] in columns
        for told in (_children(store, entity, relation, counts[relation.target]),)
    }
    return profile_of(entity, table, rows, children)


def _table(fields: Sequence[Field], rows: Sequence[Sequence[Any]]) -> Any:
    """The rows as a pyarrow.Table, without the columns that hold something else than their types say."""
    columns: dict[str, Any] = {}
    for field, values in zip(fields, zip(*rows, strict=True) if rows else [()] * len(fields), strict=True):
        with suppress(pa.ArrowException, ValueError, TypeError, OverflowError, ArithmeticError):
            column = typed_table([field], [(value,) for value in values])[field.name]
            if not (pa.types.is_string(column.type) and field.type.name in NUMBERS | {TypeName.BOOLEAN}):
                columns[field.name] = column
    return pa.table(columns)


def _children(store: Store, entity: Entity, relation: Relation, owners: int) -> Children:
    """How many rows each target has, asked of the whole table."""
    column = quoted(relation.columns[0])
    each = f"SELECT count(*) AS number FROM {store.table(entity)} WHERE {column} IS NOT NULL GROUP BY {column}"
    answer = store.query(f"SELECT number, count(*) FROM ({each}) AS each_one GROUP BY number")
    pairs = np.array([(int(number), int(times)) for number, times in answer], np.int64).reshape(-1, 2)
    return children_of(np.repeat(pairs[:, 0], pairs[:, 1]), owners)
