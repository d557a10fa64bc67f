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

from ...model import Bound, CasesSource, ComputeSource, ConstSource, Entity, Field, Problem, WeightsSource
from ...model.literals import read_literal, read_span
from ...model.origins import Origin
from ...model.paths import Cell, Path, path_end, resolve_path
from ...model.types import MOMENTS, TypeName
from ...plan.fields import Room
from ...plan.plan import Plan
from ...values import Axis, axis_of
from ...values.axis import DAY, SECOND
from ..knowledge.limits import allowed_values, read_range, window_of
from ..knowledge.walks import walked_fields
from .fields import spaced_field

_ROUNDS = 24
_FEW_DIGITS = 4  # before the point
_DEEPEST = 12  # bounds by cells that other cells bound are followed so far
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
    natural: frozenset[bool] = frozenset()  # its ends that only its type sets: the upper one is True


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
    return _Rooms(plan, sides).made() if sides else plan


def _sides(plan: Plan) -> Iterator[tuple[Cell, list[_Side]]]:
    for name in plan.order:
        entity = plan.entities[name].entity
        for field in entity.fields:
            found = []
            for bound in field.limits.bounds:
                if bound.path and bound.origin is not Origin.GUESSED and axis_of(field.type) is not None:
                    path = resolve_path(plan.world, entity, bound.operand)
                    if axis_of(_field(plan, path_end(plan.world, entity, path))[1].type) is None:
                        continue  # told where the field is prepared
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
    spaced = spaced_field(plan.entities[cell[0]], []) is field
    guessed_weights = isinstance(field.source, WeightsSource) and field.guess is not None  # others take their place
    chosen = (guessed_weights or not isinstance(field.source, _FIXED_SOURCES)) and not field.limits.allowed and not field.identity
    free = chosen and not brought and not spaced and field.name not in walked_fields(plan, plan.entities[cell[0]])
    usual = None
    window = None if isinstance(field.source, ComputeSource) else window_of(field, axis, plan.window)
    if window is not None:
        usual = Fraction(window[0]) * _scale(axis), Fraction(window[1] - 1) * _scale(axis)
    scale = _scale(axis)
    if isinstance(field.source, ConstSource):
        span.low = span.high = axis.units(read_literal(field.source.value, field.type))
    natural = frozenset[bool]()
    if _narrow(axis):
        least, most = axis.natural_limits
        natural = frozenset(upper for upper, end in ((False, span.low), (True, span.high)) if end is None)
        span.low, span.high = least if span.low is None else span.low, most if span.high is None else span.high
    if field.limits.allowed or field.type.values:
        known = [axis.units(value) for value in allowed_values(entity, field, span)[0] or [] if not isinstance(value, str)]
        span.low, span.high = min(known, default=span.low), max(known, default=span.high)
    low = Fraction(span.low) * scale if span.low is not None else None
    high = Fraction(span.high) * scale if span.high is not None else None
    return _Range(axis, free, low, high, usual, natural=natural)


def _narrow(axis: Axis) -> bool:
    """Whether a type holds so little that values beside it reach its ends."""
    name = axis.type.name
    digits, scale = axis.type.digits if name is TypeName.NUMERIC else (99, 0)
    few = axis.type.most is not None and axis.type.most < 1 << 17
    return few or name in (TypeName.TIME, TypeName.SMALLINT) or digits - scale <= _FEW_DIGITS


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


Change = tuple[Cell, bool, Fraction, Cell, _Side, _Side | None]


