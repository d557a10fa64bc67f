"""Computed fields: prepared, worked out, and held against their own limits.

A computed value cannot be chosen so that it fits. So it is shown, by arithmetic on ranges, that it always fits or never can;
where neither is shown its limits are checks, for which the fields that it is computed from are made again.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ....expression import NotEvaluableError
from ....expression.fixed import decimals, fixed, rounded, rounded_wide
from ....model import Check, ComputeSource, Field, FieldType, Problem
from ....model.literals import read_span
from ....model.problems import ImpossibleError
from ....model.types import MOMENTS, NUMBERS
from ...formula import bind, tried_on_nothing
from ...plan import EntityPlan, FieldPlan, Plan
from ...rows import Rows
from .ranges import Ranges


def prepare_computed(
    plan: Plan, entity_plan: EntityPlan, base: FieldPlan, source: ComputeSource
) -> tuple[FieldPlan, list[Problem]]:
    """The field with its formula; what is wrong with the expression itself is told."""
    field, world = base.field, plan.world
    name = f"{entity_plan.name}.{field.name}"
    try:
        formula = bind(world, entity_plan.entity, source.expression)
        kind = tried_on_nothing(world, formula)
    except NotEvaluableError as error:
        return base, [Problem(fact=f"{name}: {error}", place=source.place)]
    if (trouble := _misfit(kind, field.type)) is not None:
        return base, [Problem(fact=f"{name} is {field.type}, but {source.expression} gives {trouble}", place=source.place)]
    computed = replace(base, computed=formula, moving=(), step=1, because=f"computed: {source.expression}")
    return computed, []


_CLASSES = (
    ("a number", lambda k: pa.types.is_integer(k) or pa.types.is_decimal(k) or pa.types.is_floating(k)),
    ("a truth value", pa.types.is_boolean), ("a text", lambda k: pa.types.is_string(k) or pa.types.is_large_string(k)),
    ("a date or time", lambda k: pa.types.is_date(k) or pa.types.is_timestamp(k)), ("a time of day", pa.types.is_time),
)  # fmt: skip


def _class(kind: Any) -> str | None:
    return next((name for name, holds in _CLASSES if holds(kind)), None)


def _misfit(kind: Any, wanted: FieldType) -> str | None:
    """What an expression gives, where a field of the type cannot hold that."""
    own, target = _class(kind), _class(wanted.arrow())
    if pa.types.is_null(kind) or target == "a text" or own == target or (own == "a truth value" and wanted.name in NUMBERS):
        return None
    return own or str(kind)


def working_out(entity: str, field_plan: FieldPlan) -> Any:
    """The column of a computed field for any rows, in the field's own type; ImpossibleError where a value has no room in it."""
    formula, field = field_plan.computed, field_plan.field
    assert formula is not None
    place = field.source.place if field.source is not None else field.place

    def fill(rows: Rows) -> Any:
        try:
            return as_stored(formula.values(rows, earlier=True), field.type)
        except (NotEvaluableError, pa.ArrowInvalid, pa.ArrowNotImplementedError) as error:
            said = str(error).splitlines()[0]
            raise ImpossibleError(Problem(
                fact=f"{entity}.{field.name}: a value computed as {formula.expression.text} does not fit {field.type} ({said})",
                place=place, hint="widen the type, or bound the fields that it is computed from",
            )) from None  # fmt: skip

    return fill


def as_stored(column: Any, kind: FieldType) -> Any:
    """A column as a field of the type stores it: decimals rounded to its scale, half away from zero."""
    arrow = kind.arrow()
    if column.type == arrow and kind.length is None:
        return column
    if pa.types.is_decimal(arrow):
        exact = fixed(column)
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
    if kind.length is not None and pa.types.is_string(arrow):
        longest = pc.max(pc.utf8_length(column)).as_py() or 0
        if longest > kind.length:
            raise pa.ArrowInvalid(f"{longest} characters")
    return column


