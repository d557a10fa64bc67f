"""Texts: patterns in SQL's several notations, and functions of them."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import reduce
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp

from .canonical import glob_as_regex
from .fixed import floating
from .meaning import Evaluation, Meaning, NotEvaluableError, arguments, is_text, one


def text_of(value: Any, dialect: str | None = None) -> Any:
    """The text that a cast or || makes of a value."""
    arrow = value.type
    if is_text(value):
        return value
    if pa.types.is_boolean(arrow) and dialect in ("sqlite", "mysql"):
        return value.cast(pa.int8()).cast(pa.string())
    if pa.types.is_timestamp(arrow):
        return (
            pc.replace_substring_regex(value.cast(pa.timestamp("us")).cast(pa.string()), r"\.?0+$", "")
            if _has_fraction(value)
            else value.cast(pa.timestamp("s"), safe=False).cast(pa.string())
        )
    return value.cast(pa.string())


def _has_fraction(value: Any) -> bool:
    micro = value.cast(pa.timestamp("us")).cast(pa.int64())
    rest = pc.subtract(micro, pc.multiply(pc.divide(micro, 1_000_000), 1_000_000))
    return bool(pc.any(pc.not_equal(rest, 0)).as_py()) if not isinstance(rest, pa.Scalar) else bool(rest.as_py())


def like_as_regex(pattern: str, escape: str | None = None) -> str:
    """A LIKE pattern as a regular expression of the whole text."""
    out, at = [], 0
    while at < len(pattern):
        sign = pattern[at]
        if escape and sign == escape and at + 1 < len(pattern):
            at += 1
            out.append(re.escape(pattern[at]))
        else:
            out.append({"%": ".*", "_": "."}.get(sign) or re.escape(sign))
        at += 1
    return "(?s)^" + "".join(out) + "$"


def similar_as_regex(pattern: str) -> str:
    """A pattern of SQL's SIMILAR TO as a regular expression of the whole text."""
    out = [{"%": ".*", "_": ".", ".": r"\.", "^": r"\^", "$": r"\$"}.get(sign, sign) for sign in pattern]
    return "(?s)^(?:" + "".join(out) + ")$"


def _matched(as_regex: Callable[[str], str], ignore_case: bool = False) -> Meaning:
    def call(node: Any, at: Evaluation) -> Any:
        value, pattern = at.value(node.this), at.constant(node.expression, "the pattern")
        if pattern is None:
            return pa.scalar(None, pa.bool_())
        return pc.match_substring_regex(text_of(value, at.dialect), as_regex(pattern), ignore_case=ignore_case)

    return call


def _escape_of(dialect: str | None) -> str | None:
    return "\\" if dialect in ("postgres", "mysql", None) else None


def _like(ignore_case: bool) -> Meaning:
    def call(node: Any, at: Evaluation, escape: str | None = None) -> Any:
        escape = escape or _escape_of(at.dialect)
        return _matched(lambda pattern: like_as_regex(pattern, escape), ignore_case)(node, at)

    return call


def _escaped(node: Any, at: Evaluation) -> Any:
    """LIKE … ESCAPE."""
    inner, escape = node.this, at.constant(node.expression, "the escape")
    return _matched(lambda pattern: like_as_regex(pattern, escape), isinstance(inner, exp.ILike))(inner, at)


def _regex(pattern: str) -> str:
    """PostgreSQL's and MySQL's classes in RE2's notation."""
    return (
        pattern.replace("[[:<:]]", r"\b")
        .replace("[[:>:]]", r"\b")
        .replace(r"\y", r"\b")
        .replace(r"\m", r"\b")
        .replace(r"\M", r"\b")
    )


def _trimmed(node: Any, at: Evaluation) -> Any:
    value = text_of(at.value(node.this), at.dialect)
    characters = at.argument(node, "expression", " ")
    position = str(node.args.get("position") or "BOTH").upper()
    function = {"LEADING": pc.utf8_ltrim, "TRAILING": pc.utf8_rtrim}.get(position, pc.utf8_trim)
    return function(value, characters)


