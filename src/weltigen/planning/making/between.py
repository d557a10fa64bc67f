"""Values between other cells: after one, before another, within a span; all bounds are met in one range for each row.

Where these leave no room in a row, a field that may be null is null there, unless somebody said when it is there.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...model import Field, Problem
from ...model.origins import Origin
from ...model.paths import path_end
from ...model.problems import ImpossibleError
from ...model.types import MOMENTS, TypeName
from ...plan.entity import EntityPlan
from ...plan.fields import ByWeight, CellBound, Drawn, FieldPlan, OfKind, OneOf, Way
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits, Words
from ...randomness.mixing import below
from ...values import Axis, Values, axis_of
from ...values.axis import DAY, SECOND
from ...values.shapes import time_of_day
from ..knowledge.limits import window_of
from .masking import mask_out, nulls_count

Fill = Callable[[RowsPort], Any]
WordSource = Callable[[RowsPort], Words]
_FAR = 1 << 60  # past every unit that a type holds


def rising(values: Values, total: int, bits: Bits) -> Fill:
    """Row o of n falls into the o-th of n equal parts of the space, or of all words where these are drawn."""
    space, draw = values.space, values.draw
    total = max(1, total)

    def fill(rows: RowsPort) -> Any:
        at = (rows.ordinals + bits.unit(rows.ordinals)) / total
        if draw is not None:
            words = np.minimum(at * 2.0**53, 2.0**53 - 1).astype(np.uint64) << np.uint64(11)
            return values.decode(draw(words | bits.words(rows.ordinals) >> np.uint64(53)))
        return values.decode(np.minimum((at * space).astype(np.uint64), np.uint64(space - 1)))

    return fill


def is_declared(field: Field) -> bool:
    """Whether a bound that is another cell was declared or said; of those that were guessed none must be met."""
    return any(bound.origin is not Origin.GUESSED for bound in field.limits.bounds if bound.path)


def must_have_room(entity_plan: EntityPlan, field_plan: FieldPlan) -> bool:
    """Whether rows cannot be made where other cells leave a field no room."""
    return bool(field_plan.cell_bounds) and is_declared(field_plan.field) and not may_be_missing(entity_plan, field_plan.field)


def between(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, axis: Axis, words: WordSource, turn: Bits) -> Fill:
    """Between cells: all bounds are met in one range for each row, and a step of the axis within is taken."""
    window = window_of(field_plan.field, axis, plan.window) or (None, None)
    step = max(1, field_plan.step)
    declared = is_declared(field_plan.field)
    sides = [(bound, _axis_at(plan, entity_plan, bound)) for bound in field_plan.cell_bounds]
    gives_way = may_be_missing(entity_plan, field_plan.field)
    if isinstance(field_plan.way, Drawn) and isinstance(field_plan.way.of, OneOf | ByWeight):
        return _among_few(field_plan, field_plan.way.values, axis, sides, window, words, gives_way, declared)

    way = field_plan.way
    by_day = (
        isinstance(way, Drawn)
        and isinstance(way.of, OfKind)
        and way.of.kind == "moment"
        and axis.type.name.startswith("timestamp")
    )

    in_turn = rising(way.values, entity_plan.total, turn) if isinstance(way, Drawn) and way.values.rising else None

    usual, usual_at = _usual_ends(way, axis), _usual_share(field_plan.cell_bounds)

    first, last = (end // step for end in axis.natural_limits)
    otherwise = [end // step for end in usual] if usual is not None else [last, last]

    def fill(rows: RowsPort) -> Any:
        low, high = _ends(rows, field_plan, sides, window, usual)
        if step > 1:
            low, high = -_floor(-low, step), _floor(high, step)
        empty = low > high if declared else None
        if empty is not None and empty.any() and not gives_way:
            _no_room(rows, field_plan, empty)
        if empty is None and (beyond := (low > last) | (high < first)).any():  # a guess does not lead past what a type holds
            low, high = np.where(beyond, otherwise[0], low), np.where(beyond, otherwise[1], high)
        span = np.maximum(high - low + 1, 1)
        if usual_at is None:
            units = low + below(words(rows), span.astype(np.uint64)).astype(np.int64)
        else:
            units = low + np.minimum((_near(words(rows), usual_at) * span).astype(np.int64), span - 1)
        if by_day:
            units = np.where(high - low >= DAY // step, _by_day(units, words(rows), low, high, step), units)
        if in_turn is not None:
            wanted = axis.read(in_turn(rows))
            units = np.where((wanted >= low * step) & (wanted <= high * step), wanted // step, units)
        return _where_room(axis.column(units * step if step > 1 else units), empty)

    return fill


def _usual_share(bounds: Sequence[CellBound]) -> float | None:
    """Where in its range a value lies most often, from 0 to 1; None where all of it is as common."""
    near = [bound for bound in bounds if bound.within]
    if len(near) != 1 or near[0].usual is None or near[0].within is None:
        return None
    share = min(1.0, near[0].usual / near[0].within)
    return 1.0 - share if near[0].upper else share


def _near(words: Words, usual: float) -> NDArray[np.float64]:
    """Shares of a range, most often about `usual`: the triangular distribution, by its inverse."""
    share = (words >> np.uint64(11)).astype(np.float64) * 2.0**-53
    return np.where(share < usual, np.sqrt(share * usual), 1.0 - np.sqrt((1.0 - share) * (1.0 - usual)))


def _by_day(units: NDArray[np.int64], words: Words, low: Any, high: Any, step: int) -> NDArray[np.int64]:
    """Moments moved, within their day, to an hour when people are awake; where that leaves the ends they stay."""
    moved = (units * step // DAY * DAY + time_of_day(words) * SECOND) // step
    return np.where((moved >= low) & (moved <= high), moved, units)


def _among_few(
    field_plan: FieldPlan,
    values: Values,
    axis: Axis,
    sides: list[tuple[CellBound, Axis]],
    window: tuple[int | None, ...],
    words: WordSource,
    gives_way: bool,
    declared: bool,
) -> Fill:
    """One of a few values, of those that lie between the ends in each row; where guesses leave none, any of them."""
    known = np.unique(axis.read(values.decode(np.arange(values.space, dtype=np.uint64))))
    usual = int(known[0]), int(known[-1])

    def fill(rows: RowsPort) -> Any:
        low, high = _ends(rows, field_plan, sides, window, usual)
        first, end = np.searchsorted(known, low), np.searchsorted(known, high, side="right")
        empty = first >= end
        if not declared:
            first, end = np.where(empty, 0, first), np.where(empty, len(known), end)
            empty = np.zeros(len(rows), bool)
        if empty.any() and not gives_way:
            _no_room(rows, field_plan, empty)
        chosen = first + below(words(rows), np.maximum(end - first, 1).astype(np.uint64)).astype(np.int64)
        return _where_room(axis.column(known[np.minimum(chosen, len(known) - 1)]), empty)

    return fill


def may_be_missing(entity_plan: EntityPlan, field: Field) -> bool:
    """Whether a field may be null in any row: nobody said when it is there, no row refers to it, and no rule takes nulls for
    equal."""
    free = field.present is None or (field.present.origin in (Origin.GUESSED, Origin.FALLBACK) and field.present.share != 1)
    return field.nullable and free and not nulls_count(entity_plan, field.name)


def may_lack_room(field_plan: FieldPlan) -> bool:
    """Whether other cells and limits bound a field from both sides."""
    upper = any(bound.upper or bound.within is not None for bound in field_plan.cell_bounds) or field_plan.high is not None
    lower = any(not bound.upper or bound.within is not None for bound in field_plan.cell_bounds) or field_plan.low is not None
    return bool(field_plan.cell_bounds) and upper and lower and not all(b.within is not None for b in field_plan.cell_bounds)


def _where_room(column: Any, empty: NDArray[np.bool_] | None) -> Any:
    return mask_out(column, ~empty) if empty is not None and empty.any() else column


def _no_room(rows: RowsPort, field_plan: FieldPlan, empty: NDArray[np.bool_]) -> None:
    """ImpossibleError: the cells that bound a value leave no room in some rows."""
    row = rows.some(np.flatnonzero(empty)[:1])
    name, field = f"{rows.name}.{field_plan.field.name}", field_plan.field
    around = ", ".join(f"{'.'.join(m.path)} is {row.path(m.path)[0].as_py()}" for m in field_plan.cell_bounds)
    bounds = " and ".join(str(bound) for bound in field.limits.bounds)
    raise ImpossibleError(Problem(
        fact=f"{name} must be {bounds}, which leaves no room in {int(empty.sum()):,} of {len(rows):,} rows"
             f" (row {int(row.ordinals[0])}: {around})",
        place=next((bound.place for bound in field.limits.bounds if bound.place is not None), field.place),
        hint="widen `within`, or bound these so that there is room between them", room=(rows.name, int(row.ordinals[0])),
    ))  # fmt: skip


def _floor(units: NDArray[np.int64], step: int) -> NDArray[np.int64]:
    """units // step; unsigned division is several times faster, so numbers are lifted above zero by whole steps."""
    lift = (1 << 61) // step
    lifted = (units + lift * step).view(np.uint64) // np.uint64(step)
    return np.asarray(lifted.view(np.int64) - lift, np.int64)


