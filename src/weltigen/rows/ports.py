"""What the parts of the runtime ask of each other: rows and a runtime that know their plan."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, Protocol

from numpy.typing import NDArray

from ..model.paths import Path
from ..model.ties import Way
from ..plan.child_blocks import ChildBlock
from ..plan.entity import EntityPlan
from ..plan.plan import Plan
from ..plan.ports import Column, Ordinals, RowsPort, RuntimePort, T


class PlannedRuntime(RuntimePort, Protocol):
    """All rows of a plan, with the plan."""

    @property
    def plan(self) -> Plan: ...

    @property
    def before(self) -> PlannedRuntime | None:
        """The rows of the stages before this one."""

    @property
    def stages(self) -> Sequence[PlannedRuntime]:
        """All stages, where this is their rows as one dataset."""

    def rows(self, entity: str, ordinals: Ordinals) -> PlannedRows: ...

    def settle(self) -> None:
        """ImpossibleError says what no rows can meet, as far as that shows only while some are made."""

    def whole(self, entity: str, path: Path) -> Column:
        """A whole column of a small entity, or of what a path leads to."""

    def lead(self, entity: str, at: Ordinals, way: Way) -> Ordinals:
        """Where a way over references ends, from the rows `at` of an entity; -1 from -1, and where one refers to nothing."""

    def shared(self, key: Any, make: Callable[[], T]) -> T:
        """What `make` gives, made once for all rows; the first thread that asks does the work, and the others wait."""


class PlannedRows(RowsPort, Protocol):
    """Some rows of one entity, with its plan."""

    @property
    def plan(self) -> EntityPlan: ...

    @property
    def runtime(self) -> PlannedRuntime: ...

    def some(self, chosen: NDArray[Any]) -> PlannedRows: ...

    def redraw(self, chosen: NDArray[Any], attempt: int, redrawn: frozenset[str]) -> PlannedRows:
        """Some of these rows, whose `redrawn` fields are made anew for another attempt."""

    def adopt(self, owner_rows: PlannedRows, relation: str, block: ChildBlock) -> None:
        """Says that these are the children, by their owner, of some rows of others: what those know is not made again."""

    def keep_owned(self, family: Mapping[str, tuple[str, ...]]) -> None:
        """Says that the rows which these own are wanted too, and what those own: entities by the entity that owns them."""

    def owned(self, child: str) -> Iterator[tuple[PlannedRows, Ordinals]]:
        """The generated rows of an entity that these own, rising, in blocks with the index of each one's owner among these."""

    def hand_over(self, child: str) -> Iterator[PlannedRows]:
        """The rows of an entity that these own, block by block, with what is made of them."""

    def in_stages(self) -> list[PlannedRows]:
        """The rows as the stages have them that made them."""