def _btrim(node: Any, at: Evaluation) -> Any:
    value, *characters = node.expressions
    return pc.utf8_trim(at.value(value), at.constant(characters[0], "what is trimmed") if characters else " ")


def _substring(node: Any, at: Evaluation) -> Any:
    value = text_of(at.value(node.this), at.dialect)
    start = at.argument(node, "start", 1)
    if isinstance(start, str):
        raise NotEvaluableError("a part cut out by a pattern has no meaning here")
    length = at.argument(node, "length", None)
    if start < 0 and at.dialect in ("sqlite", "mysql"):
        return pc.utf8_slice_codeunits(value, start, None if length is None or start + length >= 0 else start + length)
    stop = None if length is None else max(0, start - 1 + length)
    return pc.utf8_slice_codeunits(value, max(0, start - 1), stop)


def _end(left: bool) -> Meaning:
    def call(node: Any, at: Evaluation) -> Any:
        value, count = text_of(at.value(node.this), at.dialect), int(at.constant(node.expression, "the length"))
        if left:
            return pc.utf8_slice_codeunits(value, 0, count)
        if count == 0:
            return pc.utf8_slice_codeunits(value, 0, 0)
        return pc.utf8_slice_codeunits(value, -count, None)

    return call


def _position(node: Any, at: Evaluation) -> Any:
    value, sought = text_of(at.value(node.this), at.dialect), at.constant(node.args["substr"], "what is sought")
    found = pc.find_substring(value, sought)
    # Arrow counts bytes: the part before the place is measured in characters
    if not pc.all(pc.string_is_ascii(value), min_count=0).as_py():
        texts = value.to_pylist() if not isinstance(value, pa.Scalar) else [value.as_py()]
        places = pa.array([None if text is None else text.find(sought) + 1 for text in texts], pa.int64())
        return places if not isinstance(value, pa.Scalar) else places[0]
    return pc.add(pc.cast(found, pa.int64()), 1)


def _replaced(node: Any, at: Evaluation) -> Any:
    old, new = at.constant(node.expression, "what is replaced"), at.argument(node, "replacement", "")
    value = text_of(at.value(node.this), at.dialect)
    return pc.replace_substring(value, old, new) if old else value


def _padded(node: Any, at: Evaluation) -> Any:
    value, width = text_of(at.value(node.this), at.dialect), int(at.constant(node.expression, "the width"))
    fill = at.argument(node, "fill_pattern", " ")
    if len(fill) != 1:
        raise NotEvaluableError("texts are padded with one character here")
    pad = pc.utf8_lpad if node.args.get("is_left") else pc.utf8_rpad
    return pc.utf8_slice_codeunits(pad(value, width, fill), 0, max(0, width))


def _concat(node: Any, at: Evaluation) -> Any:
    values = [text_of(at.value(part), at.dialect) for part in arguments(node)]
    values = [value.cast(pa.string()) for value in values]
    if node.args.get("coalesce"):
        values = [pc.fill_null(value, "") for value in values]
    return pc.binary_join_element_wise(*values, "")


def _concat_ws(node: Any, at: Evaluation) -> Any:
    separator, *parts = arguments(node)
    between, joined, begun = at.constant(separator, "the separator"), pa.scalar(""), pa.scalar(False)
    for part in parts:
        value = text_of(at.value(part), at.dialect).cast(pa.string())
        there = pc.is_valid(value)
        more = pc.binary_join_element_wise(pc.if_else(begun, between, ""), pc.fill_null(value, ""), "")
        joined = pc.if_else(there, pc.binary_join_element_wise(joined, more, ""), joined)
        begun = pc.or_(begun, there)
    return joined


def _piped(node: Any, at: Evaluation) -> Any:
    left, right = at.value(node.this), at.value(node.expression)
    return pc.binary_join_element_wise(
        text_of(left, at.dialect).cast(pa.string()), text_of(right, at.dialect).cast(pa.string()), ""
    )


def _starts(node: Any, at: Evaluation) -> Any:
    return pc.starts_with(at.value(node.this), at.constant(node.expression, "the beginning"))


