"""Decimals as whole numbers of their last digit: exact, and several times as quick as 128-bit arithmetic where 18 digits do."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal, localcontext
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

DIGITS = 18
_MOST = 10**DIGITS
_MORE_DIGITS = 6
_EXACT = 1 << 53  # up to here a double holds every whole number


@dataclass(frozen=True, slots=True)
class Fixed:
    """Units of 10^-scale, none of them larger than `most` without its sign. One plain integer where all rows have the same."""

    units: Any
    scale: int
    most: int
    null: NDArray[np.bool_] | None = None

    def tight(self) -> Fixed:
        """The same numbers, with the largest of them as `most`."""
        return replace(self, most=_largest(self.units)) if isinstance(self.units, np.ndarray) and self.units.size else self

    def scaled(self, scale: int) -> Fixed | None:
        """The same numbers in smaller units; None where these have no room."""
        factor = 10 ** (scale - self.scale)
        if self.most * factor >= _MOST:
            return None
        return Fixed(self.units * factor if factor > 1 else self.units, scale, self.most * factor, self.null)


def fixed(value: Any) -> Fixed | None:
    """A decimal or an integer, array or scalar; None for anything else, and where 18 digits are too few."""
    if isinstance(value, Fixed):
        return value
    arrow = value.type
    if not pa.types.is_decimal128(arrow) and not pa.types.is_integer(arrow):
        return None
    scale = arrow.scale if pa.types.is_decimal(arrow) else 0
    if isinstance(value, pa.Scalar):
        one = value.as_py()
        if one is None or scale < 0:
            return None
        whole = int(one.scaleb(scale)) if isinstance(one, Decimal) else int(one)
        return Fixed(whole, scale, abs(whole)) if abs(whole) < _MOST else None
    if isinstance(value, pa.ChunkedArray) or not len(value) or scale < 0:
        return None
    null = np.asarray(value.is_null()) if value.null_count else None
    if pa.types.is_decimal(arrow):
        halves = np.frombuffer(value.buffers()[1], np.int64)[value.offset * 2 : (value.offset + len(value)) * 2]
        units = halves[::2]
        if arrow.precision > DIGITS and not (halves[1::2] == units >> 63).all():
            return None
    else:
        units = np.asarray((value.fill_null(0) if null is not None else value).to_numpy(zero_copy_only=False))
        units = units.astype(np.int64, copy=False)
    if null is not None:
        units = np.where(null, 0, units)
    most = _largest(units)
    return Fixed(units, scale, most, null) if most < _MOST else None


def _largest(units: NDArray[np.int64]) -> int:
    return max(abs(int(units.max())), abs(int(units.min())))


def decimals(number: Fixed, arrow: Any = None) -> Any:
    """The numbers as an Arrow array of decimals, of 18 digits where no other type is asked for."""
    units = number.units
    halves = np.empty((len(units), 2), np.int64)
    halves[:, 0] = units
    np.right_shift(units, 63, out=halves[:, 1])
    valid = None if number.null is None else pa.array(~number.null).buffers()[1]
    arrow = arrow if arrow is not None else pa.decimal128(DIGITS, number.scale)
    return pa.Array.from_buffers(arrow, len(units), [valid, pa.py_buffer(halves)])


def floating(value: Any) -> Any:
    """Numbers as doubles, each the nearest: Arrow's cast multiplies by a rounded 0.1, so that 1.2 becomes a little more."""
    if not pa.types.is_decimal(value.type):
        return value.cast(pa.float64())
    if isinstance(value, pa.Scalar):
        return pa.scalar(None if value.as_py() is None else float(value.as_py()), pa.float64())
    number = fixed(value)
    if number is None or number.most > _EXACT:
        return value.cast(pa.string()).cast(pa.float64())
    return pa.array(number.units / 10.0**number.scale, pa.float64(), mask=number.null)


Nulls = NDArray[np.bool_] | None


def _either_null(left: Fixed, right: Fixed) -> Nulls:
    return left.null if right.null is None else right.null if left.null is None else left.null | right.null


def _null_by_zero(left: Fixed, right: Fixed, null: Nulls) -> tuple[NDArray[np.bool_], Nulls]:
    """Where is divided by zero, and the nulls with these, as in numbers._no_zero."""
    zero = np.asarray(right.units == 0)
    if not zero.any():
        return zero, null
    return zero, np.broadcast_to(zero if null is None else zero | null, np.broadcast(left.units, right.units).shape)


def combined(operation: str, left: Fixed, right: Fixed) -> Fixed | None:
    """The sum, difference, product or remainder; None where it has no room, or is the same in every row."""
    if not isinstance(left.units, np.ndarray) and not isinstance(right.units, np.ndarray):
        return None
    return _combined(operation, left, right) or _combined(operation, left.tight(), right.tight())


