"""The order of rows by key, for references of which one goes to the greater key: 8 bytes a row, where they do not stand so."""

from __future__ import annotations

import numpy as np
import pyarrow.compute as pc

from ..model import Relation
from ..plan.fields import Counting, Way
from ..plan.ports import Ordinals
from .columns import whole_column
from .ports import PlannedRuntime


def in_key_order(runtime: PlannedRuntime, relation: Relation) -> Ordinals | None:
    """The rows of a reference's target by their keys, rising; None where they stand so. Else 8 bytes for each row are kept."""
    entity, column = relation.target, relation.target_columns[0]
    entity_plan = runtime.plan.entities[entity]
    field = entity_plan.fields.get(column)
    if field is not None and _in_order(field.way) and not any(column in dict(row) for row in entity_plan.entity.fixed):
        return None
    order: Ordinals = runtime.once(
        ("key order", entity, column),
        lambda: pc.array_sort_indices(whole_column(runtime, entity, column)).to_numpy(zero_copy_only=False).astype(np.int64),
    )
    return order


def _in_order(way: Way) -> bool:
    """Whether a field's values rise from row to row."""
    return isinstance(way, Counting) and way.numbers is None


def rank_by_key(runtime: PlannedRuntime, relation: Relation) -> Ordinals | None:
    """The rank of each row of a reference's target among all by key; None where they stand so."""
    order = in_key_order(runtime, relation)
    if order is None:
        return None
    rank: Ordinals = runtime.once(("key rank", relation.target, relation.target_columns[0]), lambda: np.argsort(order))
    return rank
