"""Dates and times: parts of them, rounding down, and moving by a span."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp

from .meaning import Evaluation, Meaning, NotEvaluableError, is_text, like_types

_SECONDS = {"SECOND": 1, "MINUTE": 60, "HOUR": 3_600, "DAY": 86_400, "WEEK": 604_800}
_MONTHS = {"MONTH": 1, "QUARTER": 3, "YEAR": 12}
_PARTS: dict[str, Any] = {
    "YEAR": pc.year, "QUARTER": pc.quarter, "MONTH": pc.month, "WEEK": pc.iso_week, "DAY": pc.day, "DOY": pc.day_of_year,
    "HOUR": pc.hour, "MINUTE": pc.minute, "SECOND": pc.second, "ISOYEAR": pc.iso_year,
    "DOW": lambda value: pc.day_of_week(value, week_start=7),
    "ISODOW": lambda value: pc.day_of_week(value, count_from_zero=False),
}  # fmt: skip


def is_moment(value: Any) -> bool:
    return bool(pa.types.is_date(value.type) or pa.types.is_timestamp(value.type))


def moment(value: Any) -> Any:
    """A text that writes a moment, read as one; nothing changes for what is one already."""
    if not is_text(value):
        return value
    if isinstance(value, pa.Scalar):
        return value.cast(pa.timestamp("us")) if len(value.as_py() or "") > 10 else value.cast(pa.date32())
    return value.cast(pa.timestamp("us"))


def shifted(value: Any, interval: Any, sign: int, at: Evaluation) -> Any:
    """A moment moved by an INTERVAL; months keep the day where the month has it, else take its last one."""
    months, seconds = span_of(interval)
    value = moment(value)
    stamps = value.cast(pa.timestamp("us")) if pa.types.is_date(value.type) else value
    if months:
        stamps = _months_later(stamps, sign * months)
    moved_on = pc.add(stamps, pa.scalar(round(sign * seconds * 1_000_000), pa.duration("us")))
    keeps_date = pa.types.is_date(value.type) and not seconds % 86_400 and at.dialect != "postgres"
    return moved_on.cast(pa.date32()) if keeps_date else moved_on


def span_of(interval: Any) -> tuple[int, float]:
    """An INTERVAL as months and seconds: `INTERVAL '2 months'`, `INTERVAL 1 DAY`, `INTERVAL '1 year 6 months'`."""
    unit = interval.args.get("unit")
    if not isinstance(interval.this, exp.Literal):
        raise NotEvaluableError("the length of an interval must be a constant here: write n * INTERVAL '1 day'")
    text = str(interval.this.this)
    pieces = re.findall(r"(-?\d+(?:\.\d+)?)\s*([A-Za-z]+)", text) if unit is None else [(text, unit.name)]
    months, seconds = 0, 0.0
    for number, name in pieces:
        name = name.upper().rstrip("S")
        if name in _MONTHS:
            months += int(float(number)) * _MONTHS[name]
        elif name in _SECONDS:
            seconds += float(number) * _SECONDS[name]
        else:
            raise NotEvaluableError(f"'{name.lower()}' is not a span of time that is known here")
    if not pieces:
        raise NotEvaluableError(f"'{text}' is not a span of time that is known here")
    return months, seconds


def _months_later(value: Any, months: int) -> Any:
    array = pa.array([value.as_py()], value.type) if isinstance(value, pa.Scalar) else value
    if isinstance(array, pa.ChunkedArray):
        array = array.combine_chunks()
    filled = pc.fill_null(array.cast(pa.timestamp("us")), pa.scalar(0, pa.timestamp("us")))
    micro = filled.to_numpy(zero_copy_only=False).astype("datetime64[us]")
    month = micro.astype("datetime64[M]")
    within = micro - month.astype("datetime64[us]")
    day, rest = within // np.timedelta64(1, "D"), within % np.timedelta64(86_400_000_000, "us")
    target = month + np.timedelta64(months, "M")
    last = ((target + 1).astype("datetime64[D]") - target.astype("datetime64[D]")).astype(np.int64) - 1
    out = target.astype("datetime64[us]") + np.minimum(day, last).astype("timedelta64[D]") + rest
    made = pa.array(out, pa.timestamp("us"), mask=pc.is_null(array).to_numpy(zero_copy_only=False)).cast(value.type)
    return made[0] if isinstance(value, pa.Scalar) else made


def moved(left: Any, right: Any, sign: int) -> Any:
    """A date and days, or the distance of two moments: days between dates, a span otherwise."""
    left, right = like_types(left, right) if is_text(left) or is_text(right) else (left, right)
    if is_moment(left) and is_moment(right):
        if pa.types.is_date(left.type) and pa.types.is_date(right.type):
            return pc.subtract(left.cast(pa.int32()).cast(pa.int64()), right.cast(pa.int32()).cast(pa.int64()))
        return pc.subtract(left.cast(pa.timestamp("us")), right.cast(pa.timestamp("us")))
    if is_moment(right):
        left, right = right, left
    if pa.types.is_duration(right.type):
        left = left.cast(pa.timestamp("us")) if pa.types.is_date(left.type) else left
        return pc.add(left, right) if sign > 0 else pc.subtract(left, right)
    if pa.types.is_date(left.type) and pa.types.is_integer(right.type):
        days = left.cast(pa.int32()).cast(pa.int64())
        total = pc.add(days, right.cast(pa.int64())) if sign > 0 else pc.subtract(days, right.cast(pa.int64()))
        return total.cast(pa.int32()).cast(pa.date32())
    raise NotEvaluableError("a moment is moved by an interval, a date by whole days")


def _extract(node: Any, at: Evaluation) -> Any:
    name = node.this.name.upper()
    value = moment(at.value(node.expression))
    if name == "EPOCH":
        return pc.divide(value.cast(pa.timestamp("us")).cast(pa.int64()).cast(pa.float64()), 1_000_000.0)
    if name not in _PARTS:
        raise NotEvaluableError(f"'{name.lower()}' is not a part of a moment that is known here")
    return _PARTS[name](value).cast(pa.int64())


def _part(name: str) -> Meaning:
    return lambda node, at: _PARTS[name](moment(at.value(node.this))).cast(pa.int64())


_SPAN_UNITS = {"second": 1, "minute": 60, "hour": 3600, "day": 86_400}


def _span_truncated(value: Any, unit: str) -> Any:
    """An interval without what is less than a unit."""
    if unit not in _SPAN_UNITS:
        raise NotEvaluableError(f"'{unit}' is not a unit to round an interval down to")
    step = pa.scalar(_SPAN_UNITS[unit] * 1_000_000, pa.int64())
    units = value.cast(pa.duration("us")).cast(pa.int64())
    return pc.multiply(pc.divide(units, step), step).cast(pa.duration("us"))


def _truncated(node: Any, at: Evaluation) -> Any:
    unit = (node.args.get("unit") or exp.Var(this="DAY")).name.lower()
    if unit not in ("year", "quarter", "month", "week", "day", "hour", "minute", "second"):
        raise NotEvaluableError(f"'{unit}' is not a unit to round a moment down to")
    value = at.value(node.this)
    if pa.types.is_duration(value.type):
        return _span_truncated(value, unit)
    value = moment(value)
    return pc.floor_temporal(value.cast(pa.timestamp("us")) if pa.types.is_date(value.type) else value, unit=unit)


def _date(node: Any, at: Evaluation) -> Any:
    value = moment(at.value(node.this if isinstance(node.this, exp.Expression) else node.expressions[0]))
    return value.cast(pa.timestamp("us", None), safe=False).cast(pa.date32(), safe=False)


def _formatted(node: Any, at: Evaluation) -> Any:
    value = moment(at.value(node.this))
    form = at.constant(node.args["format"], "the format")
    if not set(re.findall(r"%(.)", form)) <= set("YmdHMSjw"):
        raise NotEvaluableError(f"the format '{form}' is not known here")
    return pc.strftime(value.cast(pa.timestamp("s"), safe=False), format=form)


def _same(node: Any, at: Evaluation) -> Any:
    return moment(at.value(node.this))


def _added(sign: int) -> Meaning:
    """MySQL's DATE_ADD and its kin."""

    def call(node: Any, at: Evaluation) -> Any:
        span = exp.Interval(this=node.expression, unit=node.args.get("unit"))
        return shifted(at.value(node.this), span, sign, at)

    return call


