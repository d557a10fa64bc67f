"""Rules about what a value follows from: cells that bound it, a condition for its presence, an expression that it equals."""

from __future__ import annotations

from collections.abc import Iterator

from ..expression import NotEvaluableError, parse
from ..model import Bound, Check, ComputeSource, Entity, Field, World
from ..model.literals import read_span
from ..model.types import FLOATS, INTEGERS, MOMENTS, NUMBERS
from .joined import Joined
from .places import Place, quoted
from .rule import RowRule

OPPOSITE = {">": "<=", ">=": "<", "<": ">=", "<=": ">"}


def following_rules(world: World, entity: Entity, field: Field, place: Place) -> Iterator[RowRule]:
    """The rules by which a stored field follows other cells."""
    said = {str(check) for check in entity.checks}
    places = {check.place for check in entity.checks if check.place}
    for bound in field.limits.bounds:
        if bound.because in said or bound.because == "guessed":
            continue  # what was read out of a check is asked by the check itself, as it was written
        yield _bound(world, entity, field, bound, place)
    present = field.present
    if present is not None and present.when and present.place not in places:
        yield _presence(world, entity, field, present.when, place, exactly=present.share is None)
    if isinstance(field.source, ComputeSource):
        yield _computed(world, entity, field, field.source.expression, place)


def unanswerable(kind: str, text: str, why: NotEvaluableError) -> RowRule:
    """A rule that cannot be put as SQL; the audit lists it as not checked."""
    return RowRule(kind=kind, text=text, broken="", columns=(), why_not=str(why))


def _rule(kind: str, text: str, broken: str, joined: Joined, columns: tuple[str, ...]) -> RowRule:
    shown = tuple(dict.fromkeys((*columns, *joined.columns)))
    return RowRule(kind=kind, text=text, broken=broken, columns=shown, join=joined.join, extra=tuple(joined.extra.items()))


def _bound(world: World, entity: Entity, field: Field, bound: Bound, place: Place) -> RowRule:
    this, text = f"this.{quoted(field.name)}", f"{field.name} {bound}"
    if not bound.path:
        limit = place.literal(bound.operand, field.type)
        return RowRule(kind="range", text=text, broken=f"{this} {OPPOSITE[bound.comparison]} {limit}", columns=(field.name,))
    joined = Joined(world, entity, place)
    try:
        alias, name = joined.cell(bound.operand)
    except NotEvaluableError as error:
        return unanswerable("range", text, error)
    other = f"{quoted(alias)}.{quoted(name)}"
    broken = f"{this} {OPPOSITE[bound.comparison]} {other}"
    if bound.within is not None and field.type.name in MOMENTS:
        span, kind = read_span(bound.within).total_seconds(), joined.field(bound.operand).type
        broken = f"({broken} OR abs({place.seconds(this, field.type)} - {place.seconds(other, kind)}) > {span} + 0.001)"
    return _rule("range", text, broken, joined, (field.name,))


def _presence(world: World, entity: Entity, field: Field, when: str, place: Place, exactly: bool) -> RowRule:
    text = f"{field.name} is there {'exactly' if exactly else 'only'} when {when}"
    joined = Joined(world, entity, place)
    try:
        condition = joined.sql(when)
    except NotEvaluableError as error:
        return unanswerable("presence", text, error)
    never = "FALSE" if place.dialect == "duckdb" else "0"
    there = f"(this.{quoted(field.name)} IS NOT NULL)"
    broken = f"{there} <> coalesce({condition}, {never})" if exactly else f"{there} AND NOT coalesce({condition}, {never})"
    return _rule("presence", text, broken, joined, (field.name,))


def _computed(world: World, entity: Entity, field: Field, expression: str, place: Place) -> RowRule:
    text, this = f"{field.name} is {expression}", f"this.{quoted(field.name)}"
    joined = Joined(world, entity, place)
    try:
        value = joined.sql(expression)
    except NotEvaluableError as error:
        return unanswerable("computed", text, error)
    if field.type.name in NUMBERS:
        scale = 0 if field.type.name in INTEGERS else 6 if field.type.name in FLOATS else field.type.digits[1]
        # a stored number is the nearest one with its decimals; places that compute with floats are allowed their last digits
        far = f"abs({this} - CAST({value} AS DOUBLE)) > {0.5 * 10.0**-scale:.12g} + 1e-9 * abs({this})"
    elif field.type.name in MOMENTS:
        far = f"abs({place.seconds(this, field.type)} - {place.seconds(f'({value})', field.type)}) > 0.001"
    else:
        far = f"{this} <> ({value})"
    broken = f"({this} IS NULL) <> (({value}) IS NULL) OR {far}"
    if field.present is not None:
        broken = f"{this} IS NOT NULL AND ({broken})"
    return _rule("computed", text, f"({broken})", joined, (field.name,))


def joined_check(world: World, entity: Entity, check: Check, place: Place) -> RowRule | None:
    """A check that reads other rows too; None for any other."""
    try:
        expression = parse(check.expression, check.dialect)
    except NotEvaluableError:
        return None
    if not expression.aggregates and not any("." in path for path in expression.paths):
        return None
    joined = Joined(world, entity, place)
    text = f"{check.expression} (check{f' {check.name}' if check.name else ''})"
    try:
        return _rule("check", text, f"NOT ({joined.sql(expression)})", joined, ())
    except NotEvaluableError as error:
        return unanswerable("check", text, error)
