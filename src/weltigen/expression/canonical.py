"""One form for what SQL can write in many: the databases' own spellings of a condition come out alike.

PostgreSQL gives `status IN ('a', 'b')` back as `((status)::text = ANY ((ARRAY['a'::character varying, …])::text[]))`. Here both
are the same tree: no parentheses, comparisons with the column on the left, BETWEEN as two of them, literals without casts,
negations as far inside as three-valued logic allows.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from sqlglot import exp, parse_one

_T = exp.DataType.Type
_TEXTS = frozenset({_T.TEXT, _T.VARCHAR, _T.CHAR, _T.NCHAR, _T.NVARCHAR, _T.BPCHAR, _T.NAME})
_NUMBERS = frozenset({_T.DECIMAL, _T.INT, _T.BIGINT, _T.SMALLINT, _T.DOUBLE, _T.FLOAT, _T.TINYINT, _T.MONEY})
_MOMENTS = frozenset({_T.DATE, _T.TIME, _T.TIMESTAMP, _T.TIMESTAMPTZ, _T.TIMESTAMPNTZ, _T.DATETIME, _T.INTERVAL, _T.TIMETZ})
_MIRRORED = {exp.GT: exp.LT, exp.LT: exp.GT, exp.GTE: exp.LTE, exp.LTE: exp.GTE, exp.EQ: exp.EQ, exp.NEQ: exp.NEQ}
_OPPOSITE = {exp.GT: exp.LTE, exp.LT: exp.GTE, exp.GTE: exp.LT, exp.LTE: exp.GT, exp.EQ: exp.NEQ, exp.NEQ: exp.EQ}
_CASE_BLIND_LIKE = frozenset({"sqlite", "mysql"})


def canonical(tree: Any, dialect: str | None) -> Any:
    """The tree in its one form; it is made out of the given one, which is not to be used any more."""
    root = exp.Paren(this=tree)
    for node in reversed(list(root.walk())):
        if node is root:
            break
        rewritten = _rewrite(node, dialect)
        if rewritten is not node:
            node.replace(rewritten)
    return root.this


def _rewrite(node: Any, dialect: str | None) -> Any:
    if node.args.get("negate"):
        node = node.copy()
        node.set("negate", None)
        return _negated(node)
    rule = _RULES.get(type(node))
    if rule is not None:
        return rule(node)
    if dialect in _CASE_BLIND_LIKE and isinstance(node, exp.Like):
        return exp.ILike(this=node.this, expression=node.expression)
    return node


def _negated(node: Any) -> Any:
    """NOT of a tree that is in its form already; null stays null either way."""
    if isinstance(node, exp.Not):
        return node.this
    if isinstance(node, exp.And | exp.Or):
        other = exp.Or if isinstance(node, exp.And) else exp.And
        return other(this=_negated(node.this), expression=_negated(node.expression))
    if (opposite := _OPPOSITE.get(type(node))) is not None:
        return opposite(this=node.this, expression=node.expression)
    if isinstance(node, exp.NullSafeEQ):
        return exp.NullSafeNEQ(this=node.this, expression=node.expression)
    if isinstance(node, exp.NullSafeNEQ):
        return exp.NullSafeEQ(this=node.this, expression=node.expression)
    return exp.Not(this=node)


def _compared(node: Any) -> Any:
    left, right = node.this, node.expression
    members = _members(right)
    if members is not None:
        if isinstance(node, exp.EQ) and isinstance(right, exp.Any):
            return exp.In(this=left, expressions=members)
        if isinstance(node, exp.NEQ) and not isinstance(right, exp.Any):
            return exp.Not(this=exp.In(this=left, expressions=members))
    if _is_constant(left) and not _is_constant(right):
        return _MIRRORED[type(node)](this=right, expression=left)
    return node


def _members(node: Any) -> list[Any] | None:
    """The values of ANY (ARRAY[…]) and of ALL (ARRAY[…])."""
    inner = None
    if isinstance(node, exp.Any):
        inner = node.this
    elif isinstance(node, exp.Anonymous) and node.name.upper() == "ALL" and len(node.expressions) == 1:
        inner = node.expressions[0]
    return list(inner.expressions) if isinstance(inner, exp.Array | exp.Tuple) else None


def _is_constant(node: Any) -> bool:
    return isinstance(node, exp.Literal | exp.Boolean | exp.Null)


def _cast(node: Any) -> Any:
    inner, to = node.this, node.to
    if isinstance(inner, exp.Literal):
        if to.this is _T.ARRAY and inner.is_string and re.fullmatch(r"\{[^{}\"\\]*\}", inner.this):
            return exp.Array(expressions=[exp.Literal.string(part) for part in inner.this[1:-1].split(",") if part])
        if to.this in _NUMBERS and re.fullmatch(r"-?\d+(\.\d+)?", inner.this):
            return exp.Literal.number(inner.this) if not inner.this.startswith("-") else _number(inner.this)
        # a type that the source made is an enumeration: its values are texts here
        if to.this in _TEXTS or (to.this in _MOMENTS | {_T.USERDEFINED, _T.UUID, _T.INET, _T.JSONB, _T.JSON} and inner.is_string):
            return exp.Literal.string(inner.this) if not inner.is_string else inner
        if to.this is _T.BOOLEAN and inner.this.lower() in ("t", "f", "true", "false", "1", "0"):
            return exp.Boolean(this=inner.this.lower() in ("t", "true", "1"))
    if isinstance(inner, exp.Array) and to.this is _T.ARRAY:
        return inner
    if isinstance(inner, exp.Cast) and inner.to == to:
        return inner
    return node


def _number(text: str) -> Any:
    return exp.Literal(this=text, is_string=False)


def _minus(node: Any) -> Any:
    inner = node.this
    if isinstance(inner, exp.Literal) and not inner.is_string:
        return _number(inner.this[1:] if inner.this.startswith("-") else f"-{inner.this}")
    return node


def _between(node: Any) -> Any:
    low = exp.GTE(this=node.this.copy(), expression=node.args["low"])
    high = exp.LTE(this=node.this.copy(), expression=node.args["high"])
    return exp.And(this=_compared(low), expression=_compared(high))


def _one_member(node: Any) -> Any:
    if len(node.expressions) == 1 and not node.args.get("query"):
        return exp.EQ(this=node.this, expression=node.expressions[0])
    return node


def octets_of(node: Any) -> Any:
    """The text whose length in bytes this is; None for anything else."""
    return node.expressions[0] if isinstance(node, exp.Anonymous) and node.name.upper() == "OCTET_LENGTH" else None


def _length(node: Any) -> Any:
    """MySQL's length() counts bytes; it gives it back as octet_length()."""
    return exp.Anonymous(this="OCTET_LENGTH", expressions=[node.this]) if node.args.get("binary") else node


