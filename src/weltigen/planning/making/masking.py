"""Values where a row has one, and values given by hand in place of made ones."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ...model import Field
from ...model.literals import read_stored
from ...plan.entity import EntityPlan
from ...plan.fields import FieldPlan
from ...plan.fillers import Fill
from ...plan.ports import RowsPort
from ...values.pools import one_array, picked
from ..knowledge.presence import IsThere
from ..knowledge.settled import digit_of

_WORTH_MASKING = 0.6  # from this share on, making all values and masking some is cheaper than scattering


def nulls_count(entity_plan: EntityPlan, name: str) -> bool:
    """Whether a unique rule takes nulls for equal."""
    rules = (*entity_plan.entity.unique_rules, *(reduced.rule for reduced in entity_plan.reduced))
    return any(not rule.nulls_distinct and name in rule.columns for rule in rules)


def but_the_first(entity_plan: EntityPlan, name: str, is_there: IsThere) -> IsThere:
    """Only the first row of each group may lack a value."""
    number = digit_of(entity_plan, name, relation=False)
    component = entity_plan.components[number] if number is not None else None
    if component is None or component.core or component.ancestors or component.siblings or component.position_offset:
        # several groups cannot be told apart here, and an earlier stage may have the null
        return lambda rows: np.ones(len(rows), bool)
    if component.within_owner:
        return lambda rows: (rows.owners()[1] != 0) | is_there(rows)
    return lambda rows: (rows.ordinals != entity_plan.fixed) | is_there(rows)


def sometimes(fill: Fill, is_there: IsThere, arrow: Any) -> Fill:
    """Values where a row has one; where few have, no more than those are made."""

    def masked(rows: RowsPort) -> Any:
        there = is_there(rows)
        chosen = np.flatnonzero(there)
        if chosen.size == len(rows):
            return fill(rows)
        if chosen.size > _WORTH_MASKING * len(rows):
            return mask_out(fill(rows), there)
        if not chosen.size:
            return pa.nulls(len(rows), arrow)
        index = np.cumsum(there) - 1
        return picked(one_array(fill(rows.some(chosen))), index, ~there)

    return masked


def mask_out(column: Any, keep: NDArray[np.bool_]) -> Any:
    """The column with nulls where `keep` is false; shares its data buffers."""
    column = one_array(column)
    if column.offset or column.type.num_fields:
        return pc.if_else(pa.array(keep), column, pa.scalar(None, column.type))
    there = pa.array(keep)
    if column.null_count:
        there = pc.and_(there, column.is_valid())
    buffers = column.buffers()
    return pa.Array.from_buffers(column.type, len(column), [there.buffers()[1], *buffers[1:]])


def fixed_over(entity_plan: EntityPlan, field_plan: FieldPlan, fill: Fill) -> Fill:
    """Values given by hand take the place of made ones."""
    return given_over(entity_plan, field_plan.field, fill)


def given_over(entity_plan: EntityPlan, field: Field, fill: Fill) -> Fill:
    """The same, by the field's declaration."""
    rows_given = [dict(row) for row in entity_plan.entity.fixed]
    if not any(field.name in row for row in rows_given):
        return fill
    literals = [read_stored(text, field.type) if (text := row.get(field.name)) is not None else None for row in rows_given]
    table = pa.array(literals, field.type.arrow())
    said = np.array([field.name in row for row in rows_given])

    def over(rows: RowsPort) -> Any:
        fixed = rows.ordinals < len(said)
        if not fixed.any():
            return fill(rows)
        index = np.where(fixed, rows.ordinals, 0)
        takes = pa.array(fixed & said[index])
        return pc.if_else(takes, picked(table, index), fill(rows))

    return over
