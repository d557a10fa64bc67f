"""Logic with three values, comparison, and choice among values."""

from __future__ import annotations

from decimal import Decimal
from functools import lru_cache, reduce
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp

from .fixed import chosen, first_given, on_one_scale
from .meaning import Evaluation, Meaning, NotEvaluableError, arguments, arrow_of, binary, common, like_types, one


def _literal(node: Any, _: Evaluation) -> Any:
    return _scalar(node.this, bool(node.is_string))


_WIDE = 19  # digits from which on a whole number may not fit 64 bits


@lru_cache(maxsize=4096)
def _scalar(text: str, is_text: bool) -> Any:
    """A literal's value, made once: for a single row that takes longer than what is worked out with it."""
    if is_text:
        return pa.scalar(text)
    whole = text.lstrip("-").isdigit() and len(text) < _WIDE
    return pa.scalar(int(text) if whole else Decimal(text))


def _column(node: Any, at: Evaluation) -> Any:
    return at.columns(f"{node.table}.{node.name}" if node.table else str(node.name))


def _truth(value: Any) -> Any:
    """SQLite and MySQL take any number for a truth value."""
    return pc.not_equal(value, 0) if pa.types.is_integer(value.type) else value


def _logic(function: Any) -> Meaning:
    def call(node: Any, at: Evaluation) -> Any:
        left, right = at.value(node.this), at.value(node.expression)
        if pa.types.is_null(left.type):
            left = left.cast(pa.bool_())
        if pa.types.is_null(right.type):
            right = right.cast(pa.bool_())
        return function(_truth(left), _truth(right))

    return call


def _is(node: Any, at: Evaluation) -> Any:
    value = at.value(node.this)
    if isinstance(node.expression, exp.Null):
        return pc.is_null(value)
    if not isinstance(node.expression, exp.Boolean):
        return _null_safe(equal=True)(node, at)
    value = _truth(value)
    return pc.fill_null(value if node.expression.this else pc.invert(value), False)


def _in(node: Any, at: Evaluation) -> Any:
    if not node.expressions:
        raise NotEvaluableError("IN takes a list of values here")
    if isinstance(node.this, exp.Tuple):
        return reduce(pc.or_kleene, (_tuples(node.this, item, at) for item in node.expressions))
    value = at.value(node.this)
    items = [at.value(item) for item in node.expressions]
    if len(items) > 8 and all(isinstance(item, pa.Scalar) and item.is_valid for item in items):
        items = [like_types(value, item)[1] for item in items]
        if len({item.type for item in items}) == 1 and items[0].type == value.type:
            found = pc.is_in(value, value_set=pa.array([item.as_py() for item in items], items[0].type))
            return pc.if_else(pc.is_valid(value), found, pa.scalar(None, pa.bool_()))
    return reduce(pc.or_kleene, (pc.equal(*like_types(value, item)) for item in items))


def _tuples(left: Any, right: Any, at: Evaluation) -> Any:
    pairs = zip(left.expressions, right.expressions, strict=True)
    return reduce(pc.and_kleene, (pc.equal(*like_types(at.value(a), at.value(b))) for a, b in pairs))


def _equal(node: Any, at: Evaluation) -> Any:
    if isinstance(node.this, exp.Tuple) and isinstance(node.expression, exp.Tuple):
        return _tuples(node.this, node.expression, at)
    return pc.equal(*like_types(at.value(node.this), at.value(node.expression)))


def _null_safe(equal: bool) -> Meaning:
    def call(node: Any, at: Evaluation) -> Any:
        left, right = like_types(at.value(node.this), at.value(node.expression))
        both_null = pc.and_(pc.is_null(left), pc.is_null(right))
        same = pc.or_(both_null, pc.fill_null(pc.equal(left, right), False))
        return same if equal else pc.invert(same)

    return call


def _case(node: Any, at: Evaluation) -> Any:
    default = node.args.get("default")
    subject = at.value(node.this) if node.this is not None else None
    conditions = [at.value(branch.this) for branch in node.args["ifs"]]
    if subject is not None:
        conditions = [pc.equal(*like_types(subject, condition)) for condition in conditions]
    values = [at.number(branch.args["true"]) for branch in node.args["ifs"]]
    return _chosen(conditions, [*values, at.number(default) if default is not None else pa.scalar(None)], at)


