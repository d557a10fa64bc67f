"""Taking the rows of a run away again: by the ledger, or by a receipt, whose keys are made anew."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..engine import BATCH, make_rows
from ..model import Entity, World
from ..model.problems import RefusedError, UsageError
from ..plan import Plan
from ..planning.delete_order import delete_order_of
from ..readers.sources import read_text
from ..rows import PlanRuntime
from ..stored.locations import Database, DuckdbFile, SqliteFile, location_of, shown_location
from ..targets.databases import Ledger, Place, place_at
from ..targets.databases.guard import refuse_protected
from .runs import dataset_of


@dataclass(frozen=True, slots=True)
class Withdrawn:
    """Rows by entity that were taken away, or would be."""

    target: str
    rows: Mapping[str, int]


def withdraw(target: str | Path, *, receipt: str | Path | None = None, wait: float = 10.0, dry_run: bool = False) -> Withdrawn:
    """Take the rows of the last run away again, in delete order and in one transaction; nothing else is touched.

    The run is the last one of the ledger, also one that was cut off, or that of a `receipt` file. RefusedError where rows that
    others wrote refer to them.
    """
    location = location_of(target)
    if not isinstance(location, Database | SqliteFile | DuckdbFile):
        raise UsageError(f"{shown_location(target)} is no database", hint="of a folder of files, remove the folder")
    place = place_at(location)
    with place.changing(wait, "taking rows away"):
        ledger = Ledger(place)
        runs = ledger.runs() if receipt is None else []
        if receipt is None and not runs:
            raise UsageError(f"{place.name} has no ledger of runs", hint="name the run's receipt: --receipt FILE")
        text = read_text(Path(receipt)) if receipt is not None else runs[-1].receipt.to_json()
        plan = dataset_of(text, str(receipt or place.name), done=not runs or runs[-1].done).plan
        refuse_protected(place, plan.world.protected)
        if not dry_run:
            place.before_deletes()
        done = _take_away(place, plan, doing=not dry_run)
        if not dry_run:
            for run in runs[-1:]:
                ledger.forget(run)
            place.keep_changes()
    return done


def _take_away(place: Place, plan: Plan, doing: bool) -> Withdrawn:
    stage = plan.stages[-1] if plan.stages else plan
    runtime = PlanRuntime(stage, {})
    rows: dict[str, int] = {}
    order = [name for name in delete_order_of(stage).order if name not in stage.kept]
    keys = {name: _keys_of(stage.entities[name].entity) for name in order}
    for name in order:
        _load_keys(place, runtime, name, keys[name])
    entities = {name: stage.entities[name].entity for name in order}
    found = place.world()
    tables = {place.key(entity): entity for entity in (found.entities if found is not None else ())}
    _refuse_referred_to(place, found, entities, keys)
    for name in order:
        entity, mine = entities[name], _among(place, entities[name], keys[name])
        rows[name] = int(place.query(f"SELECT count(*) FROM {place.table(entity)} WHERE {mine}")[0][0])
    for name in order if doing else ():
        entity, mine = entities[name], _among(place, entities[name], keys[name])
        there = tables.get(place.key(entity), entity)
        for relation in (one for one in there.relations if one.guess is None):  # round in a circle, one of them lets go first
            columns = [c for c in relation.columns if there.field(c).nullable and c not in keys[name]]
            if columns and relation.target in order and order.index(relation.target) <= order.index(name):
                listed = ", ".join(f"{place.quoted(column)} = NULL" for column in columns)
                place.run(f"UPDATE {place.table(entity)} SET {listed} WHERE {mine}")
        place.run(f"DELETE FROM {place.table(entity)} WHERE {mine}")
    return Withdrawn(place.name, rows)


def _keys_of(entity: Entity) -> tuple[str, ...]:
    key = entity.key or next((rule.columns for rule in entity.unique_rules), ())
    if not key:
        raise UsageError(f"{entity.name} has no key by which its rows are known", hint="replace all rows instead")
    return key


def _table(place: Place, entity: Entity) -> str:
    return place.quoted(f"weltigen_{entity.name}"[:60])


def _load_keys(place: Place, runtime: PlanRuntime, name: str, key: tuple[str, ...]) -> None:
    """A temporary table of the keys of a run's rows."""
    entity_plan = runtime.plan.entities[name]
    table, listed = _table(place, entity_plan.entity), ", ".join(map(place.quoted, key))
    place.run(f"CREATE TEMPORARY TABLE {table} AS SELECT {listed} FROM {place.table(entity_plan.entity)} WHERE 1 = 0")
    for start in range(entity_plan.entity.there, entity_plan.total, BATCH):
        ordinals = np.arange(start, min(entity_plan.total, start + BATCH), dtype=np.int64)
        place.insert(table, make_rows(runtime, name, ordinals).select(list(key)), [entity_plan.entity.field(c) for c in key])
    place.run(f"CREATE INDEX {place.quoted(f'weltigen by {name}'[:60])} ON {table} ({listed})")


def _among(place: Place, entity: Entity, key: tuple[str, ...]) -> str:
    same = " AND ".join(f"mine.{place.quoted(c)} = {place.table(entity)}.{place.quoted(c)}" for c in key)
    return f"EXISTS (SELECT 1 FROM {_table(place, entity)} AS mine WHERE {same})"


def _refuse_referred_to(
    place: Place, found: World | None, entities: Mapping[str, Entity], keys: Mapping[str, tuple[str, ...]]
) -> None:
    """RefusedError where rows that are not the run's refer to some that are: no delete rule may take them along."""
    by_table = {place.key(entity): name for name, entity in entities.items()}
    for other in found.entities if found is not None else ():
        own = by_table.get(place.key(other))
        for relation in other.relations:
            target = by_table.get(place.key(found.entity(relation.target))) if found is not None else None
            if target is None or relation.guess is not None or set(relation.target_columns) != set(keys[target]):
                continue
            table = place.table(other)
            pairs = zip(relation.columns, relation.target_columns, strict=True)
            on = " AND ".join(f"mine.{place.quoted(b)} = {table}.{place.quoted(a)}" for a, b in pairs)
            theirs = f" AND NOT {_among(place, entities[own], keys[own])}" if own is not None else ""
            referring = f"EXISTS (SELECT 1 FROM {_table(place, entities[target])} AS mine WHERE {on})"
            number = place.query(f"SELECT count(*) FROM {table} WHERE {referring}{theirs}")[0][0]
            if number:
                raise RefusedError(
                    f"{place.name}: {number:,} rows of {other.name} that others wrote refer to {target}; nothing was changed",
                    hint="change or delete these first",
                )
