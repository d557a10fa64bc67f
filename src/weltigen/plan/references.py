"""References planned: in which way rows find what a relation points to, and for which rows otherwise."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from ..model import Favour, Present, Relation
from ..model.paths import Cell
from .ports import Ordinals, RowsPort
from .ways.laid_out import Nowhere, Stratum
from .ways.way import ReferenceWay

Targets = Callable[[RowsPort], Ordinals]


@dataclass(frozen=True, slots=True, kw_only=True)
class CohortReference:
    """A way of their own for the rows of a cohort, and which of these refer to anything."""

    cohort: str
    way: ReferenceWay
    present: Present | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferencePlan:
    """How rows find the row that a relation points to: `targets(rows)` gives ordinals, -1 for none.

    That is the `way`, where `present` has a row refer to anything, but for fixed rows and for `cohorts`. `redrawn`: where
    a check fails another row is picked, or none.
    """

    relation: Relation
    way: ReferenceWay
    targets: Targets
    present: Present | None = None
    cohorts: tuple[CohortReference, ...] = ()
    redrawn: Literal["", "another", "none"] = ""
    needs: tuple[Cell, ...] = ()

    @classmethod
    def impossible(cls, relation: Relation) -> ReferencePlan:
        way = Nowhere()
        return cls(relation=relation, way=way, targets=way.targets)

    @property
    def favour(self) -> Favour | None:
        return self.way.favour

    @property
    def finds_children(self) -> bool:
        """Whether `way.children` gives all rows that may refer to a target, fixed rows aside."""
        return self.way.finds_children and not self.cohorts and not self.redrawn

    @property
    def finds_blocks(self) -> bool:
        """The same of `way.children_in_blocks`."""
        return self.way.finds_blocks and not self.cohorts and not self.redrawn

    @property
    def stratum(self) -> int | None:
        """The component in whose strata the rows that refer to one target lie together."""
        return self.way.number if isinstance(self.way, Stratum) and not self.way.within_owner else None