class _Rooms:
    """The ranges of all cells that bound others, narrowed until every value has room."""

    def __init__(self, plan: Plan, sides: dict[Cell, list[_Side]]) -> None:
        self.plan, self.sides = plan, sides
        self.ranges = {cell: _range(plan, cell) for cell in {*sides, *(s.cell for found in sides.values() for s in found)}}
        self.ruled = {cell for name in {cell[0] for cell in sides} for cell in _ruled(plan, name)}
        self.problems: dict[tuple[Cell, Cell], Problem] = {}

    def made(self) -> Plan:
        """The plan with the room that each cell leaves, and the bounds that hold anyway."""
        for _ in range(_ROUNDS):
            changes = [change for cell in self.sides for change in self._demands(cell)]
            if not sum(self._narrow(*change) for change in changes):
                break
        met = frozenset(
            (*cell, side.path, side.upper)
            for cell, found in self.sides.items() if cell in self.ruled for side in found if self._is_met(cell, side)
        )  # fmt: skip
        rooms = {
            cell: Room(low=_units(one, one.low, up=True), high=_units(one, one.high, up=False), because=one.narrowed)
            for cell, one in self.ranges.items() if one.narrowed
        }  # fmt: skip
        return replace(self.plan, rooms=rooms, satisfied_bounds=met).with_problems(list(self.problems.values()))

    def end(self, cell: Cell, *, upper: bool, depth: int = 0) -> Fraction | None:
        """The greatest value, or the least, that a cell may have; None where no end is known.

        A cell that others bound moves with them, past the window too.
        """
        one = self.ranges[cell]
        declared = one.high if upper else one.low
        usual = one.usual[1 if upper else 0] if one.usual is not None else None
        sides = self.sides.get(cell, ())
        if declared is not None or not sides or depth > _DEEPEST:
            return declared if declared is not None or sides else usual
        near: list[Fraction | None] = []
        moved: list[Fraction | None] = []
        for side in sides:
            other = self.end(side.cell, upper=upper, depth=depth + 1)
            if side.upper == upper:
                near.append(other)
            elif side.bound.within is not None and other is not None:
                span = one.axis.span(read_span(side.bound.within)) * _scale(one.axis)
                near.append(other + span if upper else other - span)
            else:
                moved.append(other)
        known = [end for end in near if end is not None]
        if known:
            return min(known) if upper else max(known)
        if near or usual is None or None in moved:
            return None
        ends = [usual, *(end for end in moved if end is not None)]
        return max(ends) if upper else min(ends)

    def _gap(self, *cells: Cell) -> Fraction:
        return _gap(*(self.ranges[cell].axis for cell in cells))

    def _is_met(self, cell: Cell, side: _Side) -> bool:
        """Whether a bound by another cell holds whatever the two are."""
        own, other = self._own_end(cell, upper=side.upper), self.end(side.cell, upper=not side.upper)
        if own is None or other is None or side.bound.within is not None:
            return False
        step = self._gap(cell, side.cell) if side.strict else Fraction(0)
        return own + step <= other if side.upper else other + step <= own

    def _demands(self, cell: Cell) -> Iterator[Change]:
        """What the sides of a cell must be so that it has room: which cell, its upper or lower end, and that end."""
        own, found = self.ranges[cell], self.sides[cell]
        if cell in self.ruled:  # it does not move with other cells, so these must leave it all of its room
            for side in found:
                step = self._gap(cell, side.cell) if side.strict else Fraction(0)
                end = self._own_end(cell, upper=side.upper)
                if end is not None and side.bound.within is None and self.ranges[side.cell].free and len(side.path) > 1:
                    yield side.cell, not side.upper, end + step if side.upper else end - step, cell, side, None
            return
        for side in found:
            step = self._gap(cell, side.cell) if side.strict else Fraction(0)
            if self._is_idle(own, side):
                continue
            if not side.upper and own.high is not None:
                yield side.cell, True, own.high - step, cell, side, None
            if side.upper and own.low is not None:
                yield side.cell, False, own.low + step, cell, side, None
        for first in found:
            for last in found:
                if first.upper or not last.upper or _ordered(first, last, self.sides):
                    continue
                step = self._gap(cell, first.cell, last.cell) * (first.strict + last.strict)
                least, most = self.end(last.cell, upper=False), self.end(first.cell, upper=True)
                if least is not None and self.ranges[first.cell].free:
                    yield first.cell, True, least - step, cell, first, last
                elif most is not None:
                    yield last.cell, False, most + step, cell, last, first

    def _is_idle(self, own: _Range, side: _Side) -> bool:
        """Whether a side asks for room before an end that only the type sets, of a cell that cannot be moved."""
        return (not side.upper) in own.natural and not self.ranges[side.cell].free

    def _own_end(self, cell: Cell, *, upper: bool) -> Fraction | None:
        """Where a cell whose position is dealt ends: at its own limits, else where the window does."""
        one = self.ranges[cell]
        declared = one.high if upper else one.low
        return declared if declared is not None or one.usual is None else one.usual[1 if upper else 0]

    def _narrow(self, cell: Cell, upper: bool, end: Fraction, of: Cell, side: _Side, other: _Side | None) -> bool:
        """Bounds a cell; False where it is bounded so already, or cannot be, which is reported."""
        one, now = self.ranges[cell], self.end(cell, upper=upper)
        if now is not None and (now <= end if upper else now >= end):
            return False
        against = one.low if upper else one.high
        if not one.free and now is None and side.bound.origin is Origin.CHECK:
            return False  # whether there is room shows in the rows, of which there may be fewer
        if not one.free or (against is not None and (against > end if upper else against < end)):
            self.problems.setdefault((of, cell), self._contradiction(cell, upper, end, of, side, other))
            return False
        one.narrowed = f"at the {'latest' if upper else 'earliest'} {_shown(one, end)}, so that {'.'.join(of)} has room"
        if upper:
            one.high = end
            if one.low is None and one.usual is not None and end < one.usual[0]:  # a lead: from before the window begins
                one.low = end - (one.usual[1] - one.usual[0])
        else:
            one.low = end
            if one.high is None and one.usual is not None and end > one.usual[1]:
                one.high = end + (one.usual[1] - one.usual[0])
        return True

    def _contradiction(
        self, cell: Cell, upper: bool, end: Fraction, of: Cell, side: _Side, other: _Side | None
    ) -> Problem:  # fmt: skip
        one, named, now = self.ranges[cell], ".".join(of), self.end(cell, upper=upper)
        _, field = _field(self.plan, of)
        if other is not None:
            rule = f"{named} must be {side.bound} and {other.bound}"
        else:
            limits = [b for b in field.limits.bounds if not b.path and (b.comparison in ("<", "<=")) == upper]
            rule = f"{named} must be {side.bound} and {limits[0] if limits else 'within its limits'}"
        against = one.low if upper else one.high
        hint = f"{'.'.join(cell)}: {{{'maximum' if upper else 'minimum'}: {_shown(one, end)}}}"
        if now is not None:
            reach = f"may be as {'late' if upper else 'early'} as {_shown(one, now)}"
        elif against is not None and (against > end if upper else against < end):
            reach = f"is at {'least' if upper else 'most'} {_shown(one, against)}"
            needed = f"at {'most' if upper else 'least'} {_shown(one, end)}"
            hint = f"loosen one of these limits: {'.'.join(cell)} would have to be {needed}"
        else:
            reach = f"has no {'greatest' if upper else 'least'} value"
        fact = f"{rule}, but {'.'.join(cell)} {reach}, which leaves no room"
        return Problem(fact=fact, place=side.bound.place or field.place, hint=hint)


def _ruled(plan: Plan, name: str) -> set[Cell]:
    """The fields that a unique rule keeps apart: their positions are dealt, so no cell of another row can move them."""
    entity = plan.entities[name].entity
    texts = [text for rule in entity.special_rules for text in rule.expressions]
    names = {column for rule in entity.needed_rules for column in rule} | set(entity.key)
    names |= {column for rule in entity.special_rules for column in rule.columns}
    names |= {column for column in entity.field_names if any(column in text for text in texts)}
    return {(name, column) for column in names}


def _ordered(first: _Side, last: _Side, sides: dict[Cell, list[_Side]]) -> bool:
    """Whether the one comes before the other anyway: cells of one row, or of rows that follow each other by such a rule."""
    if first.path[:-1] == last.path[:-1]:
        return True
    below = any(side.upper and first.path[:-1] + side.path == last.path for side in sides.get(first.cell, ()))
    return below or any(not side.upper and last.path[:-1] + side.path == first.path for side in sides.get(last.cell, ()))


def _shown(one: _Range, end: Fraction) -> str:
    units = _units(one, end, up=False)
    return str(one.axis.value(units)) if units is not None else ""
