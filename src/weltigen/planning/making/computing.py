"""Computed fields: prepared, worked out, and stored in their own type."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ...expression import NotEvaluableError
from ...expression.fixed import decimals, fixed, rounded, rounded_wide
from ...model import ComputeSource, FieldType, Problem, TypeName
from ...model.changing import changed
from ...model.paths import field_at
from ...model.problems import ImpossibleError
from ...model.types import NUMBERS
from ...plan.entity import EntityPlan
from ...plan.fields import Computed, FieldPlan
from ...plan.fillers import Fill
from ...plan.formulas import Formula, bind, tried_on_nothing
from ...plan.plan import Plan
from ...plan.ports import RowsPort


def prepare_computed(
    plan: Plan, entity_plan: EntityPlan, base: FieldPlan, source: ComputeSource
) -> tuple[FieldPlan, list[Problem]]:
    """The field with its formula; what is wrong with the expression itself is reported."""
    field, world = base.field, plan.world
    name = f"{entity_plan.name}.{field.name}"
    try:
        formula = bind(world, entity_plan.entity, source.expression)
        arrow = tried_on_nothing(world, formula)
    except NotEvaluableError as error:
        return base, [Problem(fact=f"{name}: {error}", place=source.place)]
    if (trouble := _misfit(arrow, field.type)) is not None:
        return base, [Problem(fact=f"{name} is {field.type}, but {source.expression} gives {trouble}", place=source.place)]
    ends = [field_at(world, entity_plan.entity, path).type.name for path in formula.paths.values()]
    if field.type.name in _FORMED and pa.types.is_string(arrow) and not all(end is field.type.name for end in ends):
        fact = f"{name} is {field.type}, but {source.expression} gives any text"
        return base, [Problem(fact=fact, place=source.place)]
    return changed(base, way=Computed(formula), cell_bounds=(), step=1), []


_FORMED = frozenset({TypeName.INET, TypeName.MACADDR, TypeName.BIT, TypeName.INTERVAL})  # texts of one form alone
_CLASSES = (
    ("a number", lambda k: pa.types.is_integer(k) or pa.types.is_decimal(k) or pa.types.is_floating(k)),
    ("a truth value", pa.types.is_boolean), ("a text", lambda k: pa.types.is_string(k) or pa.types.is_large_string(k)),
    ("a date or time", lambda k: pa.types.is_date(k) or pa.types.is_timestamp(k)), ("a time of day", pa.types.is_time),
)  # fmt: skip


def _class(arrow: Any) -> str | None:
    return next((name for name, holds in _CLASSES if holds(arrow)), None)


def _misfit(arrow: Any, wanted: FieldType) -> str | None:
    """What an expression gives, where a field of the type cannot hold that."""
    own, target = _class(arrow), _class(wanted.arrow())
    if pa.types.is_null(arrow) or target == "a text" or own == target or (own == "a truth value" and wanted.name in NUMBERS):
        return None
    return own or str(arrow)


def working_out(entity: str, field_plan: FieldPlan, formula: Formula) -> Fill:
    """The column of a computed field for any rows, in the field's own type; ImpossibleError where a value has no room in it."""
    field = field_plan.field
    place = field.source.place if field.source is not None else field.place

    def fill(rows: RowsPort) -> Any:
        try:
            return as_stored(formula.values(rows, earlier=True), field.type)
        except (NotEvaluableError, pa.ArrowInvalid, pa.ArrowNotImplementedError) as error:
            said = str(error).splitlines()[0]
            raise ImpossibleError(Problem(
                fact=f"{entity}.{field.name}: a value computed as {formula.expression.text} does not fit {field.type} ({said})",
                place=place, hint="widen the type, or bound the fields that it is computed from",
            )) from None  # fmt: skip

    return fill


def as_stored(column: Any, field_type: FieldType) -> Any:
    """A column as a field of the type stores it: decimals rounded to its scale, half away from zero."""
    arrow = field_type.arrow()
    if column.type == arrow and field_type.length is None:
        return column
    if pa.types.is_decimal(arrow):
        exact = fixed(column)
        alike = pa.types.is_decimal128(column.type) and column.type.scale == arrow.scale and not column.offset
        if exact is not None and alike and exact.most < 10**arrow.precision:  # the same bytes, called by another type
            return pa.Array.from_buffers(arrow, len(column), column.buffers())
        exact = rounded(exact, arrow.scale) if exact is not None else None
        exact = exact.scaled(arrow.scale) if exact is not None else None
        if exact is not None and exact.most < 10**arrow.precision:
            return decimals(exact, arrow)
        if pa.types.is_integer(column.type):
            column = column.cast(pa.decimal128(38 - arrow.scale if arrow.scale < 19 else 19, 0))
        if pa.types.is_decimal(column.type):
            column = rounded_wide(column, arrow.scale) if column.type.scale > arrow.scale else column
        elif pa.types.is_floating(column.type):
            column = pc.round(column, arrow.scale, "half_towards_infinity")
        return column.cast(arrow)
    if pa.types.is_integer(arrow) and pa.types.is_decimal(column.type):
        exact = fixed(column)
        return (decimals(rounded(exact, 0)) if exact is not None else rounded_wide(column, 0)).cast(arrow)
    if pa.types.is_integer(arrow) and pa.types.is_floating(column.type):
        return pc.round(column, 0, "half_towards_infinity").cast(arrow)
    if pa.types.is_timestamp(arrow) and arrow.tz and pa.types.is_timestamp(column.type) and column.type.tz is None:
        return pc.assume_timezone(column.cast(pa.timestamp(arrow.unit)), arrow.tz)
    if pa.types.is_timestamp(column.type) and pa.types.is_date(arrow):
        return pc.floor_temporal(column, unit="day").cast(pa.timestamp("us")).cast(arrow)
    column = column.cast(arrow)
    if field_type.length is not None and pa.types.is_string(arrow):
        longest = pc.max(pc.utf8_length(column)).as_py() or 0
        if longest > field_type.length:
            raise pa.ArrowInvalid(f"{longest} characters")
    return column
