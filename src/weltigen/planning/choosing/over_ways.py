"""What lies over the way of a reference: fixed rows, cohorts, rows that refer to nothing."""

from __future__ import annotations

import numpy as np

from ...model import Relation
from ...plan.entity import EntityPlan
from ...plan.keys import find_key
from ...plan.plan import Plan
from ...plan.ports import Ordinals, RowsPort
from ...plan.references import Targets
from ...randomness import ExactSubset
from ..knowledge.presence import IsThere


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

    def targets(rows: RowsPort) -> Ordinals:
        out = find(rows)
        fixed = np.flatnonzero(rows.ordinals < len(table))
        fixed = fixed[said[rows.ordinals[fixed]]]
        if fixed.size:
            out = out.copy()
            out[fixed] = table[rows.ordinals[fixed]]
        return out

    return targets


def of_some(subset: ExactSubset, own: Targets, usual: Targets) -> Targets:
    """Some rows find their target in a way of their own."""

    def find(rows: RowsPort) -> Ordinals:
        found, chosen = usual(rows), np.flatnonzero(subset.chosen(rows.ordinals))
        if chosen.size:  # what only a part of the rows need is not made for all
            found = found.copy()
            found[chosen] = own(rows.some(chosen))
        return found

    return find


def sometimes(is_there: IsThere, find: Targets) -> Targets:
    """Only some rows refer to anything."""
    return lambda rows: np.where(is_there(rows), find(rows), -1)
