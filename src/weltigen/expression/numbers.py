"""Arithmetic and numeric functions; decimals stay exact where SQL keeps them so."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp

from .fixed import DIGITS, Fixed, combined, divided, fixed, floating, rounded, rounded_wide
from .meaning import Evaluation, Meaning, NotEvaluableError, arrow_of, like_types, one, roomy
from .moments import is_moment, moved, shifted


def _wide(value: Any) -> Any:
    """Small integers are widened first: SQL computes where Arrow would wrap around."""
    return value.cast(pa.int64()) if pa.types.is_integer(value.type) or pa.types.is_boolean(value.type) else value


def _arithmetic(function: Callable[[Any, Any], Any]) -> Meaning:
    return lambda node, at: _of_two(function, node, at.number(node.this), at.number(node.expression))


def _of_two(function: Callable[[Any, Any], Any], node: Any, left: Any, right: Any) -> Any:
    if (quick := _quick(function, left, right)) is not None:
        return quick
    left, right = arrow_of(left), arrow_of(right)
    if pa.types.is_duration(left.type) != pa.types.is_duration(right.type):
        return _spans(node, left, right)
    left, right = like_types(_wide(left), _wide(right))
    if (quick := _quick(function, left, right)) is not None:
        return quick
    if pa.types.is_decimal(left.type) != pa.types.is_decimal(right.type):
        left, right = _beside_decimal(left, right), _beside_decimal(right, left)
    return function(roomy(left), roomy(right))


def _quick(function: Any, left: Any, right: Any) -> Fixed | None:
    """Decimals of no more than 18 digits, as whole numbers; None for anything else."""
    if function not in _QUICK or not any(isinstance(one, Fixed) or pa.types.is_decimal(one.type) for one in (left, right)):
        return None
    one, other = fixed(left), fixed(right)
    return combined(_QUICK[function], one, other) if one is not None and other is not None else None


def _spans(node: Any, left: Any, right: Any) -> Any:
    """So many times a span."""
    span, number = (left, right) if pa.types.is_duration(left.type) else (right, left)
    if not isinstance(node, exp.Mul) or pa.types.is_temporal(number.type) or pa.types.is_string(number.type):
        raise NotEvaluableError("a span of time is multiplied by a number, or added to a moment")
    if pa.types.is_integer(number.type) or pa.types.is_null(number.type):
        return pc.multiply(number.cast(pa.int64()), span)
    micro = pc.multiply(floating(number), span.cast(pa.int64()).cast(pa.float64()))
    return pc.round(micro).cast(pa.int64()).cast(span.type)


def _beside_decimal(value: Any, other: Any) -> Any:
    """An integer beside a decimal is one with no more digits than it needs, so that the result has room."""
    if pa.types.is_decimal(other.type) and pa.types.is_integer(value.type):
        return value.cast(pa.decimal128(19, 0))
    if pa.types.is_floating(other.type) and pa.types.is_decimal(value.type):
        return floating(value)
    return value


def _add(sign: int) -> Meaning:
    function = pc.add if sign > 0 else pc.subtract

    def call(node: Any, at: Evaluation) -> Any:
        if isinstance(node.expression, exp.Interval):
            return shifted(at.value(node.this), node.expression, sign, at)
        if isinstance(node.this, exp.Interval):
            return shifted(at.value(node.expression), node.this, sign, at)
        left, right = at.number(node.this), at.number(node.expression)
        if any(not isinstance(one, Fixed) and is_moment(one) for one in (left, right)):
            return moved(arrow_of(left), arrow_of(right), sign)
        return _of_two(function, node, left, right)

    return call


def _no_zero(value: Any) -> Any:
    """Nothing is divided by zero: null, as SQLite and MySQL say; PostgreSQL would refuse the row."""
    return pc.if_else(pc.equal(value, pa.scalar(0, value.type)), pa.scalar(None, value.type), value)


def _divide(node: Any, at: Evaluation) -> Any:
    left, right = at.number(node.this), at.number(node.expression)
    if any(isinstance(one, Fixed) or pa.types.is_decimal(one.type) for one in (left, right)):
        one, other = fixed(left), fixed(right)
        if one is not None and other is not None and (exact := divided(one.tight(), other)) is not None:
            return exact
    left, right = _wide(arrow_of(left)), _wide(arrow_of(right))
    whole = pa.types.is_integer(left.type) and pa.types.is_integer(right.type)
    if not (whole and (node.args.get("typed") or isinstance(node, exp.IntDiv) or at.dialect is None)):
        left, right = floating(left), floating(right)
    return pc.divide(left, _no_zero(right))


def _modulo(left: Any, right: Any) -> Any:
    """The remainder has the sign of what is divided."""
    right = _no_zero(right)
    if pa.types.is_decimal(left.type) or pa.types.is_decimal(right.type):
        left, right = floating(left), floating(right)
    quotient = pc.divide(left, right)
    if pa.types.is_floating(quotient.type):
        quotient = pc.trunc(quotient)
    return pc.subtract(left, pc.multiply(quotient, right))


_QUICK = {pc.add: "add", pc.subtract: "subtract", pc.multiply: "multiply", _modulo: "remainder"}


def _round(node: Any, at: Evaluation) -> Any:
    value = at.number(node.this)
    digits = int(at.argument(node, "decimals", 0))
    if digits >= 0 and (exact := _exact(value)) is not None:
        return rounded(exact, digits)
    value = arrow_of(value)
    if digits >= 0 and pa.types.is_decimal(value.type) and not isinstance(value, pa.Scalar):
        return rounded_wide(value, digits) if digits < value.type.scale else value
    value = _roomier(value)
    mode = "half_to_even" if pa.types.is_floating(value.type) and at.dialect == "postgres" else "half_towards_infinity"
    return value if pa.types.is_integer(value.type) and digits >= 0 else pc.round(value, digits, mode)


def _exact(value: Any) -> Fixed | None:
    """Decimals that differ from row to row; None for anything else."""
    if isinstance(value, Fixed):
        return value
    return fixed(value) if pa.types.is_decimal(value.type) and not isinstance(value, pa.Scalar) else None


def _roomier(value: Any) -> Any:
    """A decimal with room for one more digit before the point, since 0.95 rounds up to 1."""
    arrow = value.type
    if not pa.types.is_decimal128(arrow) or arrow.precision - arrow.scale > DIGITS or arrow.precision >= 38:
        return value
    return value.cast(pa.decimal128(arrow.precision + 1, arrow.scale))


def _trunc(node: Any, at: Evaluation) -> Any:
    value = at.value(node.this)
    return (
        pc.round(value, int(at.argument(node, "decimals", 0)), "towards_zero") if not pa.types.is_integer(value.type) else value
    )


def _real(function: Callable[[Any], Any]) -> Meaning:
    return one(lambda value: function(floating(value)))


def _power(left: Any, right: Any) -> Any:
    return pc.power(floating(left), floating(right))


def _whole(function: Callable[[Any], Any]) -> Meaning:
    return one(lambda value: value if pa.types.is_integer(value.type) else function(_roomier(value)))


MEANINGS: dict[type, Meaning] = {
    exp.Add: _add(1),
    exp.Sub: _add(-1),
    exp.Mul: _arithmetic(pc.multiply),
    exp.Div: _divide,
    exp.IntDiv: _divide,
    exp.Mod: _arithmetic(_modulo),
    exp.Neg: one(pc.negate),
    exp.Abs: one(pc.abs),
    exp.Sign: one(lambda value: pc.cast(pc.sign(value), pa.int64())),
    exp.Round: _round,
    exp.Trunc: _trunc,
    exp.Floor: _whole(pc.floor),
    exp.Ceil: _whole(pc.ceil),
    exp.Pow: lambda node, at: _power(at.value(node.this), at.value(node.expression)),
    exp.Sqrt: _real(pc.sqrt),
    exp.Exp: _real(pc.exp),
    exp.Ln: _real(pc.ln),
    exp.BitwiseAnd: _arithmetic(pc.bit_wise_and),
    exp.BitwiseOr: _arithmetic(pc.bit_wise_or),
    exp.BitwiseXor: _arithmetic(pc.bit_wise_xor),
}
