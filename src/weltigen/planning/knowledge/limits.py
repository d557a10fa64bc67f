"""Limits typed: all bounds of a field met in one range of units, and the values that are left of its lists."""

from __future__ import annotations

import operator
import re
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from ...model import Bound, Entity, Field, KindSource, PatternSource, Place, Problem, TypeName
from ...model.literals import Value, read_literal, read_moment, read_span
from ...model.origins import Origin
from ...model.types import MOMENTS
from ...plan.fields import CellBound, Room
from ...values import Axis, axis_of
from ...values.quantities import epoch_window


@dataclass(slots=True)
class Range:
    """A field's axis with the range that its bounds leave; `problems` says where they leave nothing."""

    axis: Axis | None
    low: int | None = None
    high: int | None = None
    step: int = 1
    cell_bounds: list[CellBound] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


def window_of(field: Field, axis: Axis, window: tuple[datetime, datetime]) -> tuple[int, int] | None:
    """The window's ends in units of a field's axis; None where the field does not tell of moments."""
    if field.type.name in MOMENTS:
        return axis.units(window[0]), axis.units(window[1])
    if isinstance(field.source, KindSource) and field.source.kind == "epoch":
        return epoch_window(window, dict(field.source.parameters).get("unit", "s"))
    return None


def read_range(entity: Entity, declared: Field, resolve: Any, now: datetime) -> Range:
    """`resolve` turns a bound's path into the names of a relation and a field."""
    axis = axis_of(declared.type)
    found = Range(axis)
    if axis is None:
        return found
    ends: dict[bool, Bound] = {}
    limits = declared.limits
    for bound in limits.bounds:
        strict = bound.comparison in (">", "<")
        upper = bound.comparison in ("<", "<=")
        if bound.path:
            within = axis.span(read_span(bound.within)) if bound.within else None
            usual = axis.span(read_span(bound.usually)) if bound.usually else None
            path = resolve(entity, bound.operand)
            _add_cell_bound(found.cell_bounds, CellBound(path=path, upper=upper, strict=strict, within=within, usual=usual))
            continue
        operand = now.isoformat() if bound.operand == "now" else bound.operand
        if bound.operand == "now" and declared.type.name is TypeName.DATE:
            operand = now.date().isoformat()
        units = axis.units(read_literal(operand, declared.type), up=not upper)
        exact = axis.units(read_literal(operand, declared.type), up=upper) == units
        if strict and exact:
            units += -1 if upper else 1
        if upper and (found.high is None or units < found.high):
            found.high, ends[True] = units, bound
        elif not upper and (found.low is None or units > found.low):
            found.low, ends[False] = units, bound
    least, most = axis.type_limits
    if declared.type.least is not None and found.low is not None:
        found.low = max(found.low, least)
    if declared.type.most is not None and found.high is not None:
        found.high = min(found.high, most)
    if (found.low is not None and found.low > most) or (found.high is not None and found.high < least):
        bound = ends[False] if found.low is not None and found.low > most else ends[True]
        if declared.type.least is not None or declared.type.most is not None:
            found.problems.append(Problem(
                fact=f"{entity.name}.{declared.name}: nothing from {axis.value(least)} to {axis.value(most)} is {bound}",
                place=bound.place or declared.place, hint=f"the ends are its type's; the other limit is from {_said(bound)}",
            ))  # fmt: skip
            return found
    if limits.multiple_of is not None:
        found.step = max(1, axis.units(read_literal(limits.multiple_of, declared.type)))
    if found.low is not None and found.high is not None and found.low > found.high:
        low, high = ends[False], ends[True]
        both = _said(low) == _said(high)
        hint = f"both are from {_said(low)}" if both else f"one is from {_said(low)}, the other from {_said(high)}"
        found.problems.append(Problem(
            fact=f"{entity.name}.{declared.name}: nothing is {low} and {high}", place=high.place or low.place, hint=hint,
        ))  # fmt: skip
    return found


def within(entity: Entity, declared: Field, found: Range, room: Room) -> None:
    """Narrows a range to the room that it must leave other cells; a problem where a cohort's limits leave nothing of it."""
    low, high = found.low, found.high
    found.low = max((end for end in (low, room.low) if end is not None), default=None)
    found.high = min((end for end in (high, room.high) if end is not None), default=None)
    if found.low is not None and found.high is not None and found.low > found.high and not found.problems:
        against = next((bound for bound in reversed(declared.limits.bounds) if not bound.path), None)
        found.problems.append(Problem(
            fact=f"{entity.name}.{declared.name} must be {against or 'within its limits'}, but {room.because}",
            place=against.place if against is not None and against.place else declared.place, hint="change one of the two",
        ))  # fmt: skip


