"""Keys: which row a key names, and which numbers an entity's keys have."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..model import Relation
from .entity import EntityPlan
from .fields import Counting
from .plan import Plan


def find_key(plan: Plan, relation: Relation, texts: tuple[str, ...]) -> int:
    """The ordinal of the target's row with these key texts: a fixed row, or one that counts up; -2 where none is known."""
    target = plan.entities[relation.target]
    if (given := target.entity.fixed_row(relation.target_columns, texts)) is not None:
        return given
    field = target.fields.get(relation.target_columns[0])
    if len(texts) == 1 and field is not None and isinstance(field.way, Counting):
        ordinal = _row_of(target, field.way, texts[0])
        if 0 <= ordinal < target.total and field.field.name not in dict(
            target.entity.fixed[ordinal] if ordinal < target.fixed else ()
        ):
            return ordinal
    return -2


def _row_of(entity_plan: EntityPlan, way: Counting, text: str) -> int:
    """The row that has a number; -1 where none has."""
    try:
        number = int(text)
    except ValueError:
        return -1
    if way.numbers is not None:
        found = np.flatnonzero(way.numbers == number)
        position = way.row_at(int(found[0]) + way.first) if found.size else -1
    else:
        place, rest = divmod(number - way.first, way.step)
        position = -1 if rest or place < 0 else way.row_at(place)
    return position - entity_plan.earlier_rows


def counted(entity_plan: EntityPlan, way: Counting, ordinals: NDArray[Any]) -> NDArray[np.int64]:
    """The numbers of rows that count up."""
    positions = np.asarray(ordinals, np.int64) + entity_plan.earlier_rows
    if way.numbers is None:
        return way.first + way.step * way.places(positions)
    if not way.numbers.size:
        return np.zeros(positions.size, np.int64)  # the fixed rows give all of them
    return np.asarray(way.numbers[np.clip(way.places(positions) - way.first, 0, max(0, way.numbers.size - 1))], np.int64)


def ends_of_counting(entity_plan: EntityPlan, way: Counting) -> tuple[int, int]:
    """The least and the greatest number of the entity's rows."""
    if way.numbers is not None and way.numbers.size:
        return int(way.numbers.min()), int(way.numbers.max())
    ends = np.array([0, max(0, entity_plan.total - 1)], np.int64)
    low, high = counted(entity_plan, way, ends).tolist()
    return low, high
