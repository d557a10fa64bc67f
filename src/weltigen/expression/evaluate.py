"""One parsed expression and its evaluation: each node of the tree becomes one call over whole columns."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache, reduce
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp, parse_one
from sqlglot.errors import SqlglotError

Columns = Callable[[str], Any]


class NotEvaluableError(ValueError):
    """An expression, or a part of one, that has no meaning here; its text says which."""


@dataclass(frozen=True, slots=True, eq=False)
class Expression:
    """A parsed expression; `paths` are the cells it reads: `status`, `sailing.departs_at`."""

    text: str
    tree: Any
    paths: tuple[str, ...]

    def evaluate(self, columns: Columns, rows: int) -> Any:
        """An Arrow array of `rows` values; `columns` gives the column of a path. NotEvaluableError, also for wrong types."""
        try:
            value = _value(self.tree, columns)
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError, TypeError) as error:
            raise NotEvaluableError(f"{self.text}: {str(error).splitlines()[0]}") from None
        if isinstance(value, pa.Scalar):
            return pa.repeat(value, rows)
        return value.combine_chunks() if isinstance(value, pa.ChunkedArray) else value


@lru_cache(maxsize=2048)
def parse(text: str, dialect: str | None = None) -> Expression:
    """Parse `text`; NotEvaluableError where it is no expression or uses what has no meaning here."""
    try:
        tree = parse_one(text, dialect=dialect)
    except SqlglotError as error:
        raise NotEvaluableError(f"'{text}' is no SQL expression ({str(error).splitlines()[0]})") from None
    for node in tree.walk():
        if type(node) not in _KNOWN:
            name = node.name if isinstance(node, exp.Anonymous | exp.Func) and node.name else node.key
            raise NotEvaluableError(f"'{name}' in '{text}' has no meaning here")
    return Expression(text, tree, tuple(dict.fromkeys(path_of(column) for column in tree.find_all(exp.Column))))


def path_of(column: Any) -> str:
    """`status`, or `sailing.departs_at`."""
    return f"{column.table}.{column.name}" if column.table else str(column.name)


def _value(node: Any, columns: Columns) -> Any:
    value = _KNOWN[type(node)](node, columns)
    return pc.invert(value) if node.args.get("negate") else value  # how newer sqlglot reads IS NOT NULL


def _literal(node: Any, _: Columns) -> Any:
    if node.is_string:
        return pa.scalar(node.this)
    return pa.scalar(Decimal(node.this) if "." in node.this or "e" in node.this.lower() else int(node.this))


def _like_types(left: Any, right: Any) -> tuple[Any, Any]:
    """A text literal beside a date, a time or a number takes the other's type, as in SQL."""
    for one, other in ((left, right), (right, left)):
        if isinstance(one, pa.Scalar) and pa.types.is_string(one.type) and not pa.types.is_string(other.type):
            cast = one.cast(other.type)
            return (cast, other) if one is left else (other, cast)
        if isinstance(one, pa.Scalar) and pa.types.is_integer(one.type) and pa.types.is_boolean(other.type):
            cast = one.cast(pa.bool_())
            return (cast, other) if one is left else (other, cast)
    return left, right


def _binary(function: Callable[[Any, Any], Any]) -> Callable[[Any, Columns], Any]:
    def call(node: Any, columns: Columns) -> Any:
        return function(*_like_types(_value(node.this, columns), _value(node.expression, columns)))

    return call


def _arithmetic(function: Callable[[Any, Any], Any]) -> Callable[[Any, Columns], Any]:
    """Small integers are widened first: SQL computes where Arrow would wrap around."""

    def wide(value: Any) -> Any:
        return value.cast(pa.int64()) if pa.types.is_integer(value.type) else value

    return _binary(lambda left, right: function(wide(left), wide(right)))


def _divide(left: Any, right: Any) -> Any:
    """Whole numbers divide towards zero, as in SQL; nothing is divided by zero."""
    right = pc.if_else(pc.equal(right, 0), pa.scalar(None, right.type), right)
    if not (pa.types.is_integer(left.type) and pa.types.is_integer(right.type)):
        left, right = left.cast(pa.float64()), right.cast(pa.float64())
    return pc.divide(left, right)


def _is(node: Any, columns: Columns) -> Any:
    value = _value(node.this, columns)
    if isinstance(node.expression, exp.Null):
        return pc.is_null(value)
    return pc.fill_null(value if node.expression.this else pc.invert(value), False)


def _in(node: Any, columns: Columns) -> Any:
    if not node.expressions:
        raise NotEvaluableError("IN takes a list of values here")
    value = _value(node.this, columns)
    return reduce(pc.or_kleene, (pc.equal(*_like_types(value, _value(item, columns))) for item in node.expressions))


