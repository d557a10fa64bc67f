"""The rows that others own, in blocks that know their owners' rows, so that what those have made is not made again."""

from __future__ import annotations

from collections.abc import Iterator

from ..plan.child_blocks import of_owners_in_line
from ..plan.entity import EntityPlan
from ..plan.ports import Ordinals
from ..randomness.ordinals import in_line
from .ports import PlannedRows


def owned_blocks(rows: PlannedRows, child: EntityPlan) -> Iterator[tuple[PlannedRows, Ordinals]]:
    """The generated rows of `child` that these rows own, rising, in blocks with the index of each one's owner among these."""
    owner = child.owner
    assert owner is not None
    if not in_line(rows.ordinals):
        for ordinals, at in child.references[owner.relation].way.children_in_blocks(rows.ordinals):
            yield rows.runtime.rows(child.name, ordinals), at
        return
    for block in of_owners_in_line(owner.split, rows.ordinals, child.fixed):
        made = rows.runtime.rows(child.name, block.ordinals)
        made.adopt(rows, owner.relation, block)
        yield made, block.at
