"""What the meanings of all operators and functions share: the evaluation in hand, and types that fit each other."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp

from .fixed import Fixed, decimals, floating


class NotEvaluableError(ValueError):
    """An expression, or a part of one, that has no meaning here; its text says which."""


Meaning = Callable[[Any, "Evaluation"], Any]


@dataclass(frozen=True, slots=True)
class Evaluation:
    """One evaluation over `rows` rows; values are Arrow arrays, or scalars where they are the same in every row.

    Between the steps of a calculation, decimals are whole numbers of their last digit (`Fixed`).
    """

    columns: Callable[[str], Any]
    rows: int
    dialect: str | None
    meaning_of: Callable[[Any], Meaning]

    def value(self, node: Any) -> Any:
        return arrow_of(self.number(node))

    def number(self, node: Any) -> Any:
        """The value of a part as it comes: as `Fixed` where that is a step of a calculation with decimals."""
        return self.meaning_of(node)(node, self)

    def constant(self, node: Any, what: str) -> Any:
        """The Python value of a part that must be the same in every row, such as a pattern."""
        value = self.value(node)
        if not isinstance(value, pa.Scalar):
            raise NotEvaluableError(f"{what} must be a constant here")
        return value.as_py()

    def argument(self, node: Any, name: str, default: Any) -> Any:
        """A constant argument by its name in the tree, or the default."""
        given = node.args.get(name)
        return default if given is None else self.constant(given, name)


def arrow_of(value: Any) -> Any:
    return decimals(value) if isinstance(value, Fixed) else value


def is_text(value: Any) -> bool:
    return bool(pa.types.is_string(value.type))


def like_types(left: Any, right: Any) -> tuple[Any, Any]:
    """A text literal beside a date, a time or a number takes the other's type, as in SQL; a date beside a time becomes one."""
    for one, other in ((left, right), (right, left)):
        cast = None
        if pa.types.is_null(one.type) and not pa.types.is_null(other.type):
            cast = one.cast(other.type)
        elif isinstance(one, pa.Scalar) and is_text(one) and not is_text(other):
            cast = _read(one, other.type)
        elif pa.types.is_boolean(one.type) and pa.types.is_integer(other.type):  # a number in SQLite and MySQL
            truth = isinstance(other, pa.Scalar) and other.as_py() in (None, 0, 1)
            if truth:
                return (one, other.cast(pa.bool_())) if one is left else (other.cast(pa.bool_()), one)
            cast = one.cast(pa.int64())
        elif pa.types.is_boolean(one.type) and pa.types.is_decimal(other.type):
            cast = roomy(as_type(one.cast(pa.int64()), pa.decimal128(38, 0)))
        elif pa.types.is_boolean(one.type) and pa.types.is_floating(other.type):
            cast = one.cast(pa.int64()).cast(other.type)
        elif pa.types.is_integer(one.type) and pa.types.is_decimal(other.type):
            cast = roomy(as_type(one, pa.decimal128(38, 0)))
        elif pa.types.is_date(one.type) and pa.types.is_timestamp(other.type):
            cast = (
                one.cast(pa.timestamp("us", other.type.tz))
                if other.type.tz is None
                else pc.assume_timezone(one.cast(pa.timestamp("us")), "UTC")
            )
        elif pa.types.is_timestamp(one.type) and one.type.tz is None and pa.types.is_timestamp(other.type) and other.type.tz:
            cast = pc.assume_timezone(one, "UTC")
        if cast is not None:
            return (cast, other) if one is left else (other, cast)
    return (roomy(left), roomy(right)) if pa.types.is_decimal(left.type) or pa.types.is_decimal(right.type) else (left, right)


def as_type(column: Any, arrow: Any) -> Any:
    """A column cast to another type; whole numbers go into decimals with as many digits as they have, not as they might have."""
    if pa.types.is_integer(column.type) and pa.types.is_decimal(arrow):
        column = column.cast(pa.decimal128(min(38, 19 + arrow.scale), arrow.scale))
    return column.cast(arrow)


_ROOMY = 18  # digits: two such numbers can be multiplied, or brought to one scale, within a decimal's 38


def roomy(value: Any) -> Any:
    """A decimal with no more digits than its values need, so that the next operation has room; all else as it is."""
    arrow = value.type
    if not pa.types.is_decimal(arrow) or arrow.precision <= _ROOMY:
        return value
    ends = [value.as_py()] if isinstance(value, pa.Scalar) else list(pc.min_max(value).as_py().values())
    needed = max(len(end.as_tuple().digits) for end in ends if end is not None) if None not in ends else 1
    return value.cast(pa.decimal128(max(needed, arrow.scale, 1), arrow.scale))


def _read(text: pa.Scalar, arrow: Any) -> Any:
    """A text literal as a value of another type."""
    if pa.types.is_timestamp(arrow) and text.as_py() is not None:
        written = text.as_py()
        if len(written) == 10:
            text = text.cast(pa.date32()).cast(pa.timestamp("us"))
        elif arrow.tz is not None and not _ZONE.search(written):
            text = text.cast(pa.timestamp("us"))
        return pc.assume_timezone(text, "UTC") if arrow.tz and pa.types.is_timestamp(text.type) else text.cast(arrow)
    if pa.types.is_boolean(arrow) and text.as_py() is not None:
        return pa.scalar(text.as_py().lower() in ("t", "true", "1", "yes", "on"))
    return text.cast(arrow)


_ZONE = re.compile(r"(Z|[+-]\d\d(:?\d\d)?)$")  # behind a time; what has none is UTC


def common(values: list[Any]) -> list[Any]:
    """Values of one type, for functions that choose among them."""
    for _ in range(2):
        for i in range(len(values) - 1):
            values[i], values[i + 1] = like_types(values[i], values[i + 1])
    types = {value.type for value in values}
    if len(types) > 1:
        values = _widened(values)
    return values


def _widened(values: list[Any]) -> list[Any]:
    types = [value.type for value in values]
    if any(map(pa.types.is_floating, types)):
        return [floating(value) for value in values]
    if all(map(pa.types.is_integer, types)):
        return [value.cast(pa.int64()) for value in values]
    if all(pa.types.is_integer(arrow) or pa.types.is_decimal(arrow) for arrow in types):
        scale = max(arrow.scale for arrow in types if pa.types.is_decimal(arrow))
        return [value.cast(pa.decimal128(38, scale)) for value in values]
    return values


def binary(function: Callable[[Any, Any], Any]) -> Meaning:
    return lambda node, at: function(*like_types(at.value(node.this), at.value(node.expression)))


def one(function: Callable[[Any], Any]) -> Meaning:
    return lambda node, at: function(at.value(node.this))


def arguments(node: Any) -> list[Any]:
    """All arguments of a call in order."""
    first = [node.this] if isinstance(node.this, exp.Expression) else []
    return first + list(node.expressions)