def _unless(absent: NDArray[np.bool_] | None, units: NDArray[np.int64], otherwise: int) -> NDArray[np.int64]:
    return units if absent is None else np.where(absent, np.int64(otherwise), units)


def _axis_at(plan: Plan, entity_plan: EntityPlan, bound: CellBound) -> Axis:
    entity, name = path_end(plan.world, entity_plan.entity, bound.path)
    axis = plan.entities[entity].fields[name].axis
    if axis is None:
        axis = axis_of(plan.entities[entity].entity.field(name).type)
    assert axis is not None
    return axis


def _usual_ends(way: Way, axis: Axis) -> tuple[int, int] | None:
    """The least and the most that a kind of number, or of time of day, has by itself."""
    if not isinstance(way, Drawn) or not isinstance(way.of, OfKind) or axis.type.name in MOMENTS:
        return None
    if way.of.by_type or way.values.space < 2:
        return None
    ends = axis.read(way.values.decode(np.array([0, way.values.space - 1], np.uint64)))
    return int(ends.min()), int(ends.max())


def _ends(
    rows: RowsPort, field_plan: FieldPlan, sides: list[tuple[CellBound, Axis]], window: tuple[int | None, ...],
    usual: tuple[int, int] | None = None,
) -> tuple[Any, Any]:  # fmt: skip
    """Lower and upper ends by row, both included; what nothing bounds reaches to the window's end, to the `usual` ends of the
    kind, or a usual distance."""
    lows: list[Any] = [] if field_plan.low is None else [field_plan.low]
    highs: list[Any] = [] if field_plan.high is None else [field_plan.high]
    own = field_plan.axis
    assert own is not None
    for bound, axis in sides:
        column = rows.path(bound.path, earlier=True)
        at: NDArray[np.int64] = _rescale(axis.read(column), axis, own, up=not bound.upper and not bound.strict)
        strict = 1 if bound.strict else 0
        absent = np.asarray(column.is_null()) if column.null_count else None  # a cell that is null bounds nothing
        near, far = (highs, lows) if bound.upper else (lows, highs)
        sign = -1 if bound.upper else 1
        near.append(_unless(absent, at + sign * strict, sign * -_FAR))
        if bound.within is not None:
            far.append(_unless(absent, at + sign * bound.within, sign * _FAR))
    least, most = own.natural_limits
    timed = window[0] is not None and window[1] is not None
    start = window[0] if window[0] is not None else max(10**own.scale, least)
    end = window[1] - 1 if window[1] is not None else start + _usual_width(own)
    # an end that no cell sets in a row lies where the window does, or at a usual distance from the other end
    low: Any = _all(np.maximum, lows) if lows else -_FAR
    high: Any = _all(np.minimum, highs) if highs else _FAR
    lowless, highless = np.less_equal(low, -_FAR), np.greater_equal(high, _FAR)
    if np.any(lowless):
        high = np.where(highless, high, np.minimum(high, most))
        near = _at_or_before(high, start, end) if timed else np.subtract(high, _usual_width(own))
        near = _where_held(usual[0] if usual is not None else None, near, least=-_FAR, most=high)
        low = np.where(lowless, np.where(highless, start, near), low)
    if np.any(highless):
        low = np.maximum(low, least)
        near = np.maximum(end, low + _units_a_second(own) - 1) if timed else np.add(low, _usual_width(own))
        near = _where_held(usual[1] if usual is not None else None, near, least=low, most=_FAR)
        high = np.where(highless, np.where(lowless, end, near), high)
    low, high = _by_row(np.maximum(low, least), len(rows)), _by_row(np.minimum(high, most), len(rows))
    if usual is not None:  # no further than the kind goes by itself, where that leaves room; all of it where nothing bounds a row
        low, high = np.where(lowless & highless, usual[0], low), np.where(lowless & highless, usual[1], high)
        low = np.where((usual[0] > low) & (usual[0] <= high), usual[0], low)
        high = np.where((usual[1] < high) & (usual[1] >= low), usual[1], high)
    return low, high


