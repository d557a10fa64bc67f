"""Ports: what a filler may ask of the rows that it fills, and of the runtime behind them.

A plan holds functions that make columns, but no rows. They are written against these protocols, so that what was decided
knows nothing of how rows are made, kept and made again.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..model import EVEN, Favour, Relation, World
from ..model.paths import Path
from ..model.ties import Way
from ..values import Person

Ordinals = NDArray[np.int64]  # rows of one entity by number, from 0; -1 where a reference leads to none
Column = Any  # an Arrow array, or a chunked one, with a value or a null for each row
Follow = Callable[[str, Way], Ordinals]  # where a way that begins with another reference of the same rows ends
T = TypeVar("T")


class MembersPort(Protocol):
    """The rows that one reference may point to (see rows/members.py)."""

    @property
    def empty(self) -> bool: ...

    def starting(self, targets: Ordinals) -> Follow: ...

    def span(self, follow: Follow, ordinals: Ordinals) -> tuple[Ordinals, Ordinals, NDArray[np.bool_]]: ...

    def rank(self, members: Ordinals, low: Ordinals, high: Ordinals) -> Ordinals: ...

    def at(self, positions: Ordinals) -> Ordinals: ...

    def pick(
        self, words: Any, follow: Follow, ordinals: Ordinals, favour: Favour = EVEN, other: Ordinals | None = None
    ) -> Ordinals: ...


class ChoicesPort(Protocol):
    """What was worked out beforehand for all rows of an entity: targets by reference, positions by field."""

    @property
    def targets(self) -> dict[str, Ordinals]: ...

    @property
    def positions(self) -> dict[str, NDArray[np.uint64]]: ...


class RuntimePort(Protocol):
    """All rows of a plan."""

    @property
    def world(self) -> World: ...

    def total(self, entity: str) -> int:
        """How many rows an entity has."""

    def rows(self, entity: str, ordinals: Ordinals) -> RowsPort: ...

    def once(self, key: Any, make: Callable[[], T]) -> T:
        """What `make` gives, made once for all rows. Two threads may both make it once; they make the same."""

    def choices(self, entity: str) -> ChoicesPort: ...

    def members(self, entity: str, relation: str) -> MembersPort: ...

    def members_of_cohort(self, entity: str, relation: Relation, where: Any, cohort: str) -> MembersPort: ...

    def key_order(self, relation: Relation) -> Ordinals | None:
        """The rows of a reference's target by their keys, rising; None where they stand so."""

    def key_rank(self, relation: Relation) -> Ordinals | None:
        """The rank of each row of a reference's target among all by key; None where they stand so."""


class RowsPort(Protocol):
    """Some rows of one entity while they are made. Columns and targets are made when they are first asked for."""

    @property
    def name(self) -> str:
        """The entity's name."""

    @property
    def runtime(self) -> RuntimePort: ...

    @property
    def ordinals(self) -> Ordinals: ...

    @property
    def attempt(self) -> int:
        """0, or how many attempts before this one did not keep a check."""

    @property
    def redrawn(self) -> frozenset[str]:
        """The fields and references (by `redraw_key`) that are made anew for the attempt."""

    def __len__(self) -> int: ...

    def once(self, key: Any, make: Callable[[], T]) -> T:
        """What `make` gives, made once for these rows."""

    def column(self, field: str) -> Column: ...

    def path(self, path: Path, earlier: bool = False) -> Column:
        """A column of these rows, or of those to which relations lead; null where one of them points to nothing."""

    def reach(self, relation: str, path: Path, earlier: bool = False) -> Column: ...

    def aggregate(self, wanted: Any, together: tuple[Any, ...]) -> Column:
        """What one function over the rows that refer to these comes to (see formulas.Aggregate)."""

    def targets(self, relation: str) -> Ordinals:
        """The rows that a relation points to, -1 for none."""

    def follow(self, relation: str, way: Way) -> Ordinals: ...

    def owners(self) -> tuple[Ordinals, Ordinals, Ordinals]:
        """Owner, rank among the owner's rows, and how many those are."""

    def generated(self) -> Ordinals:
        """Ordinals counted from the first generated row; negative for fixed rows."""

    def person(self) -> Person: ...

    def digit(self, component: int, name: str) -> NDArray[np.uint64]:
        """The positions of one digit of a unique rule."""

    def some(self, chosen: NDArray[Any]) -> RowsPort:
        """Only the rows at the indices `chosen`."""


def redraw_key(relation: str) -> str:
    """How rows call a relation whose targets are picked again, among the fields that are made again."""
    return f"→{relation}"
