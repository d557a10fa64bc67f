"""Targets near a row that another reference of the row goes to.

For each row of that reference's target the nearest rows are found once, by a k-d tree over points of the unit sphere, whose
straight distances rise with those of great circles (Bentley, 1975). 8 bytes are kept for each of them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ...model import Entity
from ...model.paths import Cell
from ...randomness import Bits
from ...randomness.mixing import below
from ..ports import Ordinals, RowsPort, RuntimePort
from .way import ReferenceWay

_BLOCK = 1 << 18  # rows whose coordinates are made together
_TIES = 3  # more neighbours are looked at, so that equal distances are told apart by ordinals


@dataclass(frozen=True, slots=True)
class Coordinates:
    """The fields of an entity that hold degrees of latitude and longitude."""

    entity: str
    latitude: str
    longitude: str
    rows: int

    @property
    def cells(self) -> tuple[Cell, Cell]:
        return (self.entity, self.latitude), (self.entity, self.longitude)


@dataclass(frozen=True, slots=True)
class Near(ReferenceWay):
    """One of the `of` rows of `there` nearest to the row of `here` to which `other` leads, each as likely.

    `apart`: never that row itself. Rows that lead nowhere, or to a row without coordinates, go to any row, evenly.
    """

    bits: Bits
    name: str
    other: str
    of: int
    here: Coordinates
    there: Coordinates
    apart: bool

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"near"})

    @property
    def needs(self) -> tuple[Cell, ...]:
        return (*self.here.cells, *self.there.cells)

    @property
    def bytes_kept(self) -> int:
        return 8 * (self.of + 1) * self.here.rows

    def explained(self, entity: Entity) -> str:
        some = f"one of the {self.of} nearest" if self.of > 1 else "the nearest"
        return f"{some} to its {self.other}" + (", not that one itself" if self.apart else "")

    def targets(self, rows: RowsPort) -> Ordinals:
        found, counts = rows.runtime.once(("near", rows.name, self.name), lambda: self._neighbours(rows.runtime))
        leads = rows.targets(self.other)
        words = self.bits.words(rows.ordinals)
        count = np.where(leads >= 0, counts[np.maximum(leads, 0)], 0)
        nth = below(words, np.maximum(count, 1).astype(np.uint64)).astype(np.int64)
        apart = self.apart & (leads >= 0)  # with no neighbours known: any row but that one
        any_row = below(words, np.maximum(1, self.there.rows - apart).astype(np.uint64)).astype(np.int64)
        any_row = np.where(apart, (leads + 1 + any_row) % max(1, self.there.rows), any_row)
        return np.where(count > 0, found[np.maximum(leads, 0), nth], any_row)

    def _neighbours(self, runtime: RuntimePort) -> tuple[Ordinals, Ordinals]:
        """For each row of `here` the nearest rows, and how many these are: none where coordinates are missing."""
        from scipy.spatial import cKDTree

        here, there = _points(runtime, self.here), _points(runtime, self.there)
        known, ordinals = ~np.isnan(here[:, 0]), np.flatnonzero(~np.isnan(there[:, 0]))
        found = np.zeros((len(here), self.of), np.int64)
        if not ordinals.size or not known.any():
            return found, np.zeros(len(here), np.int64)
        looked_at = min(ordinals.size, self.of + self.apart + _TIES)
        far, at = cKDTree(there[ordinals]).query(here[known], k=range(1, looked_at + 1))
        neighbours = ordinals[at]
        if self.apart:
            far = np.where(neighbours == np.flatnonzero(known)[:, None], np.inf, far)
        order = np.lexsort((neighbours, np.round(far, 12)))
        few = min(self.of, looked_at - self.apart)
        found[known, :few] = np.take_along_axis(neighbours, order, axis=1)[:, :few]
        return found, np.where(known, few, 0).astype(np.int64)


def _points(runtime: RuntimePort, of: Coordinates) -> NDArray[np.float64]:
    """The rows of an entity as points of the unit sphere, shape (rows, 3); not a number where a coordinate is missing."""
    out = np.empty((of.rows, 3))
    for start in range(0, of.rows, _BLOCK):
        rows = runtime.rows(of.entity, np.arange(start, min(of.rows, start + _BLOCK), dtype=np.int64))
        latitude, longitude = (
            np.radians(rows.column(name).cast(pa.float64()).to_numpy(zero_copy_only=False))
            for name in (of.latitude, of.longitude)
        )
        out[start : start + len(rows)] = np.stack(
            [np.cos(latitude) * np.cos(longitude), np.cos(latitude) * np.sin(longitude), np.sin(latitude)], axis=1
        )
    return out