def _combined(operation: str, left: Fixed, right: Fixed) -> Fixed | None:
    null = _either_null(left, right)
    if operation == "multiply":
        scale, most = left.scale + right.scale, left.most * right.most
        return Fixed(left.units * right.units, scale, most, null) if most < _MOST and scale <= DIGITS else None
    scale = max(left.scale, right.scale)
    one, other = left.scaled(scale), right.scaled(scale)
    if one is None or other is None or one.most + other.most >= _MOST:
        return None
    if operation == "remainder":  # it has the sign of what is divided
        zero, null = _null_by_zero(one, other, null)
        return Fixed(np.fmod(one.units, np.where(zero, 1, other.units)), scale, min(one.most, other.most), null)
    units = one.units + other.units if operation == "add" else one.units - other.units
    return Fixed(units, scale, one.most + other.most, null)


def divided(left: Fixed, right: Fixed) -> Fixed | None:
    """The quotient with as many digits after the point as there is room for, no fewer than six more than both have; None where
    there is none, or it is the same in every row. What is divided by zero is null."""
    if not isinstance(left.units, np.ndarray) and not isinstance(right.units, np.ndarray):
        return None
    least = max(left.scale, right.scale) + _MORE_DIGITS
    scale = next((s for s in (least + 4, least) if left.most * 10 ** (s - left.scale + right.scale) < _MOST), None)
    if scale is None or scale > DIGITS:
        return None
    zero, null = _null_by_zero(left, right, _either_null(left, right))
    units, by = left.units * 10 ** (scale - left.scale + right.scale), np.where(zero, 1, np.abs(right.units))
    whole = (np.abs(units) + by // 2) // by  # half away from zero
    return Fixed(
        np.where((units < 0) != (right.units < 0), -whole, whole),
        scale,
        left.most * 10 ** (scale - left.scale + right.scale),
        null,
    )


def on_one_scale(values: list[Any]) -> list[Fixed | None] | None:
    """Decimals, with whole numbers among them or nulls (None), in the smallest unit that any has; None for anything else."""
    if not any(isinstance(value, Fixed) or pa.types.is_decimal(value.type) for value in values):
        return None
    numbers: list[Fixed | None] = []
    for value in values:
        number = None if not isinstance(value, Fixed) and pa.types.is_null(value.type) else fixed(value)
        if number is None and (isinstance(value, Fixed) or not pa.types.is_null(value.type)):
            return None
        numbers.append(number)
    scale = max(number.scale for number in numbers if number is not None)
    scaled = [number.scaled(scale) if number is not None else None for number in numbers]
    return scaled if all((one is None) == (other is None) for one, other in zip(numbers, scaled, strict=True)) else None


def chosen(conditions: Sequence[NDArray[np.bool_]], values: Sequence[Fixed | None], rows: int) -> Fixed:
    """For each row the value of the first condition that is true, else the last one, all on one scale."""
    numbers = [value for value in values if value is not None]
    units, null = np.zeros(rows, np.int64), np.ones(rows, bool)
    for condition, value in zip((np.ones(rows, bool), *reversed(conditions)), reversed(values), strict=True):
        units = np.where(condition, 0 if value is None else value.units, units)
        null = np.where(condition, True if value is None else False if value.null is None else value.null, null)
    return Fixed(units, numbers[0].scale, max(number.most for number in numbers), null if null.any() else None)


def first_given(values: Sequence[Fixed | None], rows: int) -> Fixed:
    """For each row the first value that is not null, all on one scale."""
    given = [
        np.zeros(rows, bool) if value is None else np.ones(rows, bool) if value.null is None else ~value.null for value in values
    ]
    return chosen(given, [*values, None], rows)


def rounded_wide(value: Any, digits: int) -> Any:
    """An array of decimals of any size, rounded half away from zero: Arrow loses numbers of more than 18 digits there."""
    unit, arrow = Decimal(1).scaleb(-digits), pa.decimal128(38, min(digits, value.type.scale))
    with localcontext() as context:
        context.prec = 60
        return pa.array([None if v is None else v.quantize(unit, ROUND_HALF_UP) for v in value.to_pylist()], arrow)


def rounded(number: Fixed, digits: int) -> Fixed:
    """Rounded to a number of digits after the point, half away from zero."""
    if number.scale <= digits or not isinstance(number.units, np.ndarray):
        return number
    unit = 10 ** (number.scale - digits)
    whole = (np.abs(number.units).astype(np.uint64) + np.uint64(unit // 2)) // np.uint64(unit)
    units = np.where(number.units < 0, -whole.astype(np.int64), whole.astype(np.int64))
    return Fixed(units, digits, number.most // unit + 1, number.null)
