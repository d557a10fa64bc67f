"""What passes and rows ask of any way in which rows find what they refer to."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass

from ...model import Entity, Favour
from ...model.paths import Cell
from ..ports import Ordinals, RowsPort

Blocks = Iterator[tuple[Ordinals, Ordinals]]  # rows that refer, with the index of the row that each refers to


@dataclass(frozen=True, slots=True)
class ReferenceWay(ABC):
    """What passes and rows ask of any way; each way answers what differs."""

    @abstractmethod
    def targets(self, rows: RowsPort) -> Ordinals:
        """The row of the target for each of some rows; -1 for none."""

    @abstractmethod
    def explained(self, entity: Entity) -> str:
        """How it chooses, in words; `entity` is the one whose rows refer."""

    @property
    def satisfied(self) -> frozenset[str]:
        """What the world file may ask of the choice, by its keys, and gets."""
        return frozenset()

    @property
    def favour(self) -> Favour | None:
        """Which share of the targets takes which share of the rows; None where rows do not pick freely."""
        return None

    @property
    def needs(self) -> tuple[Cell, ...]:
        """Cells of other entities that must be known before it can choose."""
        return ()

    @property
    def bytes_kept(self) -> int:
        """What it keeps in memory that grows with rows, once it is used."""
        return 0

    @property
    def finds_children(self) -> bool:
        """Whether arithmetic knows which rows refer to a target."""
        return False

    def children(self, ordinal: int) -> list[int]:
        """The rows that may refer to a target, fixed rows aside; only where `finds_children`."""
        raise LookupError(f"{type(self).__name__} does not find children")

    @property
    def finds_blocks(self) -> bool:
        """Whether the same is known of many targets at once."""
        return False

    def children_in_blocks(self, targets: Ordinals) -> Blocks:
        """The rows that may refer to some targets, in any order; only where `finds_blocks`."""
        raise LookupError(f"{type(self).__name__} does not find children in blocks")


class FavouringWay(ReferenceWay):
    """A way in which some targets are favoured: `taking` says which share of them takes which share of the rows."""

    __slots__ = ()
    taking: Favour

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"favour"})

    @property
    def favour(self) -> Favour | None:
        return self.taking
