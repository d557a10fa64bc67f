"""A world beside rows that a target holds: they become fixed rows, to which others refer and which are never written."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from hashlib import blake2b
from typing import Any

from ..model import Entity, Field
from ..model import World as ModelWorld
from ..model.literals import is_moment
from ..model.problems import UsageError
from ..stored.locations import Database, DuckdbFile, SqliteFile, location_of
from ..stored.tables import as_literals
from ..targets.databases import Place, place_at, place_of

MOST = 1_000_000  # rows of an entity that are read


def beside(world: ModelWorld, target: Any) -> ModelWorld:
    """The world with the rows of a database as fixed rows; entities that hold any get no others."""
    place = place_for(target)
    with place.changing(10.0, "reading what is there"):
        found = place.world()
        tables = {place.key(entity): entity for entity in found.entities} if found is not None else {}
        held = {e.name: _rows(place, e, table) for e in world.entities if (table := tables.get(place.key(e))) is not None}
    held = {name: rows for name, rows in held.items() if rows}
    return with_rows(world, held)


def with_rows(world: ModelWorld, held: Mapping[str, list[dict[str, str | None]]]) -> ModelWorld:
    """The world with rows, by entity, that are there already."""
    entities = []
    for entity in world.entities:
        rows = held.get(entity.name)
        if rows is None:
            entities.append(entity)
            continue
        fixed = tuple(tuple(row.items()) for row in rows)
        entities.append(replace(entity, fixed=fixed, fixed_places=(), there=len(fixed)))
    unclear = {e.name for e in world.entities if e.states is not None and (e.states.history in held or e.name in held)}
    out = [replace(e, states=None) if e.name in unclear else e for e in entities]
    return replace(world, entities=tuple(out))


def place_for(target: Any) -> Place:
    if isinstance(target, str) or hasattr(target, "__fspath__"):
        location = location_of(target)
        if not isinstance(location, Database | SqliteFile | DuckdbFile):
            raise UsageError(f"{target} is no database", hint="rows that are there are kept, or added to, in databases")
        return place_at(location)
    return place_of(target)


def _readable(texts: list[str | None], field: Field) -> list[str | None]:
    """Literals of a field; where moments are kept as texts, what is no moment counts as one of long ago."""
    if field.type.written is None:
        return texts
    other = None if field.nullable else "1970-01-01"
    return [text if text is None or is_moment(text, field.type) else other for text in texts]


def _rows(place: Place, entity: Entity, table: Entity) -> list[dict[str, str | None]]:
    """The rows of a table as literals of the entity's types, in the order of a hash of their key.

    A row's place says which rows refer to it. In the order of the key it would move with the database's way of sorting texts, and
    rows with low keys would be the favourites of all.
    """
    if not place.holds_rows(entity):
        return []
    number = place.count(entity)
    if number > MOST:
        raise UsageError(f"{place.name}: {entity.name} holds {number:,} rows, and at most {MOST:,} are read",
                         hint="start with an empty database, or replace these rows")  # fmt: skip
    fields = [f for f in entity.fields if f.generated is None and table.has(f.name)]
    stored = place.stored_rows(entity, fields)
    columns = [_readable(as_literals(stored[field.name], field.type), field) for field in fields]
    names = [field.name for field in fields]
    rows = [dict(zip(names, row, strict=True)) for row in zip(*columns, strict=True)]
    key = [name for name in entity.key if name in names]
    return sorted(rows, key=lambda row: blake2b(repr([row[name] for name in key]).encode()).digest()) if key else rows
