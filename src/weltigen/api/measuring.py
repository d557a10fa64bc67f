"""Data that exists, measured: for a draft that has its shapes, and beside what a world makes."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pyarrow as pa

from .. import model
from ..measuring import Compared, EntityProfile, compared, learn, profile_of, profiles_at
from ..measuring.profile import Children, children_of
from ..measuring.sampling import MOST
from ..planning import make_plan
from .dataset import Dataset
from .opening import open_world
from .world import World


@dataclass(slots=True)
class Measuring:
    """Puts what is measured at `place` into a world, and keeps what nothing is told of."""

    place: str | Path
    left_out: tuple[tuple[str, str], ...] = ()
    rows: dict[str, int] = field(default_factory=dict)

    def __call__(self, world: model.World) -> model.World:
        profiles = profiles_at(world, self.place)
        self.rows = {name: one.rows for name, one in profiles.items()}
        learned = learn(world, profiles)
        if make_plan(learned.world).problems and not make_plan(world).problems:
            learned = learn(world, profiles, counted=False)  # as many rows as there are have no room in its rules
        self.left_out = learned.left_out
        return learned.world


def compare(world: World | str | Path, place: str | Path) -> list[Compared]:
    """The data at `place` (a folder, a database file, or a database by its URL) beside what `world` makes: by field the shares,
    quantiles and lengths of both, and how far they lie apart, from 0 to 1. No value that is told is one of a single row.

    Raises UsageError and UnreadableError where the one or the other cannot be read, ImpossibleError where the world has no rows.
    """
    opened = world if isinstance(world, World) else open_world(world)
    dataset = opened.dataset()
    measured = profiles_at(opened.declared, place)
    return compared(measured, {name: _made(dataset, name) for name in measured})


def _made(dataset: Dataset, name: str) -> EntityProfile:
    entity = dataset.plan.world.entity(name)
    total = dataset.counts[name]
    step = -(-total // MOST)
    parts, columns = [], {relation.name: relation.columns[0] for relation in entity.relations if len(relation.columns) == 1}
    referring: dict[str, list[pa.Array]] = {relation: [] for relation in columns}
    at = 0
    for batch in dataset.batches(name):
        parts.append(batch.take(pa.array(np.arange(-at % step, batch.num_rows, step))))
        at += batch.num_rows
        for relation, column in columns.items():
            referring[relation].append(batch.column(column))
    table = pa.Table.from_batches(parts, schema=None) if parts else None
    children = {relation: _children(dataset, entity.relation(relation).target, found) for relation, found in referring.items()}
    if table is None:
        return EntityProfile(rows=0, sampled=0)
    return profile_of(entity, table, total, {name: one for name, one in children.items() if one is not None})


def _children(dataset: Dataset, target: str, columns: list[pa.Array]) -> Children | None:
    if not columns:
        return None
    counted = pa.chunked_array(columns).drop_null().value_counts()
    return children_of(counted.field("counts").to_numpy(zero_copy_only=False), dataset.counts[target])