def _at_or_before(high: Any, start: int, end: int) -> Any:
    """The start of the window; of a row that must lie before it, as long before as the window is."""
    return np.where(np.less(high, start), np.subtract(high, end - start), start)


def _where_held(wished: int | None, otherwise: Any, *, least: Any, most: Any) -> Any:
    """The end that a kind has by itself, in the rows that have room for it."""
    if wished is None:
        return otherwise
    return np.where(np.greater_equal(wished, least) & np.less_equal(wished, most), wished, otherwise)


def _by_row(end: Any, size: int) -> NDArray[np.int64]:
    return end if isinstance(end, np.ndarray) and end.shape == (size,) else np.full(size, end, np.int64)


def _rescale(units: NDArray[np.int64], source: Axis, own: Axis, up: bool) -> NDArray[np.int64]:
    """Units of one axis as units of another; what lies between two is rounded down, or `up`."""
    factor = _units_a_day(own) * 10**own.scale, _units_a_day(source) * 10**source.scale
    if factor[0] >= factor[1]:
        return np.asarray(units * (factor[0] // factor[1]), np.int64)
    ratio = factor[1] // factor[0]
    return np.asarray(-(-units // ratio) if up else units // ratio, np.int64)


def _units_a_day(axis: Axis) -> int:
    return DAY if axis.type.name.startswith("timestamp") else 1


def _units_a_second(axis: Axis) -> int:
    """Units between two whole seconds, where there are such: past the window's end a moment is the next one."""
    return SECOND if axis.type.name.startswith("timestamp") else 1


def _usual_width(axis: Axis) -> int:
    if axis.type.name is TypeName.TIME:
        return 4 * 3_600 * SECOND
    return 1000 * int(10**axis.scale)


def _all(function: Any, ends: list[Any]) -> Any:
    out = ends[0]
    for end in ends[1:]:
        out = function(out, end)
    return out
