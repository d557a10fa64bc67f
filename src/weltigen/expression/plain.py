"""The same meanings over plain Python values, for a few rows, where calls over columns take longer than what they work out.

Only what stays exact that way: whole numbers, decimals, truths and texts, and the operators below. Anything else, in the
expression or among its columns, is left to the evaluation of columns, which says what is wrong with an expression too.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from decimal import ROUND_HALF_UP, Context, Decimal
from operator import eq, ge, gt, le, lt, ne
from typing import Any, Literal, NamedTuple

import pyarrow as pa
from sqlglot import exp

FEW = 6  # rows, up to which this is quicker
_DIGITS = 18  # as many as columns hold as whole numbers
_LARGEST = 1 << 62
_EXACT = Context(prec=60, rounding=ROUND_HALF_UP)

Value = int | Decimal | bool | str | None
Row = Mapping[str, Value]


class PlainType(NamedTuple):
    """The type of plain values; decimals have `scale` digits after the point."""

    name: Literal["whole", "decimal", "truth", "text"]
    scale: int = 0


WHOLE, TRUTH, TEXT = PlainType("whole"), PlainType("truth"), PlainType("text")


class NotPlainError(Exception):
    """A number that only columns can work with."""


class Plain(NamedTuple):
    """What gives the value of an expression for one row, and the type of that value; None for what is always null."""

    value: Callable[[Row], Any]
    type: PlainType | None


def plain_type(arrow: Any) -> PlainType | None:
    """The type of a column's values; None where they are not plain."""
    if pa.types.is_signed_integer(arrow):
        return WHOLE
    if pa.types.is_decimal128(arrow) and arrow.scale >= 0:
        return PlainType("decimal", arrow.scale)
    return TRUTH if pa.types.is_boolean(arrow) else TEXT if pa.types.is_string(arrow) else None


def plain(tree: Any, columns: Mapping[str, PlainType]) -> Plain | None:
    """A canonical tree over columns of these types; None where a part of it is not plain."""
    maker = _MAKERS.get(type(tree))
    return maker(tree, columns) if maker is not None else None


def as_column(values: Sequence[Any], of: PlainType) -> Any:
    """An Arrow array of the values of some rows, as the columns' evaluation types it; NotPlainError for too many digits."""
    match of.name:
        case "truth":
            return pa.array(values, pa.bool_())
        case "text":
            return pa.array(values, pa.string())
        case "whole":
            return pa.array(values, pa.int64())
    numbers = [None if value is None else Decimal(value) for value in values]
    if any(number is not None and abs(number.scaleb(of.scale, _EXACT)) >= 10**_DIGITS for number in numbers):
        raise NotPlainError
    return pa.array(numbers, pa.decimal128(_DIGITS, of.scale))


Columns = Mapping[str, PlainType]
Maker = Callable[[Any, Columns], Plain | None]


def _all(nodes: Sequence[Any], columns: Columns) -> list[Plain] | None:
    made = [plain(node, columns) for node in nodes]
    return [one for one in made if one is not None] if None not in made else None


def _common(parts: Sequence[Plain]) -> PlainType | None:
    """The type that all values have, nulls aside; a decimal beside whole numbers. None where they are of two kinds."""
    types = {part.type for part in parts if part.type is not None}
    if len(types) > 1 and {one.name for one in types} <= {"whole", "decimal"}:
        return PlainType("decimal", max(one.scale for one in types))
    return types.pop() if len(types) == 1 else None


def _literal(node: Any, _: Columns) -> Plain | None:
    text = str(node.this)
    if node.is_string:
        return Plain(lambda row: text, TEXT)
    if "." in text or "e" in text.lower():
        exact = Decimal(text)
        return Plain(lambda row: exact, PlainType("decimal", max(0, -int(exact.as_tuple().exponent))))
    whole = int(text)
    return Plain(lambda row: whole, WHOLE) if abs(whole) < _LARGEST else None


def _column(node: Any, columns: Columns) -> Plain | None:
    path = f"{node.table}.{node.name}" if node.table else str(node.name)
    return Plain(lambda row: row[path], columns[path])


def _calculated(whole: Callable[[int, int], int], exact: Callable[[Any, Any], Decimal], scale: Callable[..., int]) -> Maker:
    """`scale`: the digits after the point of a result, by those of both numbers."""

    def make(node: Any, columns: Columns) -> Plain | None:
        parts = _all([node.this, node.expression], columns)
        if parts is None:
            return None
        (left, one), (right, other) = parts
        if one is None or other is None or not {one.name, other.name} <= {"whole", "decimal"}:
            return None

        def wholes(row: Row) -> int | None:
            a, b = left(row), right(row)
            if a is None or b is None:
                return None
            if abs(result := whole(a, b)) >= _LARGEST:
                raise NotPlainError
            return result

        def decimals(row: Row) -> Decimal | None:
            a, b = left(row), right(row)
            return None if a is None or b is None else exact(a, b)

        if one == other == WHOLE:
            return Plain(wholes, WHOLE)
        digits = scale((one.scale, other.scale))
        return Plain(decimals, PlainType("decimal", digits)) if digits <= _DIGITS else None

    return make


