"""Rows given by hand: which row a key names, and references that fixed rows give."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ....model import Relation
from ...plan import EntityPlan, Plan
from ...reference_targets import Targets
from ...rows import Rows


def with_fixed(plan: Plan, entity_plan: EntityPlan, relation: Relation, find: Targets) -> Targets:
    """Fixed rows that give a reference's columns point to the row with that key."""
    if not entity_plan.fixed:
        return find
    given: list[int | None] = []
    for row in entity_plan.entity.fixed:
        values = dict(row)
        if not any(column in values for column in relation.columns):
            given.append(None)
        elif any(values.get(column) is None for column in relation.columns):
            given.append(-1)
        else:
            given.append(find_key(plan, relation, tuple(str(values[column]) for column in relation.columns)))
    if all(ordinal is None for ordinal in given):
        return find
    said = np.array([ordinal is not None for ordinal in given])
    table = np.array([-1 if ordinal is None else ordinal for ordinal in given], np.int64)

    def targets(rows: Rows) -> NDArray[np.int64]:
        out = find(rows)
        fixed = np.flatnonzero(rows.ordinals < len(table))
        fixed = fixed[said[rows.ordinals[fixed]]]
        if fixed.size:
            out = out.copy()
            out[fixed] = table[rows.ordinals[fixed]]
        return out

    return targets


def find_key(plan: Plan, relation: Relation, texts: tuple[str, ...]) -> int:
    """The ordinal of the target's row with these key texts: a fixed row, or one that counts up; -2 where none is known."""
    target = plan.entities[relation.target]
    for ordinal, row in enumerate(target.entity.fixed):
        values = dict(row)
        if tuple(values.get(column) for column in relation.target_columns) == texts:
            return ordinal
    field = target.fields.get(relation.target_columns[0])
    if len(texts) == 1 and field is not None and field.counts_up:
        ordinal = int(texts[0]) - counting_base(target, field.field.name)
        if 0 <= ordinal < target.total and field.field.name not in dict(
            target.entity.fixed[ordinal] if ordinal < target.fixed else ()
        ):
            return ordinal
    return -2


def counting_base(entity_plan: EntityPlan, field: str) -> int:
    """Ordinal o has the number base + o: past every number that fixed rows give and that earlier stages have, else from 1."""
    if entity_plan.earlier is not None:
        return counting_base(entity_plan.earlier, field) + entity_plan.earlier_rows
    given = [int(text) for row in entity_plan.entity.fixed if (text := dict(row).get(field)) is not None]
    return max(given) + 1 - (0 if len(given) < entity_plan.fixed else entity_plan.fixed) if given else 1