def _length(node: Any, at: Evaluation) -> Any:
    value = at.value(node.this)
    if pa.types.is_binary(value.type):
        return pc.cast(pc.binary_length(value), pa.int64())
    value = text_of(value, at.dialect)
    return pc.cast(pc.utf8_length(value), pa.int64())


def _octets(node: Any, at: Evaluation) -> Any:
    return pc.cast(pc.binary_length(at.value(node.expressions[0])), pa.int64())


def _repeated(node: Any, at: Evaluation) -> Any:
    times = int(at.constant(node.args["times"], "how often"))
    value = text_of(at.value(node.this), at.dialect)
    return (
        reduce(lambda a, b: pc.binary_join_element_wise(a, b, ""), [value] * times)
        if times > 0
        else pc.utf8_slice_codeunits(value, 0, 0)
    )


def _cast(node: Any, at: Evaluation) -> Any:
    value, to = at.value(node.this), node.to
    name = to.this.name
    if name in ("TEXT", "VARCHAR", "CHAR", "NCHAR", "NVARCHAR", "BPCHAR", "NAME", "UUID", "INET", "USERDEFINED"):
        return text_of(value, at.dialect)
    if name == "BOOLEAN":
        return pc.not_equal(value, 0) if pa.types.is_integer(value.type) else value.cast(pa.bool_())
    if name in ("INT", "BIGINT", "SMALLINT", "TINYINT", "UBIGINT", "UINT", "MEDIUMINT"):
        return _whole(value, at.dialect)
    if name in ("DOUBLE", "FLOAT", "REAL"):
        return floating(value)
    if name == "DECIMAL":
        numbers = [int(p.name) for p in to.expressions]
        if not numbers:
            return value
        scale = numbers[1] if len(numbers) > 1 else 0
        rounded = pc.round(value, scale, "half_towards_infinity") if not is_text(value) else value
        return rounded.cast(pa.decimal128(min(38, max(numbers[0], 1)), scale))
    if name in ("DATE", "DATE32"):
        return (
            value.cast(pa.date32())
            if is_text(value)
            else value.cast(pa.timestamp("us"), safe=False).cast(pa.date32(), safe=False)
        )
    if name in ("TIMESTAMP", "DATETIME", "TIMESTAMPNTZ"):
        return value.cast(pa.timestamp("us"))
    raise NotEvaluableError(f"a cast to {to.sql().lower()} has no meaning here")


def _whole(value: Any, dialect: str | None) -> Any:
    """PostgreSQL and MySQL round a fraction, SQLite cuts it off."""
    if pa.types.is_floating(value.type) or pa.types.is_decimal(value.type):
        even = pa.types.is_floating(value.type) and dialect == "postgres"
        value = (
            pc.trunc(value) if dialect == "sqlite" else pc.round(value, 0, "half_to_even" if even else "half_towards_infinity")
        )
    return value.cast(pa.int64())


MEANINGS: dict[type, Meaning] = {
    exp.Like: _like(ignore_case=False),
    exp.ILike: _like(ignore_case=True),
    exp.Escape: _escaped,
    exp.SimilarTo: _matched(similar_as_regex),
    exp.Glob: _matched(glob_as_regex),
    exp.RegexpLike: _matched(_regex),
    exp.RegexpILike: _matched(_regex, ignore_case=True),
    exp.Length: _length,
    exp.Lower: one(lambda value: pc.utf8_lower(text_of(value))),
    exp.Upper: one(lambda value: pc.utf8_upper(text_of(value))),
    exp.Trim: _trimmed,
    exp.Substring: _substring,
    exp.Left: _end(left=True),
    exp.Right: _end(left=False),
    exp.StrPosition: _position,
    exp.Replace: _replaced,
    exp.Pad: _padded,
    exp.Concat: _concat,
    exp.ConcatWs: _concat_ws,
    exp.DPipe: _piped,
    exp.StartsWith: _starts,
    exp.Reverse: one(pc.utf8_reverse),
    exp.Repeat: _repeated,
    exp.Cast: _cast,
    exp.TryCast: _cast,
}
BY_NAME: dict[str, Meaning] = {"BTRIM": _btrim, "OCTET_LENGTH": _octets}
