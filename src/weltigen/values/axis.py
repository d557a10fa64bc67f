"""Axes: ordered field types as whole numbers of a unit, so that bounds, steps and spaces are integer arithmetic."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import ROUND_CEILING, ROUND_FLOOR, Context, Decimal
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..model.literals import Value
from ..model.types import FLOATS, INTEGER_BITS, INTEGERS, ORDERED, FieldType, TypeName

SECOND = 1_000_000  # the unit of times is the microsecond
DAY = 86_400 * SECOND
_EPOCH = datetime(1970, 1, 1)
_FLOAT_SCALE = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class Axis:
    """A type's values as integers: `scale` decimal digits after the point, or microseconds, or days."""

    type: FieldType

    @property
    def scale(self) -> int:
        if self.type.name is TypeName.NUMERIC:
            return self.type.digits[1]
        return _FLOAT_SCALE if self.type.name in FLOATS else 0

    @property
    def natural_limits(self) -> tuple[int, int]:
        """The least and the greatest unit that the type can hold."""
        low, high = self._limits_of_name()
        one = 10**self.scale
        if self.type.least is not None:
            low = max(low, self.type.least * one)
        return low, high if self.type.most is None else min(high, self.type.most * one)

    @property
    def type_limits(self) -> tuple[int, int]:
        """The same without regard to what 64 bits hold: a wide decimal's least and greatest unit."""
        if self.type.name is not TypeName.NUMERIC or self.type.digits[0] < _DIGITS:
            return self.natural_limits
        one, most = 10**self.scale, 10 ** self.type.digits[0] - 1
        low = -most if self.type.least is None else self.type.least * one
        return low, most if self.type.most is None else min(most, self.type.most * one)

    def most_from(self, low: int) -> int:
        """The greatest unit that values from `low` on may have: of wide decimals more than 64 bits where they begin beyond."""
        most = self.natural_limits[1]
        return min(self.type_limits[1], low + _WIDE) if low > most else most

    def within(self, column: Any, low: int, high: int) -> NDArray[np.bool_]:
        """Whether the values of an Arrow column of the type lie between two units; nulls do."""
        arrow = self.type.arrow()
        if not pa.types.is_decimal(arrow) or arrow.precision < _DIGITS:
            units = self.read(column)
            return np.asarray((units >= low) & (units <= high) | _null_mask(column))
        ends = (pa.scalar(Decimal(end).scaleb(-self.scale, _EXACT), pa.decimal128(38, self.scale)) for end in (low, high))
        least, most = ends
        inside = pc.and_(pc.greater_equal(column, least), pc.less_equal(column, most))
        return np.asarray(pc.fill_null(inside, True))

    def _limits_of_name(self) -> tuple[int, int]:
        name = self.type.name
        if name in INTEGERS:
            half = 1 << (INTEGER_BITS[name] - 1)
            return -half, half - 1
        if name is TypeName.NUMERIC:
            most = min(10 ** self.type.digits[0] - 1, (1 << 62) - 1)
            return -most, most
        if name is TypeName.DATE:
            return self.units(date(1, 1, 1)), self.units(date(9999, 12, 31))
        if name is TypeName.TIME:
            return 0, DAY - 1
        if name in FLOATS:
            return -(1 << 52), 1 << 52
        if self.type.precision == 32:  # a day less at either end, for whatever time zone there is
            return self.units(datetime(1970, 1, 2)), self.units(datetime(2038, 1, 18))
        return self.units(datetime(1, 1, 1)), self.units(datetime(9999, 12, 31))

    def units(self, value: Value, *, up: bool = False) -> int:
        """A value in units; one that lies between two is rounded down, or up where it is a lower bound."""
        if isinstance(value, datetime):
            if self.type.name is TypeName.DATE:
                return (value - _EPOCH).days + int(up and value.time() != time(0))
            return round((value - _EPOCH) / timedelta(microseconds=1))
        if isinstance(value, date):
            days = (value - _EPOCH.date()).days
            return days if self.type.name is TypeName.DATE else days * DAY
        if isinstance(value, time):
            return ((value.hour * 60 + value.minute) * 60 + value.second) * SECOND + value.microsecond
        assert not isinstance(value, str | bytes)
        scaled = Decimal(str(int(value) if isinstance(value, bool) else value)).scaleb(self.scale)
        return int(scaled.to_integral_value(ROUND_CEILING if up else ROUND_FLOOR))

    def value(self, units: int) -> Any:
        """The value of a number of units, for messages."""
        return self.column_from(units, np.zeros(1, np.int64))[0].as_py()

    def span(self, length: timedelta) -> int:
        """A length of time in units, rounded down, at least one; whole numbers that tell of time count seconds."""
        if self.type.name in INTEGERS:
            return max(1, round(length.total_seconds()))
        if self.type.name is TypeName.DATE:
            return max(1, length.days)
        return max(1, round(length / timedelta(microseconds=1)))

    def column(self, units: NDArray[np.int64], null: NDArray[np.bool_] | None = None) -> Any:
        """An Arrow column of the type's own Arrow type; true in `null` makes a null."""
        arrow = self.type.arrow()
        if pa.types.is_decimal(arrow):
            return _decimals(units, arrow, null)
        if self.type.name in FLOATS:
            return pa.array(units / 10.0**_FLOAT_SCALE, mask=null).cast(arrow)
        if self.type.name in INTEGERS:
            return pa.array(units.astype(arrow.to_pandas_dtype()), arrow, mask=null)
        width = np.int32 if self.type.name is TypeName.DATE else np.int64
        storage = pa.array(units.astype(width, copy=False), mask=null)
        return storage.view(arrow)

    def column_from(self, first: int, units: NDArray[np.int64]) -> Any:
        """A column of `first` and so many units more, none of them negative; decimals may be beyond 64 bits."""
        arrow = self.type.arrow()
        if abs(first) < _WIDE or not pa.types.is_decimal(arrow):
            return self.column(units + first)
        low, high = np.uint64(first & _LOW), np.int64(first >> 64)
        halves = np.empty((len(units), 2), np.int64)
        sums = units.astype(np.uint64) + low
        halves[:, 0] = sums.view(np.int64)
        halves[:, 1] = high + (sums < low)
        return pa.Array.from_buffers(arrow, len(units), [None, pa.py_buffer(halves)])

    def read(self, column: Any) -> NDArray[np.int64]:
        """The units of an Arrow column of the type's Arrow type; nulls read as 0."""
        if isinstance(column, pa.ChunkedArray):
            column = column.combine_chunks()
        arrow = self.type.arrow()
        if pa.types.is_decimal(arrow):
            low = np.frombuffer(column.buffers()[1], np.int64)[column.offset * 2 :: 2][: len(column)]
            return np.asarray(np.where(_null_mask(column), 0, low) if column.null_count else low, np.int64)
        if self.type.name in FLOATS:
            return np.asarray(
                np.rint(column.fill_null(0).to_numpy(zero_copy_only=False).astype(np.float64) * 10.0**_FLOAT_SCALE), np.int64
            )
        if self.type.name not in INTEGERS:
            column = column.view(pa.int32() if self.type.name is TypeName.DATE else pa.int64())
        if column.null_count:
            column = column.fill_null(0)
        return np.asarray(column.to_numpy(zero_copy_only=False)).astype(np.int64, copy=False)


_WIDE, _LOW = 1 << 62, (1 << 64) - 1
_DIGITS = 19  # from which on a decimal may not fit 64 bits
_EXACT = Context(prec=60)


def _null_mask(column: Any) -> NDArray[np.bool_]:
    return np.asarray(column.is_null().to_numpy(zero_copy_only=False))


def _decimals(units: NDArray[np.int64], arrow: Any, null: NDArray[np.bool_] | None) -> Any:
    """128-bit little-endian integers: the low half, and the sign spread over the high half."""
    halves = np.empty((len(units), 2), np.int64)
    halves[:, 0] = units
    np.right_shift(units, 63, out=halves[:, 1])
    valid = None if null is None else pa.array(~null).buffers()[1]
    return pa.Array.from_buffers(arrow, len(units), [valid, pa.py_buffer(halves)])


def axis_of(kind: FieldType) -> Axis | None:
    """The axis of an ordered type, else None."""
    return Axis(type=kind) if kind.name in ORDERED else None
