"""Filling named fields in rows that a database holds, where they are null: a column that a migration added."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow.compute as pc

from ..engine import BATCH, make_rows
from ..model import Entity
from ..model.problems import RefusedError, UsageError, nearest
from ..stored.names import quoted, table_name
from ..stored.sql_text import literals
from ..targets.databases import Place
from ..targets.databases.guard import refuse_protected
from .beside import beside, place_for
from .dataset import Dataset
from .world import World


@dataclass(frozen=True, slots=True)
class Completed:
    """Rows in which each `entity.field` was filled, or would be."""

    target: str
    rows: Mapping[str, int]


def complete(
    world: World, target: Any, fields: Sequence[str], *, seed: int | None = None, now: str | None = None, wait: float = 10.0,
    dry_run: bool = False, script: str | Path | None = None,
) -> Completed:  # fmt: skip
    """Fill fields (`entity.field`) where they are null, by the world's rules for them; no other value is touched.

    With `script` nothing is changed, but a file of UPDATE statements is written. All is done in one transaction.
    """
    asked = _asked(world, fields)
    if script is not None and Path(script).exists():
        raise RefusedError(f"{script} is there already; nothing was changed", hint="choose another name, or remove it first")
    there = beside(world.declared, target)
    entities = tuple(_with_gaps(e, asked[e.name]) if e.name in asked else e for e in there.entities)
    open_world = World.__new__(World)
    open_world.declared = replace(there, entities=entities)
    dataset = open_world.dataset(seed=seed, now=now)
    place = place_for(target)
    statements: list[str] = []
    rows: dict[str, int] = {}
    with place.changing(wait, "filling fields"):
        refuse_protected(place, world.declared.protected)
        for name, columns in asked.items():
            rows |= _fill(place, dataset, there.entity(name), columns, statements if script is not None or dry_run else None)
        if script is None and not dry_run:
            place.keep_changes()
    if script is not None and not dry_run:
        Path(script).write_text("".join(statements), "utf-8")
    return Completed(place.name, rows)


def _asked(world: World, fields: Sequence[str]) -> dict[str, list[str]]:
    asked: dict[str, list[str]] = {}
    for path in fields:
        name, _, column = path.rpartition(".")
        entity = world.entity(name)
        if not entity.has(column):
            raise UsageError(f"{name} has no field '{column}'", hint=nearest(column, entity.field_names))
        if entity.field(column).generated is not None:
            raise UsageError(f"{path} is computed by the database")
        if not entity.key:
            raise UsageError(f"{name} has no key by which its rows are known")
        asked.setdefault(name, []).append(column)
    return asked


def _with_gaps(entity: Entity, columns: list[str]) -> Entity:
    """The entity with what is null in some columns of its rows left open."""
    rows = tuple(tuple((name, text) for name, text in row if name not in columns or text is not None) for row in entity.fixed)
    return replace(entity, fixed=rows)


def _fill(place: Place, dataset: Dataset, entity: Entity, columns: list[str], statements: list[str] | None) -> dict[str, int]:
    filled = {}
    for column in columns:
        open_ = np.array([at for at, row in enumerate(entity.fixed) if dict(row).get(column) is None], np.int64)
        number = 0
        for start in range(0, open_.size, BATCH):
            batch = make_rows(dataset.runtime, entity.name, open_[start : start + BATCH]).select([*entity.key, column])
            batch = batch.filter(pc.is_valid(batch.column(column)))
            number += batch.num_rows
            fields = [entity.field(name) for name in batch.schema.names]
            if statements is not None:
                statements += _updates(place, entity, column, batch)
            elif batch.num_rows:
                place.set_values(entity, batch, fields)
        filled[f"{entity.name}.{column}"] = number
    return filled


def _updates(place: Place, entity: Entity, column: str, batch: Any) -> list[str]:
    table, dialect = table_name(entity, place.dialect), place.dialect
    texts = {name: literals(batch.column(name), entity.field(name), dialect).to_pylist() for name in batch.schema.names}
    where = [f"{quoted(name, dialect)} = " for name in entity.key]
    keys = zip(*(texts[name] for name in entity.key), strict=True)
    return [
        f"UPDATE {table} SET {quoted(column, dialect)} = {value} WHERE"
        f" {' AND '.join(part + text for part, text in zip(where, key, strict=True))};\n"
        for value, key in zip(texts[column], keys, strict=True)
    ]