def _between(node: Any, columns: Columns) -> Any:
    value = _value(node.this, columns)
    low = pc.greater_equal(*_like_types(value, _value(node.args["low"], columns)))
    return pc.and_kleene(low, pc.less_equal(*_like_types(value, _value(node.args["high"], columns))))


def _like(ignore_case: bool) -> Callable[[Any, Columns], Any]:
    return lambda node, columns: pc.match_like(
        _value(node.this, columns), _value(node.expression, columns).as_py(), ignore_case=ignore_case
    )


def _matches(node: Any, columns: Columns) -> Any:
    return pc.match_substring_regex(_value(node.this, columns), _value(node.expression, columns).as_py())


def _case(node: Any, columns: Columns) -> Any:
    default = node.args.get("default")
    result = _value(default, columns) if default is not None else pa.scalar(None)
    subject = node.this
    for branch in reversed(node.args["ifs"]):
        condition = _value(branch.this, columns)
        if subject is not None:
            condition = pc.equal(*_like_types(_value(subject, columns), condition))
        result = pc.if_else(pc.fill_null(condition, False), _value(branch.args["true"], columns), result)
    return result


def _coalesce(node: Any, columns: Columns) -> Any:
    return pc.coalesce(*(_value(part, columns) for part in (node.this, *node.expressions)))


def _null_safe(equal: bool) -> Callable[[Any, Columns], Any]:
    def call(node: Any, columns: Columns) -> Any:
        left, right = _like_types(_value(node.this, columns), _value(node.expression, columns))
        both_null = pc.and_(pc.is_null(left), pc.is_null(right))
        same = pc.or_(both_null, pc.fill_null(pc.equal(left, right), False))
        return same if equal else pc.invert(same)

    return call


def _one(function: Callable[[Any], Any]) -> Callable[[Any, Columns], Any]:
    return lambda node, columns: function(_value(node.this, columns))


def _text(value: Any) -> Any:
    if pa.types.is_timestamp(value.type):
        value = value.cast(pa.timestamp("s"))
    return value if pa.types.is_string(value.type) else value.cast(pa.string())


def _absent(node: Any, columns: Columns) -> Any:
    raise NotEvaluableError(f"'{node.key}' has no value of its own")


_KNOWN: dict[type, Callable[[Any, Columns], Any]] = {
    exp.Literal: _literal,
    exp.Boolean: lambda node, _: pa.scalar(bool(node.this)),
    exp.Null: lambda node, _: pa.scalar(None),
    exp.Column: lambda node, columns: columns(path_of(node)),
    exp.Identifier: _absent,
    exp.Paren: _one(lambda value: value),
    exp.And: _binary(pc.and_kleene),
    exp.Or: _binary(pc.or_kleene),
    exp.Not: _one(pc.invert),
    exp.EQ: _binary(pc.equal),
    exp.NEQ: _binary(pc.not_equal),
    exp.GT: _binary(pc.greater),
    exp.GTE: _binary(pc.greater_equal),
    exp.LT: _binary(pc.less),
    exp.LTE: _binary(pc.less_equal),
    exp.NullSafeEQ: _null_safe(equal=True),
    exp.NullSafeNEQ: _null_safe(equal=False),
    exp.Add: _arithmetic(pc.add),
    exp.Sub: _arithmetic(pc.subtract),
    exp.Mul: _arithmetic(pc.multiply),
    exp.Div: _arithmetic(_divide),
    exp.Mod: _arithmetic(lambda left, right: pc.subtract(left, pc.multiply(_divide(left, right), right))),
    exp.Neg: _one(pc.negate),
    exp.Is: _is,
    exp.In: _in,
    exp.Between: _between,
    exp.Like: _like(ignore_case=False),
    exp.ILike: _like(ignore_case=True),
    exp.RegexpLike: _matches,
    exp.Case: _case,
    exp.If: _absent,
    exp.Coalesce: _coalesce,
    exp.Length: _one(lambda value: pc.cast(pc.utf8_length(value), pa.int64())),
    exp.Lower: _one(pc.utf8_lower),
    exp.Upper: _one(pc.utf8_upper),
    exp.Trim: _one(lambda value: pc.utf8_trim(value, " ")),
    exp.Abs: _one(pc.abs),
    exp.DPipe: lambda node, columns: pc.binary_join_element_wise(
        _text(_value(node.this, columns)), _text(_value(node.expression, columns)), ""
    ),
    exp.Tuple: _absent,
}
