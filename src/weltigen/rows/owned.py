"""The rows that others own: in blocks, each told of its owners, so that what those know is not made again."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..plan.child_blocks import in_line
from ..plan.entity import EntityPlan
from ..plan.ports import Ordinals
from .ports import PlannedRows


def owned_blocks(rows: PlannedRows, child: EntityPlan) -> Iterator[tuple[PlannedRows, Ordinals]]:
    """The generated rows of `child` that these rows own, rising, in blocks with the place of each one's owner among these."""
    owner = child.owner
    assert owner is not None
    counts = owner.split.counts(rows.ordinals) if in_line(rows.ordinals) else None
    first: int | None = None  # of all children, which then stand in a line too
    for ordinals, at in child.references[owner.relation].way.children_in_blocks(rows.ordinals):
        made = rows.runtime.rows(child.name, ordinals)
        if counts is not None:
            first = int(ordinals[0]) if first is None else first
            rank = ordinals - first - (np.cumsum(counts) - counts)[at]
            made.adopt(rows, owner.relation, at, rank, counts[at])
        yield made, at
