"""Limits of computed fields, shown by ranges to hold always, or never; what is not shown becomes a check."""

from __future__ import annotations

from collections.abc import Iterator

from ...expression import NotEvaluableError
from ...expression.names import plain_name, quoted_text
from ...model import Check, ComputeSource, Field, Problem
from ...model.literals import read_span
from ...model.origins import Origin
from ...model.types import MOMENTS, NUMBERS
from ...plan.entity import EntityPlan
from ...plan.formulas import bind
from ...plan.plan import Plan
from .ranges import Ranges

_ASKED_ELSEWHERE = (Origin.CHECK, Origin.GUESSED)  # a check demands its limits itself, and nobody demands a guess


def promised(plan: Plan, entity_plan: EntityPlan, name: str, problems: list[Problem]) -> Iterator[Check]:
    """The limits of a computed field that its expression does not keep of itself, as checks; `problems` gets what never holds."""
    field_plan = entity_plan.fields[name]
    field, source = field_plan.field, field_plan.field.source
    assert isinstance(source, ComputeSource)
    ranges = Ranges(plan, entity_plan)
    for formula in field_plan.way.formulas:
        if (said := ranges.divides_by_nothing(formula)) is not None:
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
    """The check, unless ranges show that it always holds; where they show that it never does, that is reported."""
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
    for bound in field.limits.bounds:
        if bound.path and bound.origin not in _ASKED_ELSEWHERE:
            this, words = plain_name(name), f"{name} {bound}"
            yield Check(expression=f"{this} {bound.comparison} {bound.operand}", name=words, place=bound.place)
            if bound.within is not None and field.type.name in MOMENTS:
                seconds = round(read_span(bound.within).total_seconds())
                later, sooner = (bound.operand, this) if bound.comparison in ("<", "<=") else (this, bound.operand)
                yield Check(expression=f"{later} <= {sooner} + {seconds} * interval '1 second'", name=words, place=bound.place)


def ends_of_texts(entity_plan: EntityPlan, name: str) -> Iterator[Check]:
    """The least and the greatest value that a world file says of a field whose values lie on no axis."""
    field = entity_plan.fields[name].field
    for bound in field.limits.bounds:
        if not bound.path and bound.origin not in _ASKED_ELSEWHERE:
            yield Check(expression=f"{plain_name(name)} {bound.comparison} {quoted_text(bound.operand)}", place=bound.place)


def _limits(entity_plan: EntityPlan, field: Field) -> Iterator[Check]:
    """What a world file limits the field to, as conditions."""
    name, limits = plain_name(field.name), field.limits
    number = field.type.name in NUMBERS

    def literal(text: str) -> str:
        return text if number else quoted_text(text)

    for bound in limits.bounds:
        if bound.origin not in _ASKED_ELSEWHERE and bound.operand != "now":
            other = bound.operand if bound.path else literal(bound.operand)
            yield Check(expression=f"{name} {bound.comparison} {other}", place=bound.place)
    for allowed in limits.allowed:
        if allowed.origin is not Origin.CHECK:
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
