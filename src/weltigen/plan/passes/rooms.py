"""Pass: room between cells. Where a value must lie after one cell and before another, these must leave it room in every row.

The latest a value may be is carried back to the cells that it comes after, the earliest on to those that it comes before, along
all chains of such rules and over any number of entities. A cell that would leave no room is bounded; where its own limits do not
allow that, the rules contradict each other.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import partial
from typing import Any

from ...model import Bound, CasesSource, ComputeSource, ConstSource, Entity, Field, Problem, WeightsSource
from ...model.paths import Cell, Path, path_end, resolve_path
from ...model.types import MOMENTS
from ...values import Axis, axis_of
from ...values.axis import DAY, SECOND
from ..plan import Plan, Room
from .limits import read_range

_ROUNDS = 24
_FIXED_SOURCES = (ConstSource, ComputeSource, WeightsSource, CasesSource)


@dataclass(slots=True)
class _Range:
    """What is known of a cell: limits that are declared (or were narrowed here), and where it lies when nothing is said."""

    axis: Axis
    free: bool
    low: Fraction | None = None
    high: Fraction | None = None
    usual: tuple[Fraction, Fraction] | None = None
    narrowed: str = ""

    @property
    def least(self) -> Fraction | None:
        return self.low if self.low is not None else self.usual[0] if self.usual else None

    @property
    def most(self) -> Fraction | None:
        return self.high if self.high is not None else self.usual[1] if self.usual else None


@dataclass(frozen=True, slots=True)
class _Side:
    """One cell that bounds another."""

    path: Path
    cell: Cell
    upper: bool
    strict: bool
    bound: Bound


def make_room(plan: Plan) -> Plan:
    sides = dict(_sides(plan))
    if not sides:
        return plan
    ranges = {cell: _range(plan, cell) for cell in {*sides, *(side.cell for found in sides.values() for side in found)}}
    problems: dict[str, Problem] = {}
    for _ in range(_ROUNDS):
        changed = False
        for cell, found in sides.items():
            ruled = cell in _ruled(plan, cell[0])
            for change in _demands(cell, found, sides, ranges, ruled):
                changed |= _narrow(plan, ranges, *change, problems)
        if not changed:
            break
    met = {
        (*cell, side.path, side.upper)
        for cell, found in sides.items() if cell in _ruled(plan, cell[0]) for side in found if _is_met(ranges[cell], side, ranges)
    }  # fmt: skip
    rooms = {
        cell: Room(low=_units(one, one.low, up=True), high=_units(one, one.high, up=False), because=one.narrowed)
        for cell, one in ranges.items() if one.narrowed
    }  # fmt: skip
    return replace(plan, rooms=rooms, met=frozenset(met)).with_problems(list(problems.values()))


def _sides(plan: Plan) -> Iterator[tuple[Cell, list[_Side]]]:
    for name in plan.order:
        entity = plan.entities[name].entity
        for field in entity.fields:
            found = []
            for bound in field.limits.bounds:
                if bound.path and bound.because != "guessed" and axis_of(field.type) is not None:
                    path = resolve_path(plan.world, entity, bound.operand)
                    upper, strict = bound.comparison in ("<", "<="), bound.comparison in ("<", ">")
                    found.append(_Side(path, path_end(plan.world, entity, path), upper, strict, bound))
            if found:
                yield (name, field.name), found


def _field(plan: Plan, cell: Cell) -> tuple[Entity, Field]:
    entity = plan.entities[cell[0]].entity
    return entity, entity.field(cell[1])


def _range(plan: Plan, cell: Cell) -> _Range:
    entity, field = _field(plan, cell)
    span = read_range(entity, field, partial(resolve_path, plan.world), plan.now)
    axis = axis_of(field.type)
    assert axis is not None
    brought = any(field.name in relation.columns for relation in entity.relations)
    free = not isinstance(field.source, _FIXED_SOURCES) and not brought and not field.limits.allowed and not field.identity
    usual = None
    if field.type.name in MOMENTS and not isinstance(field.source, ComputeSource):
        usual = (Fraction(axis.units(plan.window[0]) * _unit(axis)), Fraction((axis.units(plan.window[1]) - 1) * _unit(axis)))
    scale = _scale(axis)
    low = Fraction(span.low) * scale if span.low is not None else None
    high = Fraction(span.high) * scale if span.high is not None else None
    return _Range(axis, free, low, high, usual)


def _unit(axis: Axis) -> int:
    return DAY if axis.type.name == "date" else 1


def _scale(axis: Axis) -> Fraction:
    """What one unit of an axis is worth: microseconds, or ones."""
    return Fraction(_unit(axis)) if axis.type.name in MOMENTS else Fraction(1, 10**axis.scale)


def _gap(*axes: Axis) -> Fraction:
    """The least distance between two values that differ: a second, a day, or one in the last decimal."""
    return max(Fraction(SECOND) if axis.type.name.startswith("timestamp") else _scale(axis) for axis in axes)


def _units(one: _Range, end: Fraction | None, *, up: bool) -> int | None:
    if end is None:
        return None
    whole = end / _scale(one.axis)
    return -(-whole.numerator // whole.denominator) if up else whole.numerator // whole.denominator


Change = tuple[Cell, bool, Fraction, Cell, _Side, Any]


def _ruled(plan: Plan, name: str) -> set[Cell]:
    """The fields of an entity that a unique rule keeps apart: their places are dealt, so no cell of another row can move them."""
    entity = plan.entities[name].entity
    texts = [text for rule in entity.special_rules for text in rule.expressions]
    names = {column for rule in entity.uniques for column in rule.columns} | set(entity.key)
    names |= {column for column in entity.field_names if any(column in text for text in texts)}
    return {(name, column) for column in names}


def _is_met(own: _Range, side: _Side, ranges: dict[Cell, _Range]) -> bool:
    """Whether a bound by another cell holds whatever the two are."""
    other = ranges[side.cell]
    near, far = (own.most, other.least) if side.upper else (other.most, own.least)
    step = _gap(own.axis, other.axis) if side.strict else Fraction(0)
    return side.bound.within is None and near is not None and far is not None and near + step <= far


def _demands(
    cell: Cell, found: list[_Side], sides: dict[Cell, list[_Side]], ranges: dict[Cell, _Range], ruled: bool
) -> Iterator[Change]:
    """What the sides of a cell must be so that it has room: which cell, its upper or lower end, and that end."""
    own = ranges[cell]
    if ruled:  # it does not move with other cells, so these must leave it all of its room
        for side in found:
            step = _gap(own.axis, ranges[side.cell].axis) if side.strict else Fraction(0)
            end = own.most if side.upper else own.least
            if end is not None and side.bound.within is None and ranges[side.cell].free and len(side.path) > 1:
                yield side.cell, not side.upper, end + step if side.upper else end - step, cell, side, None
        return
    for side in found:
        step = _gap(own.axis, ranges[side.cell].axis) if side.strict else Fraction(0)
        if not side.upper and own.high is not None:
            yield side.cell, True, own.high - step, cell, side, None
        if side.upper and own.low is not None:
            yield side.cell, False, own.low + step, cell, side, None
    for first in found:
        for last in found:
            if first.upper or not last.upper or _ordered(first, last, sides):
                continue
            step = _gap(own.axis, ranges[first.cell].axis, ranges[last.cell].axis) * (first.strict + last.strict)
            early, late = ranges[first.cell], ranges[last.cell]
            if late.least is not None and early.free:
                yield first.cell, True, late.least - step, cell, first, last
            elif early.most is not None:
                yield last.cell, False, early.most + step, cell, last, first


def _ordered(first: _Side, last: _Side, sides: dict[Cell, list[_Side]]) -> bool:
    """Whether the one comes before the other anyway: cells of one row, or of rows that follow each other by such a rule."""
    if first.path[:-1] == last.path[:-1]:
        return True
    below = any(side.upper and first.path[:-1] + side.path == last.path for side in sides.get(first.cell, ()))
    return below or any(not side.upper and last.path[:-1] + side.path == first.path for side in sides.get(last.cell, ()))


def _narrow(
    plan: Plan, ranges: dict[Cell, _Range], cell: Cell, upper: bool, end: Fraction, of: Cell, side: _Side, other: Any,
    problems: dict[str, Problem],
) -> bool:  # fmt: skip
    """Bounds a cell; False where it is bounded so already, or cannot be, which is told."""
    one = ranges[cell]
    now = one.most if upper else one.least
    if now is not None and (now <= end if upper else now >= end):
        return False
    against = one.low if upper else one.high
    if not one.free or (against is not None and (against > end if upper else against < end)):
        key = f"{of} {cell}"
        if key not in problems:
            problems[key] = _contradiction(plan, ranges, cell, upper, end, of, side, other)
        return False
    word = "latest" if upper else "earliest"
    one.narrowed = f"at the {word} {_shown(one, end)}, so that {'.'.join(of)} has room"
    if upper:
        one.high = end
        if one.low is None and one.usual is not None and end < one.usual[0]:  # a lead: from before the window begins
            one.low = end - (one.usual[1] - one.usual[0])
    else:
        one.low = end
        if one.high is None and one.usual is not None and end > one.usual[1]:
            one.high = end + (one.usual[1] - one.usual[0])
    return True


def _shown(one: _Range, end: Fraction) -> str:
    units = _units(one, end, up=False)
    return str(one.axis.value(units)) if units is not None else ""


def _contradiction(
    plan: Plan, ranges: dict[Cell, _Range], cell: Cell, upper: bool, end: Fraction, of: Cell, side: _Side, other: Any
) -> Problem:
    one, named = ranges[cell], ".".join(of)
    _, field = _field(plan, of)
    if other is not None:
        rule = f"{named} must be {side.bound} and {other.bound}"
    else:
        limits = [b for b in field.limits.bounds if not b.path and (b.comparison in ("<", "<=")) == upper]
        rule = f"{named} must be {side.bound} and {limits[0] if limits else 'within its limits'}"
    now = one.most if upper else one.least
    reach = f"may be as {'late' if upper else 'early'} as {_shown(one, now)}" if now is not None else "has no limit"
    word = "maximum" if upper else "minimum"
    fact = f"{rule}, but {'.'.join(cell)} {reach}, which leaves no room"
    return Problem(fact=fact, place=side.bound.place or field.place, hint=f"{'.'.join(cell)}: {{{word}: {_shown(one, end)}}}")
