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

Class = Literal["whole", "decimal", "truth", "text"]
Value = int | Decimal | bool | str | None
Row = Mapping[str, Value]


class NotPlainError(Exception):
    """A number that only columns can work with."""


class Plain(NamedTuple):
    """What gives the value of an expression for one row, and the class of that value; None for what is always null."""

    value: Callable[[Row], Any]
    value_class: Class | None


def class_of(arrow: Any) -> Class | None:
    """The class of a column's values; None where they are not plain."""
    if pa.types.is_signed_integer(arrow):
        return "whole"
    if pa.types.is_decimal128(arrow) and arrow.scale >= 0:
        return "decimal"
    return "truth" if pa.types.is_boolean(arrow) else "text" if pa.types.is_string(arrow) else None


def plain(tree: Any, columns: Mapping[str, Class]) -> Plain | None:
    """A canonical tree over columns of these classes; None where a part of it is not plain."""
    maker = _MAKERS.get(type(tree))
    return maker(tree, columns) if maker is not None else None


def as_column(values: Sequence[Any], value_class: Class) -> Any:
    """An Arrow array of the values of some rows; NotPlainError where a number has too many digits."""
    match value_class:
        case "truth":
            return pa.array(values, pa.bool_())
        case "text":
            return pa.array(values, pa.string())
        case "whole":
            return pa.array(values, pa.int64())
    numbers = [None if value is None else Decimal(value) for value in values]
    scale = max((_scale(number) for number in numbers if number is not None), default=0)
    most = max((abs(number) for number in numbers if number is not None), default=Decimal(0))
    if not 0 <= scale <= _DIGITS or most.scaleb(scale, _EXACT) >= 10**_DIGITS:
        raise NotPlainError
    return pa.array(numbers, pa.decimal128(_DIGITS, scale))


def _scale(number: int | Decimal) -> int:
    """How many digits stand after the point."""
    return -int(number.as_tuple().exponent) if isinstance(number, Decimal) else 0


Columns = Mapping[str, Class]
Maker = Callable[[Any, Columns], Plain | None]


def _all(nodes: Sequence[Any], columns: Columns) -> list[Plain] | None:
    made = [plain(node, columns) for node in nodes]
    return [one for one in made if one is not None] if None not in made else None


def _common(parts: Sequence[Plain]) -> Class | None:
    """The class that all values have, nulls aside; a decimal beside whole numbers. None where they are of two kinds."""
    classes = {part.value_class for part in parts if part.value_class is not None}
    return "decimal" if classes == {"whole", "decimal"} else classes.pop() if len(classes) == 1 else None


def _literal(node: Any, _: Columns) -> Plain | None:
    text = str(node.this)
    if node.is_string:
        return Plain(lambda row: text, "text")
    if "." in text or "e" in text.lower():
        exact = Decimal(text)
        return Plain(lambda row: exact, "decimal")
    whole = int(text)
    return Plain(lambda row: whole, "whole") if abs(whole) < _LARGEST else None


def _column(node: Any, columns: Columns) -> Plain | None:
    path = f"{node.table}.{node.name}" if node.table else str(node.name)
    return Plain(lambda row: row[path], columns[path])


def _calculated(whole: Callable[[int, int], int], exact: Callable[[Any, Any], Decimal]) -> Maker:
    def make(node: Any, columns: Columns) -> Plain | None:
        parts = _all([node.this, node.expression], columns)
        if parts is None or not {part.value_class for part in parts} <= {"whole", "decimal"}:
            return None
        (left, one), (right, other) = parts

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

        return Plain(wholes, "whole") if one == other == "whole" else Plain(decimals, "decimal")

    return make


def _compared(test: Callable[[Any, Any], bool]) -> Maker:
    def make(node: Any, columns: Columns) -> Plain | None:
        parts = _all([node.this, node.expression], columns)
        if parts is None or None in {part.value_class for part in parts} or _common(parts) is None:
            return None
        left, right = (part.value for part in parts)

        def call(row: Row) -> bool | None:
            a, b = left(row), right(row)
            return None if a is None or b is None else test(a, b)

        return Plain(call, "truth")

    return make


