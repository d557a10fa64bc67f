"""Numbers and moments: kinds whose values lie on an axis between two ends, in even steps."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np
import pyarrow as pa

from ..model.literals import read_literal, read_span
from ..model.types import MOMENTS, NUMBERS, FieldType, TypeName
from ..randomness import WIDEST, Words
from .axis import DAY, SECOND, Axis, axis_of
from .registry import KindError, Request, Values, declare
from .shapes import SHAPES, Draw, draw_of, human

YEARS = 1901, 2155  # what a type holds that is a year (MySQL's)


def stepped(axis: Axis, low: int, high: int, step: int, *, rising: bool = False) -> Values:
    """low, low + step, … up to high, in units of the axis; ValueError where that is empty."""
    least, most = axis.type_limits  # of wide decimals more is held than 64 bits
    low, high = max(low, least), min(high, most)
    if low > high:
        raise KindError(f"nothing lies between {axis.value(low)} and {axis.value(high)}")
    first = -(-low // step) * step if low % step else low
    space = min((high - first) // step + 1, max(1, WIDEST // step))
    if space < 1:
        raise KindError(f"no step lies between {axis.value(low)} and {axis.value(high)}")

    def decode(positions: Words) -> Any:
        return axis.column_from(first, positions.astype(np.int64) * step)

    return Values(space=min(space, WIDEST), decode=decode, rising=rising)


def ends_of(request: Request, low: int, high: int) -> tuple[int, int]:
    """The declared ends; an undeclared one is the usual one, moved where the declared one would leave no room."""
    width = high - low
    if request.low is not None and request.high is not None:
        return request.low, request.high
    if request.low is not None:
        return request.low, high if high > request.low else request.low + width
    if request.high is not None:
        return low if low < request.high else request.high - width, request.high
    return low, high


def _within(request: Request, low: int, high: int) -> tuple[int, int]:
    """The ends that a world file gives a kind, within those that are declared; KindError where these leave nothing."""
    axis = ordered_axis(request)
    ends = (max(low, low if request.low is None else request.low), min(high, high if request.high is None else request.high))
    if ends[0] > ends[1]:
        raise KindError(f"from {axis.value(low)} to {axis.value(high)} lies outside of its limits")
    return ends


def ordered_axis(request: Request) -> Axis:
    axis = axis_of(request.type)
    if axis is None:
        raise KindError(f"{request.type} is not an ordered type")
    return axis


_WIDE = 2


@declare("number", "A number between two limits.", suits=NUMBERS, parameters=("from", "to", "shape", "step"))
def number(request: Request) -> Values:
    axis = ordered_axis(request)
    one = 10**axis.scale
    least = axis.natural_limits[0]
    first, last = (1 * one, 1000 * one) if least < 1000 * one else (least, least + 1000 * one)
    if (request.type.least, request.type.most) == YEARS:
        first, last = request.window[0].year - 10, request.window[1].year
    usual = [axis.units(read_literal(request.parameters[end], request.type)) if end in request.parameters else default
             for end, default in (("from", first), ("to", last))]  # fmt: skip
    if {"from", "to"} <= set(request.parameters):
        ends = _within(request, usual[0], min(usual[1], axis.natural_limits[1]))
        if "step" in request.parameters and request.step is None:
            request = replace(request, step=max(1, axis.units(read_literal(request.parameters["step"], request.type))))
        if axis.scale > 2 and request.step is None and not request.unique and ends[1] - ends[0] >= _WIDE * one:
            request = replace(request, step=one // 100)  # amounts and measures with more than two decimals look worked out
        made = _numbers(request, axis, *ends)
        return _drawn(made, axis, request.parameters.get("shape", "even"), request.ranked)
    most = min(usual[1], axis.natural_limits[1])
    low, high = ends_of(
        request, min(usual[0], most // 10) if "from" not in request.parameters and most < usual[1] else usual[0], most
    )
    if request.low is None and low < 0 <= most and request.high is not None and request.high >= 0 and not request.unique:
        low = 0  # numbers are rarely negative where nobody says so
    if request.unique and request.high is None and "to" not in request.parameters:
        high = min(axis.most_from(low), max(high, low + 8 * request.rows))
    return _numbers(request, axis, low, high)


def _drawn(values: Values, axis: Axis, shape: str, ranked: bool) -> Values:
    """Values drawn in a shape."""
    if shape not in SHAPES:
        raise KindError(f"there is no shape '{shape}'; it is one of {', '.join(SHAPES)}")
    if values.space < 2:
        return values
    first, second = (int(at) for at in axis.read(values.decode(np.arange(2, dtype=np.uint64))))
    return replace(values, draw=draw_of(shape, values.space, first, second - first, axis.scale, ranked=ranked))


def _numbers(request: Request, axis: Axis, low: int, high: int) -> Values:
    step = request.step or 1
    if request.type.name is TypeName.REAL:  # of 24 bits (IEEE 754 binary32): numbers that lie closer could be stored as one
        apart = int(max(abs(low), abs(high), 1)).bit_length() - 23
        wide = step * -(-(1 << max(0, apart)) // step)
        step = wide if -(-low // wide) * wide <= high else step
    return stepped(axis, low, high, step)


def degrees(request: Request, low: str, high: str) -> Values:
    axis = ordered_axis(request)
    ends = [axis.units(read_literal(request.parameters.get(name, default), request.type))
            for name, default in (("from", low), ("to", high))]  # fmt: skip
    return stepped(axis, *_within(request, *ends), request.step or 1)


@declare("date", "A day within the window.", suits=MOMENTS, standard="ISO 8601")
def day(request: Request) -> Values:
    axis = ordered_axis(request)
    start, end = (axis.units(moment) for moment in request.window)
    one_day = 1 if request.type.name is TypeName.DATE else DAY
    return stepped(axis, *ends_of(request, start, end - one_day), one_day)


@declare(
    "bday",
    "A day of birth of somebody between 18 and 90 when the window ends.",
    suits=MOMENTS,
    standard="HTML autofill",
    parameters=("youngest", "oldest"),
)
def birthday(request: Request) -> Values:
    axis = ordered_axis(request)
    end = request.window[1]
    ages = [float(request.parameters.get(name, usual)) for name, usual in (("oldest", "90"), ("youngest", "18"))]
    oldest, youngest = (axis.units(end - timedelta(days=round(years * 365.2425) + 1)) for years in ages)
    one_day = 1 if request.type.name is TypeName.DATE else DAY
    return stepped(axis, *ends_of(request, oldest, youngest), one_day)


_OPENS, _CLOSES = 7, 21  # hours of the day
_ROOM = 4  # moments for each row, at least
# between which days, counted from now, lies what is around it, and what mostly is still to come
_NEAR = {"around": (-540, 180), "ahead": (-360, 480)}


@declare("moment", "A time when people do things: on working days and by day, more of them lately; or around or after now.",
         suits=MOMENTS, standard="ISO 8601", parameters=("when", "rising", "step"))  # fmt: skip
def human_moment(request: Request) -> Values:
    """In whole seconds, or days, or at full steps of the clock (`step`: 15 minutes); `when` is past, early and mostly before the
    window, around its end, or ahead and mostly after it, by up to 16 months. `rising`: later rows have later days."""
    axis = ordered_axis(request)
    when = request.parameters.get("when", "past")
    near = when in _NEAR
    start, end = request.window
    if request.now is not None and start + timedelta(days=14) < request.now < end:
        end = request.now
    if near:
        start, end = (end + timedelta(days=days) for days in _NEAR[when])
    elif when == "early":
        start -= min(end - start, timedelta(days=1100))
    units = [axis.units(at) for at in (start, end)]
    unit = 1 if request.type.name is TypeName.DATE else SECOND
    if "step" in request.parameters and unit == SECOND:
        unit = max(unit, axis.span(read_span(request.parameters["step"])))
        if DAY % unit:
            raise KindError(f"step: {request.parameters['step']}: a day has no whole number of these")
    low, high = ends_of(request, units[0], units[1] - unit)
    rising = request.parameters.get("rising") == "true" and not near
    by_day = (high - low) // DAY * ((_CLOSES - _OPENS) * 3_600 * SECOND // unit)
    if request.differ and unit != 1 and request.step is None and by_day > _ROOM * request.rows:
        # where a rule deals the positions no shape is drawn: by day at least
        return _within_hours(axis, low, high, unit, f"{_OPENS:02}:00-{_CLOSES}:00", rising)
    if (low, high) != (units[0], units[1] - unit) or request.step is not None:  # somebody set ends of their own
        return stepped(axis, low, high, max(unit, request.step or 1))
    days = (end - start).days
    if days < 14:
        return stepped(axis, low, high, unit)
    seconds = human(low * 86_400 if unit == 1 else int(low // SECOND), days, when)
    made = stepped(axis, low, high, unit, rising=rising)
    if unit == 1:
        return replace(made, draw=lambda words: np.minimum(seconds(words) // np.uint64(86_400), np.uint64(made.space - 1)))
    steps = np.uint64(unit // SECOND)
    booked = unit == _BOOKED * SECOND
    drawn = _in_the_day(seconds, int(low // SECOND) % 86_400) if booked else seconds
    return replace(made, draw=lambda words: np.minimum(drawn(words) // steps, np.uint64(made.space - 1)))


_BOOKED = 15 * 60  # by full quarters of an hour go what people book and meet for


def _in_the_day(seconds: Draw, start: int) -> Draw:
    """Seconds from a start on, `start` after midnight, without those of the night: what began then begins about noon."""
    hour, early, late = np.uint64(3_600), np.uint64(_OPENS * 3_600), np.uint64((_CLOSES + 1) * 3_600)

    def draw(words: Words) -> Words:
        at = seconds(words)
        clock = (at + np.uint64(start)) % np.uint64(86_400)
        at = np.where(clock < early, at + np.uint64(10) * hour, at)
        return np.where((clock >= late) & (at >= np.uint64(10) * hour), at - np.uint64(10) * hour, at)

    return draw


_FACTORS = {"s": 1, "ms": 1000, "us": 1_000_000, "ns": 1_000_000_000}


def epoch_window(window: tuple[datetime, datetime], unit: str) -> tuple[int, int]:
    """A window's ends counted from 1970 on, in seconds, or parts of them."""
    start, end = (round((at - datetime(1970, 1, 1)).total_seconds()) * _FACTORS[unit] for at in window)
    return start, end


