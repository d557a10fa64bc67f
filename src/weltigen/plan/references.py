"""References planned: how rows find the row that a relation points to."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from ..model import Favour, Relation
from ..model.paths import Cell
from .ports import RowsPort


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferencePlan:
    """How rows find the row that a relation points to: `targets(rows)` gives ordinals, -1 for none.

    `children(ordinal)` gives the rows that may refer to a target, fixed rows aside, where arithmetic knows them.
    """

    relation: Relation
    targets: Callable[[RowsPort], Any]
    because: str
    children: Callable[[int], list[int]] | None = None
    children_in_blocks: Callable[[Any], Iterator[tuple[Any, Any]]] | None = (
        None  # the same for many targets, in blocks with their places
    )
    favour: Favour | None = None  # where rows pick freely
    satisfied: tuple[str, ...] = ()  # what the world file asks of the choice, by its keys, and gets
    grouped: int | None = None  # the component in whose strata the rows that refer to one target lie together
    needs: tuple[Cell, ...] = ()