def _truths(nodes: Sequence[Any], columns: Columns) -> list[Callable[[Row], Any]] | None:
    """Values that count as true or false; as in SQLite and MySQL, whole numbers do."""
    parts = _all(nodes, columns)
    return (
        [part.value for part in parts]
        if parts is not None and {part.value_class for part in parts} <= {"truth", "whole"}
        else None
    )


def _logic(decisive: bool) -> Maker:
    """AND is decided by one that is false, OR by one that is true."""

    def make(node: Any, columns: Columns) -> Plain | None:
        if (parts := _truths([node.this, node.expression], columns)) is None:
            return None

        def call(row: Row) -> bool | None:
            truths = [None if (value := part(row)) is None else bool(value) for part in parts]
            return decisive if decisive in truths else None if None in truths else not decisive

        return Plain(call, "truth")

    return make


def _not(node: Any, columns: Columns) -> Plain | None:
    if (parts := _truths([node.this], columns)) is None:
        return None
    (part,) = parts
    return Plain(lambda row: None if (value := part(row)) is None else not value, "truth")


def _is_null(node: Any, columns: Columns) -> Plain | None:
    part = plain(node.this, columns)
    if part is None or not isinstance(node.expression, exp.Null):
        return None
    value = part.value
    return Plain(lambda row: value(row) is None, "truth")


def _in(node: Any, columns: Columns) -> Plain | None:
    parts = _all([exp.EQ(this=node.this.copy(), expression=item.copy()) for item in node.expressions], columns)
    if not parts:
        return None
    equal = [part.value for part in parts]

    def call(row: Row) -> bool | None:
        found = [one(row) for one in equal]
        return True if True in found else None if None in found else False

    return Plain(call, "truth")


def _case(node: Any, columns: Columns) -> Plain | None:
    branches, default = node.args["ifs"], node.args.get("default")
    tests = [
        branch.this if node.this is None else exp.EQ(this=node.this.copy(), expression=branch.this.copy()) for branch in branches
    ]
    conditions = _truths(tests, columns)
    values = _all([*(branch.args["true"] for branch in branches), exp.Null() if default is None else default], columns)
    if conditions is None or values is None or (value_class := _common(values)) is None:
        return None
    *chosen, other = (value.value for value in values)
    cases = list(zip(conditions, chosen, strict=True))

    def call(row: Row) -> Any:
        for condition, value in cases:
            if condition(row):
                return value(row)
        return other(row)

    return Plain(call, value_class)


def _coalesce(node: Any, columns: Columns) -> Plain | None:
    parts = _all([*([node.this] if isinstance(node.this, exp.Expression) else []), *node.expressions], columns)
    if parts is None or (value_class := _common(parts)) is None:
        return None
    values = [part.value for part in parts]
    return Plain(lambda row: next((value for one in values if (value := one(row)) is not None), None), value_class)


def _round(node: Any, columns: Columns) -> Plain | None:
    part, digits = plain(node.this, columns), node.args.get("decimals")
    if part is None or part.value_class not in ("whole", "decimal"):
        return None
    if part.value_class == "whole" and digits is None:
        return part
    if not (digits is None or (isinstance(digits, exp.Literal) and str(digits.this).isdigit())):
        return None
    number, most = part.value, int(digits.this) if digits is not None else 0
    unit = Decimal(1).scaleb(-most)

    def call(row: Row) -> Any:
        value = number(row)
        return value if value is None or _scale(value) <= most else value.quantize(unit, context=_EXACT)

    return Plain(call, part.value_class)


_MAKERS: dict[type, Maker] = {
    exp.Literal: _literal,
    exp.Column: _column,
    exp.Boolean: lambda node, _: Plain(lambda row: bool(node.this), "truth"),
    exp.Null: lambda node, _: Plain(lambda row: None, None),
    exp.Add: _calculated(lambda a, b: a + b, _EXACT.add),
    exp.Sub: _calculated(lambda a, b: a - b, _EXACT.subtract),
    exp.Mul: _calculated(lambda a, b: a * b, _EXACT.multiply),
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
