"""Targets among the rows of the entity itself: a row without a parent refers to none, or to itself where it must refer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model import Entity, Tree
from ...randomness import Bits, Levels
from ..agreement import ITSELF
from ..ports import Ordinals, RowsPort
from .way import ReferenceWay


# rows of the entity itself: a row without a parent refers to none, or to itself where it must refer to something
@dataclass(frozen=True, slots=True)
class Itself(ReferenceWay):
    """Each row to itself: a reference that must be there, and of which no two may go to one row, leaves nothing else."""

    @property
    def finds_children(self) -> bool:
        return True

    def explained(self, entity: Entity) -> str:
        return ITSELF

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.ordinals

    def children(self, ordinal: int) -> list[int]:
        return [ordinal]


@dataclass(frozen=True, slots=True)
class RowBefore(ReferenceWay):
    """The row before this one: a chain, whose first row refers to none."""

    total: int

    @property
    def finds_children(self) -> bool:
        return True

    def explained(self, entity: Entity) -> str:
        return "the row before"

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.ordinals - 1

    def children(self, ordinal: int) -> list[int]:
        return [ordinal + 1] if ordinal + 1 < self.total else []


@dataclass(frozen=True, slots=True)
class EarlierRow(ReferenceWay):
    """A row before this one, so that nothing is its own ancestor; not that to which `apart` points."""

    bits: Bits
    optional: bool
    apart: str | None

    def explained(self, entity: Entity) -> str:
        other_than = f" other than the {self.apart}" if self.apart is not None else ""
        return f"an earlier row{other_than}{'' if self.optional else '; the first, itself'}"

    def targets(self, rows: RowsPort) -> Ordinals:
        count = rows.ordinals
        if self.apart is not None:
            other = rows.targets(self.apart)
            passed = (other >= 0) & (other < rows.ordinals)
            count = count - passed
        before = self.bits.below(np.maximum(count, 1).astype(np.uint64), rows.ordinals).astype(np.int64)
        if self.apart is not None:
            before = before + (passed & (before >= other))
        return np.where(count == 0, -1 if self.optional else 0, before)


@dataclass(frozen=True, slots=True)
class InTree(ReferenceWay):
    """The row's parent in a tree that has levels."""

    levels: Levels
    optional: bool
    tree: Tree

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"tree"})

    @property
    def finds_children(self) -> bool:
        return True

    def explained(self, entity: Entity) -> str:
        return f"a tree: {self.tree}"

    def targets(self, rows: RowsPort) -> Ordinals:
        parents = self.levels.parents(rows.ordinals)
        return parents if self.optional else np.where(parents < 0, rows.ordinals, parents)

    def children(self, ordinal: int) -> list[int]:
        return [ordinal, *self.levels.children_of(ordinal)]