def promised(plan: Plan, entity_plan: EntityPlan, name: str, problems: list[Problem]) -> Iterator[Check]:
    """The limits of a computed field that its expression does not keep of itself, as checks; `problems` gets what never holds."""
    field_plan = entity_plan.fields[name]
    field, source = field_plan.field, field_plan.field.source
    assert isinstance(source, ComputeSource)
    ranges = Ranges(plan, entity_plan)
    if field_plan.computed is not None and (said := ranges.divides_by_nothing(field_plan.computed)) is not None:
        problems.append(Problem(fact=f"{entity_plan.name}.{name}: {said}", place=source.place))
        return
    if not field.nullable and ranges.of(name).null:
        problems.append(Problem(
            fact=f"{entity_plan.name}.{name} must not be null, but {source.expression} is, where {ranges.why_null(name)}",
            place=source.place, hint=f'compute: "coalesce({source.expression}, …)"',
        ))  # fmt: skip
    for check in _limits(entity_plan, field):
        yield from unproven(plan, entity_plan, check, problems)


def unproven(plan: Plan, entity_plan: EntityPlan, check: Check, problems: list[Problem]) -> Iterator[Check]:
    """The check, unless ranges show that it always holds; where they show that it never does, that is told."""
    try:
        formula = bind(plan.world, entity_plan.entity, check.expression, check.dialect)
    except NotEvaluableError:
        yield check
        return
    ranges = Ranges(plan, entity_plan)
    always = ranges.truth(formula)
    if always is None:
        yield check
    elif not always:
        said = "; ".join(
            f"{path[0]} is {ranges.of(path[0])}" for path in formula.paths.values() if len(path) == 1
        )  # fmt: skip
        problems.append(Problem(fact=f"{entity_plan.name}: no row can keep {check.expression}, since {said}", place=check.place,
                                hint="change the check, or what the field is computed from"))  # fmt: skip


def moving_limits(entity_plan: EntityPlan, name: str) -> Iterator[Check]:
    """What other cells limit a field to that is always the same."""
    field = entity_plan.fields[name].field
    said = {str(check) for check in entity_plan.entity.checks}
    for bound in field.limits.bounds:
        if bound.path and bound.because not in said and bound.because != "guessed":
            this, words = _quoted(name), f"{name} {bound}"
            yield Check(expression=f"{this} {bound.comparison} {bound.operand}", name=words, place=bound.place)
            if bound.within is not None and field.type.name in MOMENTS:
                seconds = round(read_span(bound.within).total_seconds())
                later, sooner = (bound.operand, this) if bound.comparison in ("<", "<=") else (this, bound.operand)
                yield Check(expression=f"{later} <= {sooner} + {seconds} * interval '1 second'", name=words, place=bound.place)


def _limits(entity_plan: EntityPlan, field: Field) -> Iterator[Check]:
    """What a world file limits the field to, as conditions."""
    said = {str(check) for check in entity_plan.entity.checks}
    name, limits = _quoted(field.name), field.limits
    number = field.type.name in NUMBERS

    def literal(text: str) -> str:
        return text if number else "'" + text.replace("'", "''") + "'"

    for bound in limits.bounds:
        if bound.because not in said and bound.because != "guessed" and bound.operand != "now":
            other = bound.operand if bound.path else literal(bound.operand)
            yield Check(expression=f"{name} {bound.comparison} {other}", place=bound.place)
    for allowed in limits.allowed:
        if allowed.because not in said:
            yield Check(expression=f"{name} IN ({', '.join(map(literal, allowed.values))})", place=allowed.place)
    if field.type.values:
        yield Check(expression=f"{name} IN ({', '.join(map(literal, field.type.values))})", place=field.place)
    if limits.multiple_of is not None:
        yield Check(expression=f"{name} % {limits.multiple_of} = 0", place=field.place)
    if limits.min_length:
        yield Check(expression=f"length({name}) >= {limits.min_length}", place=field.place)
    if limits.max_length is not None:
        yield Check(expression=f"length({name}) <= {limits.max_length}", place=field.place)
    for pattern in limits.patterns:
        yield Check(expression=f"{name} ~ {literal(f'^({pattern.pattern})$')}", dialect="postgres", place=pattern.place)


def _quoted(name: str) -> str:
    return name if name.isidentifier() and name.islower() else f'"{name}"'