def _compared(test: Callable[[Any, Any], bool]) -> Maker:
    def make(node: Any, columns: Columns) -> Plain | None:
        parts = _all([node.this, node.expression], columns)
        if parts is None or None in {part.type for part in parts} or _common(parts) is None:
            return None
        left, right = (part.value for part in parts)

        def call(row: Row) -> bool | None:
            a, b = left(row), right(row)
            return None if a is None or b is None else test(a, b)

        return Plain(call, TRUTH)

    return make


def _truths(nodes: Sequence[Any], columns: Columns) -> list[Callable[[Row], Any]] | None:
    """Values that count as true or false; as in SQLite and MySQL, whole numbers do."""
    parts = _all(nodes, columns)
    return [part.value for part in parts] if parts is not None and {part.type for part in parts} <= {TRUTH, WHOLE} else None


def _logic(decisive: bool) -> Maker:
    """AND is decided by one that is false, OR by one that is true."""

    def make(node: Any, columns: Columns) -> Plain | None:
        if (parts := _truths([node.this, node.expression], columns)) is None:
            return None

        def call(row: Row) -> bool | None:
            truths = [None if (value := part(row)) is None else bool(value) for part in parts]
            return decisive if decisive in truths else None if None in truths else not decisive

        return Plain(call, TRUTH)

    return make


def _not(node: Any, columns: Columns) -> Plain | None:
    if (parts := _truths([node.this], columns)) is None:
        return None
    (part,) = parts
    return Plain(lambda row: None if (value := part(row)) is None else not value, TRUTH)


def _is_null(node: Any, columns: Columns) -> Plain | None:
    part = plain(node.this, columns)
    if part is None or not isinstance(node.expression, exp.Null):
        return None
    value = part.value
    return Plain(lambda row: value(row) is None, TRUTH)


def _in(node: Any, columns: Columns) -> Plain | None:
    parts = _all([exp.EQ(this=node.this.copy(), expression=item.copy()) for item in node.expressions], columns)
    if not parts:
        return None
    equal = [part.value for part in parts]

    def call(row: Row) -> bool | None:
        found = [one(row) for one in equal]
        return True if True in found else None if None in found else False

    return Plain(call, TRUTH)


def _case(node: Any, columns: Columns) -> Plain | None:
    branches, default = node.args["ifs"], node.args.get("default")
    tests = [
        branch.this if node.this is None else exp.EQ(this=node.this.copy(), expression=branch.this.copy()) for branch in branches
    ]
    conditions = _truths(tests, columns)
    values = _all([*(branch.args["true"] for branch in branches), exp.Null() if default is None else default], columns)
    if conditions is None or values is None or (common := _common(values)) is None:
        return None
    *chosen, other = (value.value for value in values)
    cases = list(zip(conditions, chosen, strict=True))

    def call(row: Row) -> Any:
        for condition, value in cases:
            if condition(row):
                return value(row)
        return other(row)

    return Plain(call, common)


def _coalesce(node: Any, columns: Columns) -> Plain | None:
    parts = _all([*([node.this] if isinstance(node.this, exp.Expression) else []), *node.expressions], columns)
    if parts is None or (common := _common(parts)) is None:
        return None
    values = [part.value for part in parts]
    return Plain(lambda row: next((value for one in values if (value := one(row)) is not None), None), common)


def _round(node: Any, columns: Columns) -> Plain | None:
    part, digits = plain(node.this, columns), node.args.get("decimals")
    if not (digits is None or (isinstance(digits, exp.Literal) and str(digits.this).isdigit())):
        return None
    most = int(digits.this) if digits is not None else 0
    if part is None or part.type is None or part.type.name not in ("whole", "decimal"):
        return None
    if part.type.scale <= most:
        return part
    number, unit = part.value, Decimal(1).scaleb(-most)

    def call(row: Row) -> Any:
        value = number(row)
        return None if value is None else Decimal(value).quantize(unit, context=_EXACT)

    return Plain(call, PlainType("decimal", most))


_MAKERS: dict[type, Maker] = {
    exp.Literal: _literal,
    exp.Column: _column,
    exp.Boolean: lambda node, _: Plain(lambda row: bool(node.this), TRUTH),
    exp.Null: lambda node, _: Plain(lambda row: None, None),
    exp.Add: _calculated(lambda a, b: a + b, _EXACT.add, max),
    exp.Sub: _calculated(lambda a, b: a - b, _EXACT.subtract, max),
    exp.Mul: _calculated(lambda a, b: a * b, _EXACT.multiply, sum),
    exp.EQ: _compared(eq),
    exp.NEQ: _compared(ne),
    exp.GT: _compared(gt),
    exp.GTE: _compared(ge),
    exp.LT: _compared(lt),
    exp.LTE: _compared(le),
    exp.And: _logic(decisive=False),
    exp.Or: _logic(decisive=True),
    exp.Not: _not,
    exp.Is: _is_null,
    exp.In: _in,
    exp.Case: _case,
    exp.Coalesce: _coalesce,
    exp.Round: _round,
}