@declare(
    "epoch",
    "Seconds since 1970, or milliseconds, within the window.",
    suits=frozenset({TypeName.INTEGER, TypeName.BIGINT}),
    standard="POSIX",
    parameters=("unit", "rising", "when"),
)
def epoch(request: Request) -> Values:
    axis = ordered_axis(request)
    factor = _FACTORS[request.parameters.get("unit", "s")]
    start, end = epoch_window(request.window, request.parameters.get("unit", "s"))
    rising = request.parameters.get("rising", "false") == "true"
    made = stepped(axis, *_within(request, start, end - 1), request.step or 1, rising=rising)
    seconds = human(start // factor, max(1, (end - start) // factor // 86_400), request.parameters.get("when", "past"))
    if request.step is not None or (request.low, request.high) != (None, None):
        return made
    return replace(made, draw=lambda words: np.minimum(seconds(words) * np.uint64(factor), np.uint64(made.space - 1)))


@declare("iso-time", "A date and a time of day as a text; or a day of birth.", standard="ISO 8601", parameters=("form", "of"))
def iso_time(request: Request) -> Values:
    form = request.parameters.get("form", "time")
    as_type = FieldType(name=TypeName.DATE if form == "date" else TypeName.TIMESTAMP)
    if not request.fits(10 if form == "date" else 19):
        raise KindError("a date as a text takes 10 characters, with a time 19")
    of = birthday if request.parameters.get("of") == "birth" else human_moment
    made = of(replace(request, type=as_type, parameters={}, low=None, high=None, step=None, room=None, least=0))
    assert isinstance(made, Values)
    short = pa.timestamp("s")
    return replace(made, decode=lambda at: (
        made.decode(at) if form == "date" else made.decode(at).cast(short)).cast(pa.string()))  # fmt: skip


@declare("date-time", "A time within the window, to the second.", suits=MOMENTS, standard="ISO 8601",
         parameters=("step", "hours", "rising"))  # fmt: skip
def moment(request: Request) -> Values:
    axis = ordered_axis(request)
    start, end = (axis.units(at) for at in request.window)
    unit = 1 if request.type.name is TypeName.DATE else SECOND
    step = request.parameters.get("step")
    length = axis.span(read_span(step)) if step else unit
    rising = request.parameters.get("rising", "false") == "true"
    low, high = ends_of(request, start, end - unit)
    if "hours" in request.parameters:
        return _within_hours(axis, low, high, length, request.parameters["hours"], rising)
    return stepped(axis, low, high, length, rising=rising)


def _within_hours(axis: Axis, low: int, high: int, step: int, hours: str, rising: bool) -> Values:
    """Whole days from the first to the last that fit, and on each the steps between two times of day, `06:00-22:00`."""
    opens, closes = (read_time(text, axis) for text in hours.split("-", 1)) if hours.count("-") == 1 else (0, 0)
    if not opens < closes or axis.type.name is TypeName.DATE:
        raise KindError(f"hours: {hours}: write two times of day of a timestamp, as in 06:00-22:00")
    first = -(-(low - opens) // DAY)
    days = (high - closes) // DAY - first + 1
    slots = (closes - opens) // step + 1
    if days < 1:
        raise KindError(f"no whole day lies between {axis.value(low)} and {axis.value(high)}")

    def decode(positions: Words) -> Any:
        day = (positions // np.uint64(slots)).astype(np.int64)
        slot = positions.astype(np.int64) - day * slots
        return axis.column((first + day) * DAY + opens + slot * step)

    return Values(space=days * slots, decode=decode, rising=rising)


def read_time(text: str, axis: Axis) -> int:
    """A time of day in units of the axis."""
    try:
        moment = read_literal(text.strip(), FieldType(name=TypeName.TIME))
    except ValueError as error:
        raise KindError(str(error)) from None
    return axis.units(moment)


@declare("time", "A time of day, to the minute.", suits=frozenset({TypeName.TIME}), standard="ISO 8601",
         parameters=("step", "shape"))  # fmt: skip
def time_of_day(request: Request) -> Values:
    axis = ordered_axis(request)
    shape = request.parameters.get("shape")
    if not request.low and (request.high or 0) > DAY - 60 * SECOND:  # room for a later time of the row, and no limit of its own
        request = replace(request, low=None, high=None)
    if shape in ("opening", "closing"):
        first, last = (6, 10) if shape == "opening" else (16, 22)
        return stepped(axis, *ends_of(request, first * 3600 * SECOND, last * 3600 * SECOND), axis.span(timedelta(minutes=30)))
    if shape == "day":
        return stepped(axis, *ends_of(request, 7 * 3600 * SECOND, 20 * 3600 * SECOND), axis.span(timedelta(minutes=15)))
    length = axis.span(read_span(request.parameters.get("step", "1 minute")))
    return stepped(axis, *ends_of(request, 0, DAY - SECOND), length)