_RULES: dict[type, Callable[[Any], Any]] = {
    exp.Paren: lambda node: node.this,
    exp.Cast: _cast,
    exp.TryCast: _cast,
    exp.Neg: _minus,
    exp.Not: lambda node: _negated(node.this),
    exp.Between: _between,
    exp.In: _one_member,
    exp.Length: _length,
    **dict.fromkeys(_MIRRORED, _compared),
}


# databases without octet_length() of a text, or with one only in their latest versions
_BYTES_OF = {"sqlite": "length(CAST({} AS BLOB))", "duckdb": "strlen({})"}


def _moved_in_sqlite(node: Any) -> Any:
    """A moment moved by an interval, or by a multiple of one, as SQLite's functions on texts do it; None for anything else."""
    amount, times = node.expression, None
    if isinstance(amount, exp.Paren):
        amount = amount.this
    if isinstance(amount, exp.Mul):
        sides = (amount.this, amount.expression)
        amount = next((side for side in sides if isinstance(side, exp.Interval)), None)
        times = next((side for side in sides if side is not amount), None)
    if not isinstance(amount, exp.Interval) or not isinstance(amount.this, exp.Literal):
        return None
    unit = amount.args.get("unit")
    found = re.fullmatch(r"\s*(-?\d+(?:\.\d+)?)\s*([A-Za-z]*)\s*", f"{amount.this.this} {unit.name if unit else ''}")
    if found is None or not found[2]:
        return None
    word = found[2].lower().rstrip("s")
    number, word = (f"{found[1]} * 7", "day") if word == "week" else (found[1], word)
    sign = "-" if isinstance(node, exp.Sub) else ""
    what = node.this.sql(dialect="sqlite")
    by = f"({sign}({times.sql(dialect='sqlite') if times is not None else 1}) * {number}) || ' {word}s'"
    exact = f"rtrim(rtrim(strftime('%Y-%m-%d %H:%M:%f', {what}, {by}), '0'), '.')"
    if word in ("day", "month", "year"):
        exact = f"CASE WHEN length({what}) = 10 THEN date({what}, {by}) ELSE {exact} END"
    return parse_one(f"({exact})", dialect="sqlite")


_NO_NONNULLS = ("sqlite", "duckdb", "mysql")