def _if(node: Any, at: Evaluation) -> Any:
    other = node.args.get("false")
    values = [at.number(node.args["true"]), at.number(other) if other is not None else pa.scalar(None)]
    return _chosen([at.value(node.this)], values, at)


def _chosen(conditions: list[Any], values: list[Any], at: Evaluation) -> Any:
    """For each row the value of the first condition that is true, else the last one."""
    truths = [pc.fill_null(_truth(condition), False) for condition in conditions]
    numbers = on_one_scale(values)
    if numbers is not None and not any(isinstance(truth, pa.Scalar) for truth in truths):
        return chosen([np.asarray(truth) for truth in truths], numbers, at.rows)
    *values, result = common([arrow_of(value) for value in values])
    for truth, value in zip(reversed(truths), reversed(values), strict=True):
        result = pc.if_else(truth, value, result)
    return result


def _coalesce(node: Any, at: Evaluation) -> Any:
    values = [at.number(part) for part in arguments(node)]
    numbers = on_one_scale(values)
    if numbers is not None:
        return first_given(numbers, at.rows)
    return pc.coalesce(*common([arrow_of(value) for value in values]))


def _nullif(node: Any, at: Evaluation) -> Any:
    value = at.value(node.this)
    same = pc.fill_null(pc.equal(*like_types(value, at.value(node.expression))), False)
    return pc.if_else(same, pa.scalar(None, value.type), value)


def _extreme(function: Any) -> Meaning:
    """PostgreSQL and DuckDB pass nulls over, SQLite and MySQL do not."""

    def call(node: Any, at: Evaluation) -> Any:
        values = common([at.value(part) for part in arguments(node)])
        if pa.types.is_string(values[0].type):
            smaller = pc.less if function is pc.min_element_wise else pc.greater
            chosen = reduce(lambda a, b: pc.if_else(pc.fill_null(smaller(b, a), pc.is_null(a)), b, a), values)
            if node.args.get("ignore_nulls"):
                return chosen
            absent = reduce(pc.or_, (pc.is_null(value) for value in values))
            return pc.if_else(absent, pa.scalar(None, chosen.type), chosen)
        return function(*values, skip_nulls=bool(node.args.get("ignore_nulls")))

    return call


def _counted(null: bool) -> Meaning:
    """PostgreSQL's num_nonnulls and num_nulls."""

    def call(node: Any, at: Evaluation) -> Any:
        test = pc.is_null if null else pc.is_valid
        return reduce(pc.add, (pc.cast(test(at.value(part)), pa.int64()) for part in node.expressions))

    return call


MEANINGS: dict[type, Meaning] = {
    exp.Literal: _literal,
    exp.Boolean: lambda node, _: pa.scalar(bool(node.this)),
    exp.Null: lambda node, _: pa.scalar(None),
    exp.Column: _column,
    exp.And: _logic(pc.and_kleene),
    exp.Or: _logic(pc.or_kleene),
    exp.Xor: _logic(pc.xor),
    exp.Not: one(lambda value: pc.invert(_truth(value if not pa.types.is_null(value.type) else value.cast(pa.bool_())))),
    exp.EQ: _equal,
    exp.NEQ: binary(pc.not_equal),
    exp.GT: binary(pc.greater),
    exp.GTE: binary(pc.greater_equal),
    exp.LT: binary(pc.less),
    exp.LTE: binary(pc.less_equal),
    exp.NullSafeEQ: _null_safe(equal=True),
    exp.NullSafeNEQ: _null_safe(equal=False),
    exp.Is: _is,
    exp.In: _in,
    exp.Case: _case,
    exp.If: _if,
    exp.Coalesce: _coalesce,
    exp.Nullif: _nullif,
    exp.Greatest: _extreme(pc.max_element_wise),
    exp.Least: _extreme(pc.min_element_wise),
}
BY_NAME: dict[str, Meaning] = {"NUM_NONNULLS": _counted(null=False), "NUM_NULLS": _counted(null=True)}