def _length(node: Any, at: Evaluation) -> Any:
    """An INTERVAL that stands alone or is multiplied; months have no length of their own."""
    months, seconds = span_of(node)
    if months:
        raise NotEvaluableError("an interval of months can be added to a moment, but not multiplied")
    return pa.scalar(round(seconds * 1_000_000), pa.duration("us"))


_DAYS_OF_A_MONTH = 30  # as PostgreSQL compares intervals
_ISO = (
    r"^P(?:(?P<y>\d+)Y)?(?:(?P<m>\d+)M)?(?:(?P<w>\d+)W)?(?:(?P<d>\d+)D)?"
    r"(?:T(?:(?P<h>\d+)H)?(?:(?P<min>\d+)M)?(?:(?P<s>\d+)(?:\.\d+)?S)?)?$"
)
_LENGTHS = {"y": 360 * 86_400, "m": 30 * 86_400, "w": 604_800, "d": 86_400, "h": 3_600, "min": 60, "s": 1}


def _span_length(node: Any, at: Evaluation) -> Any:
    """The length of an interval (ISO 8601, or as PostgreSQL writes it), whole seconds, as it is compared: a month has 30 days."""
    (inner,) = node.expressions
    plain = inner.unnest()
    if isinstance(plain, exp.Interval) or (isinstance(plain, exp.Literal) and plain.is_string and not plain.this.startswith("P")):
        if isinstance(plain, exp.Literal):
            return pa.scalar(_microseconds(str(plain.this)), pa.duration("us"))
        months, seconds = span_of(plain)
        return pa.scalar(round(months * _DAYS_OF_A_MONTH * 86_400 + seconds) * 1_000_000, pa.duration("us"))
    value = at.value(plain)
    if pa.types.is_null(value.type):
        return value.cast(pa.duration("us"))
    if not is_text(value):
        return value
    one = isinstance(value, pa.Scalar)
    parts = pc.extract_regex(pa.array([value.as_py()], pa.string()) if one else value, _ISO)
    total: Any = 0
    for name, seconds in _LENGTHS.items():
        part = pc.struct_field(parts, name)
        digits = pc.if_else(pc.equal(part, ""), "0", part).cast(pa.int64())
        length = pc.multiply(digits, seconds * 1_000_000)
        total = pc.add(total, length)
    made = total.cast(pa.duration("us"))
    if made.null_count > parts.null_count or parts.null_count > (0 if one else value.null_count):  # as PostgreSQL writes it
        texts = [value.as_py()] if one else value.to_pylist()
        made = pa.array([None if text is None else _microseconds(text) for text in texts], pa.duration("us"))
    return made[0] if one else made