def _add_cell_bound(cell_bounds: list[CellBound], one: CellBound) -> None:
    """Two bounds by the same cell are one: the stricter, and the nearer."""
    for i, other in enumerate(cell_bounds):
        if (other.path, other.upper) == (one.path, one.upper):
            spans = [span for span in (other.within, one.within) if span is not None]
            cell_bounds[i] = replace(
                one, strict=one.strict or other.strict, within=min(spans, default=None), usual=one.usual or other.usual
            )
            return
    cell_bounds.append(one)


def _said(bound: Bound) -> str:
    return f"{bound.source} ({bound.place})" if bound.place else bound.source


def allowed_values(entity: Entity, declared: Field, span: Range) -> tuple[list[Value] | None, list[Problem]]:
    """The values that every list of the field and its bounds allow, in the order of the first list; None without a list."""
    lists: list[tuple[tuple[str, ...], Place | None, str]] = [(a.values, a.place, a.source) for a in declared.limits.allowed]
    if declared.type.values:
        lists.append((declared.type.values, declared.place, f"its type, {declared.type}"))
    if not lists:
        return None, []
    typed = [[read_literal(text, declared.type) for text in values] for values, _, _ in lists]
    left = [value for value in typed[0] if all(value in other for other in typed[1:]) and in_range(value, span)]
    left = list(dict.fromkeys(left))
    if left:
        return left, []
    said = "; ".join(f"{because} allows {', '.join(values[:4])}" for values, _, because in lists)
    fact = f"{entity.name}.{declared.name}: no value is left"
    return left, [Problem(fact=fact, place=lists[-1][1], hint=f"{said}; and its bounds must hold as well")]


def in_range(value: Value, span: Range) -> bool:
    if span.axis is None or isinstance(value, str | bytes):
        return True
    units = span.axis.units(value)
    least, most = span.axis.type_limits
    if (span.axis.type.least is not None and units < least) or (span.axis.type.most is not None and units > most):
        return False
    inside = (span.low is None or units >= span.low) and (span.high is None or units <= span.high)
    return inside and (span.step == 1 or units % span.step == 0)


_ORDER = {"<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge}


def broken_limits(field: Field, text: str, span: Range, values: list[Value] | None, checks: bool = True) -> list[str]:
    """The limits of a field that a text given for it does not keep; without `checks` those read out of a check are not named."""
    try:
        value = read_literal(text, field.type)
    except ValueError:
        return []  # a form that is stored as it is
    limits = field.limits
    asked = [bound for bound in limits.bounds if not bound.path and (checks or bound.origin is not Origin.CHECK)]
    lists = [allowed.source for allowed in limits.allowed if checks or allowed.origin is not Origin.CHECK]
    if span.axis is None:  # an order of texts
        said = [bound for bound in asked if bound.origin is Origin.SAID and isinstance(value, str)]
        rules = [str(bound) for bound in said if not _ORDER[bound.comparison](value, bound.operand)]
    else:
        rules = [] if in_range(value, replace(span, step=1)) else list(map(str, asked)) or [str(field.type)]
    if limits.multiple_of is not None and not rules and not in_range(value, span):
        rules.append(f"multipleOf {limits.multiple_of}")
    rules += lists if values is not None and value not in values else []
    rules += [f"{limits.min_length} characters at least"] if len(text) < (limits.min_length or 0) else []
    rules += (
        [f"{limits.max_length} characters at most"] if limits.max_length is not None and len(text) > limits.max_length else []
    )
    patterns = (*limits.patterns, *([field.source] if isinstance(field.source, PatternSource) and field.guess is None else []))
    return rules + [f"the pattern {p.pattern}" for p in patterns if not _matches(p.pattern, text)]


def _matches(pattern: str, text: str) -> bool:
    try:
        return re.fullmatch(pattern, text) is not None
    except re.error:
        return True


def read_window(first: str, last: str, now: datetime | None) -> tuple[datetime, datetime]:
    """The window's ends; `now` stands for the given time."""
    start, end = (now if text == "now" and now is not None else read_moment(text) for text in (first, last))
    return start, end