PARTS_IN_SQLITE = {
    "year": "%Y", "month": "%m", "day": "%d", "hour": "%H", "minute": "%M", "dow": "%w", "doy": "%j",
}  # fmt: skip


def glob_as_regex(pattern: str) -> str:
    """A pattern of SQLite's GLOB as a regular expression of the whole text."""
    out = re.sub(r"[.+(){}^$|\\]", lambda m: "\\" + m[0], pattern)
    return "(?s)^" + out.replace("[\\^", "[^").replace("*", ".*").replace("?", ".") + "$"


def written_for(tree: Any, dialect: str) -> Any:
    """A copy that can be written as SQL: operands that are operations stand in parentheses, and what the dialect has in another
    form stands in that."""
    root = exp.Paren(this=tree.copy())
    compound = (exp.Binary, exp.Not, exp.Is, exp.In, exp.Between, exp.Neg, exp.Case)
    for node in reversed(list(root.walk())[1:]):
        if (other := _in_dialect(node, dialect)) is not None:
            node.replace(other)
            node = other
        if isinstance(node, compound) and isinstance(
            node.parent, exp.Binary | exp.Not | exp.Neg | exp.In | exp.Cast | exp.Escape
        ):
            parentheses = exp.Paren()
            node.replace(parentheses)
            parentheses.set("this", node)
    return root.this


def _span_of(product: Any) -> Any:
    """A number times a span as a span of that many units, which is all that MySQL knows; None for any other product."""
    for span, number in ((product.this, product.expression), (product.expression, product.this)):
        if isinstance(span.unnest(), exp.Interval) and isinstance(span.unnest().this, exp.Literal):
            interval = span.unnest().copy()
            units = exp.Mul(this=exp.Paren(this=number.copy()), expression=exp.Literal.number(interval.this.this))
            interval.set("this", exp.Paren(this=units))
            return interval
    return None


# functions that SQLite lacks, by what it has in their place; `{0}` and `{1}` are their arguments
_IN_SQLITE = {
    exp.Left: "substr({0}, 1, {1})",
    exp.Right: "substr({0}, -({1}), {1})",
    exp.StartsWith: "(substr({0}, 1, length({1})) = {1})",
}


def _in_dialect(node: Any, dialect: str) -> Any:
    """What a node is in a dialect that has another form for it; None where it has not."""
    match node:
        case exp.Anonymous() if dialect in _NO_NONNULLS and node.name.lower() == "num_nonnulls":
            there = " + ".join(f"CASE WHEN {part.sql(dialect=dialect)} IS NULL THEN 0 ELSE 1 END" for part in node.expressions)
            return parse_one(f"({there})", dialect=dialect)
        case exp.Add() | exp.Sub() if dialect == "sqlite":
            return _moved_in_sqlite(node)
        case exp.Extract() if dialect == "sqlite" and (part := PARTS_IN_SQLITE.get(node.name.lower())) is not None:
            moment = node.expression.sql(dialect=dialect)
            return parse_one(f"CAST(strftime('{part}', {moment}) AS INTEGER)", dialect=dialect)
        case exp.Mul() if dialect == "mysql" and (span := _span_of(node)) is not None:
            return span
        case exp.RegexpLike() if dialect == "mysql" and isinstance(node.expression, exp.Literal):
            pattern = exp.Literal.string(f"(?-i){node.expression.this}")  # MariaDB has the operator alone, which ignores case
            return exp.paren(exp.var(f"{node.this.sql(dialect=dialect)} REGEXP {pattern.sql(dialect=dialect)}"), copy=False)
        case exp.Glob() if dialect == "duckdb" and isinstance(node.expression, exp.Literal):
            pattern = exp.Literal.string(glob_as_regex(node.expression.this))  # DuckDB's own knows no [^…]
            return exp.RegexpLike(this=node.this.copy(), expression=pattern)
        case exp.Left() | exp.Right() | exp.StartsWith() if dialect == "sqlite" and not isinstance(node.expression, exp.Neg):
            said = _IN_SQLITE[type(node)].format(node.this.sql(dialect=dialect), node.expression.sql(dialect=dialect))
            return parse_one(said, dialect=dialect)
        case exp.Pad() if dialect == "sqlite" and not node.args.get("is_left"):
            width = int(node.expression.this)
            return parse_one(f"substr({node.this.sql(dialect=dialect)} || '{' ' * width}', 1, {width})", dialect=dialect)
    text = octets_of(node) if dialect in _BYTES_OF else None
    return parse_one(_BYTES_OF[dialect].format(text.sql(dialect=dialect)), dialect=dialect) if text is not None else None