def _microseconds(text: str) -> int:
    if (found := re.fullmatch(_ISO, text)) is not None:
        return sum(int(number or 0) * _LENGTHS[name] for name, number in found.groupdict().items()) * 1_000_000
    if re.fullmatch(r"\d+(\.\d+)?", text):
        return round(float(text) * 1_000_000)  # a number alone counts seconds
    months, seconds = span_of(exp.Interval(this=exp.Literal.string(text)))
    return round(months * _DAYS_OF_A_MONTH * 86_400 + seconds) * 1_000_000


MEANINGS: dict[type, Meaning] = {
    exp.Interval: _length,
    exp.Extract: _extract,
    exp.TimestampTrunc: _truncated,
    exp.DateTrunc: _truncated,
    exp.Date: _date,
    exp.TsOrDsToDate: _date,
    exp.TsOrDsToTimestamp: _same,
    exp.TimeToStr: _formatted,
    exp.DateAdd: _added(1),
    exp.DateSub: _added(-1),
    exp.Year: _part("YEAR"),
    exp.Month: _part("MONTH"),
    exp.Day: _part("DAY"),
    exp.DayOfMonth: _part("DAY"),
    exp.Quarter: _part("QUARTER"),
}
BY_NAME: dict[str, Meaning] = {"DATE": _date, "SPAN_LENGTH": _span_length}
