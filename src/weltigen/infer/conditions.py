"""Parts of conditions: what stands between AND and OR, and what a part of a comparison means."""

from __future__ import annotations

import re
from typing import Any

from sqlglot import exp

_NOW = (exp.CurrentTimestamp, exp.CurrentDate, exp.CurrentDatetime)


def whole_pattern(pattern: str | None) -> str | None:
    """A regular expression for the whole text from one that SQL finds anywhere in it; None where none is anchored."""
    if pattern is None:
        return None
    begins, ends = pattern.startswith("^"), pattern.endswith("$") and not pattern.endswith(r"\$")
    inner = pattern[begins : len(pattern) - ends]
    if (begins or ends) and "|" in re.sub(r"\([^()]*\)|\[[^\]]*\]", "", inner):
        return None  # the anchors belong to one alternative only
    if begins and ends:
        return inner
    if begins:
        return inner + "[a-z0-9]{0,6}"
    return "[a-z0-9]{1,6}" + inner if ends else None


def text_literal(node: Any) -> str | None:
    if isinstance(node, exp.Cast):
        node = node.this
    return str(node.this) if isinstance(node, exp.Literal) and node.is_string else None


def trimmed(node: Any) -> Any:
    """What is inside of trim(…): texts are made without blanks around them."""
    if isinstance(node, exp.Trim) and not node.args.get("expression"):
        return node.this
    if isinstance(node, exp.Anonymous) and node.name.lower() == "btrim" and len(node.expressions) == 1:
        return node.expressions[0]
    return node


def bare(node: Any) -> Any:
    """What is inside of parentheses and casts, which a catalogue puts around texts."""
    while isinstance(node, exp.Paren | exp.Cast):
        node = node.this
    return node


def is_now(node: Any) -> bool:
    if isinstance(node, exp.Cast):
        node = node.this
    return isinstance(node, _NOW) or (isinstance(node, exp.Anonymous) and node.name.lower() in ("now", "current_timestamp"))


def conjuncts(node: Any) -> list[Any]:
    """What must hold at once. Negations are drawn inwards as far as they go, and what can never be true is left out."""
    node = _without_never(inward(node))
    return [*conjuncts(node.this), *conjuncts(node.expression)] if isinstance(node, exp.And) else [node]


def _without_never(node: Any) -> Any:
    """Alternatives without those that ask for a value and for none: `x IS NOT NULL AND x IS NULL`."""
    if not isinstance(node, exp.Or):
        return node
    parts = disjuncts(node)
    possible = [part for part in parts if not _is_never(part)]
    return inward(joined(possible)) if possible and len(possible) < len(parts) else node


def _is_never(node: Any) -> bool:
    asked: dict[bool, set[str]] = {True: set(), False: set()}
    waiting = [node]
    while waiting:
        part = inward(waiting.pop())
        if isinstance(part, exp.And):
            waiting += [part.this, part.expression]
            continue
        there = isinstance(part, exp.Not)
        test = inward(part.this) if there else part
        if isinstance(test, exp.Is) and isinstance(test.expression, exp.Null):
            asked[there].add(test.this.sql())
    return bool(asked[True] & asked[False])


_OPPOSITE = {exp.GT: exp.LTE, exp.GTE: exp.LT, exp.LT: exp.GTE, exp.LTE: exp.GT, exp.EQ: exp.NEQ, exp.NEQ: exp.EQ}


def inward(node: Any) -> Any:
    """A negation drawn into what it negates (De Morgan's laws, which hold with three truth values too); else the node itself."""
    while isinstance(node, exp.Paren):
        node = node.this
    if not isinstance(node, exp.Not):
        return node
    inner = node.this
    while isinstance(inner, exp.Paren):
        inner = inner.this
    if isinstance(inner, exp.Not):
        return inward(inner.this)
    if isinstance(inner, exp.And | exp.Or):
        other = exp.Or if isinstance(inner, exp.And) else exp.And
        return other(this=inward(exp.Not(this=inner.this.copy())), expression=inward(exp.Not(this=inner.expression.copy())))
    if type(inner) in _OPPOSITE:
        return _OPPOSITE[type(inner)](this=inner.this.copy(), expression=inner.expression.copy())
    return exp.Not(this=inner.copy()) if inner is not node.this else node


def disjuncts(node: Any) -> list[Any]:
    node = inward(node)
    return [*disjuncts(node.this), *disjuncts(node.expression)] if isinstance(node, exp.Or) else [node]


def joined(parts: list[Any]) -> Any:
    """The parts as one OR."""
    joined = parts[0].copy()
    for part in parts[1:]:
        joined = exp.Or(this=joined, expression=part.copy())
    return joined
