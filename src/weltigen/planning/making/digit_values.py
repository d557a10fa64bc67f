"""Values at the positions that a unique rule deals."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ...model.literals import read_stored
from ...plan.entity import EntityPlan
from ...plan.fields import Drawn, FieldPlan
from ...plan.fillers import Fill
from ...plan.folding import fold_in_rules, folded_column
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits
from .masking import mask_out


def digit_values(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, way: Drawn, number: int) -> Fill:
    """A position of a unique rule; a value that a fixed row was given already is exchanged for the one at that row's position.

    A fixed row with a given value does not use the value of its own position, so no room is lost; the exchange goes on
    while it meets another given value, and stays one to one.
    """
    name, arrow, values = field_plan.field.name, field_plan.field.type.arrow(), way.values
    component = entity_plan.components[number]
    first = entity_plan.origin if component.position_offset and entity_plan.origin is not None else entity_plan
    texts = [dict(row).get(name) for row in first.entity.fixed]
    giving = np.flatnonzero([text is not None for text in texts])

    rounded, axis, high = way.rounded, field_plan.axis, field_plan.high
    null = any(digit.null and digit.name == name for petal in component.petals for digit in petal)
    within = Bits(component.bits.seed, entity_plan.name, name, "within")

    def fill(rows: RowsPort) -> Any:
        position = rows.digit(number, name)
        if null:
            there = position < np.uint64(values.space)
            return mask_out(values.decode(np.where(there, position, np.uint64(0))), there)
        column = values.decode(position)
        if rounded > 1 and axis is not None:
            units = axis.read(column) + within.below(rounded, rows.ordinals).astype(np.int64)
            column = axis.column(units if high is None else np.minimum(units, high))
        return column

    alone = [petal for petal in component.petals if len(petal) == 1 and petal[0].name == name]
    if not giving.size or not alone or component.core or component.within_owner:
        return fill
    taken = pa.array([read_stored(text, field_plan.field.type) for text in texts if text is not None], arrow)
    fold = fold_in_rules(plan, entity_plan, name)
    taken = folded_column(taken, fold)
    own = component.bits.for_purpose("petal 0").distinct(values.space, first.generated + giving)
    exchanged = values.decode(own)

    def avoiding(rows: RowsPort) -> Any:
        column = fill(rows)
        made = pa.array(~np.isin(rows.ordinals + component.position_offset, giving))
        for _ in range(len(taken) + 1):
            index = pc.index_in(folded_column(column, fold), value_set=taken)
            clash = pc.and_(pc.is_valid(index), made)
            if not pc.any(clash).as_py():
                break
            column = pc.if_else(clash, exchanged.take(index), column)
        return column

    return avoiding
