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


def is_now(node: Any) -> bool:
    if isinstance(node, exp.Cast):
        node = node.this
    return isinstance(node, _NOW) or (isinstance(node, exp.Anonymous) and node.name.lower() in ("now", "current_timestamp"))


def conjuncts(node: Any) -> list[Any]:
    return [*conjuncts(node.this), *conjuncts(node.expression)] if isinstance(node, exp.And) else [node]


def disjuncts(node: Any) -> list[Any]:
    return [*disjuncts(node.this), *disjuncts(node.expression)] if isinstance(node, exp.Or) else [node]


def joined(parts: list[Any]) -> Any:
    """The parts as one OR."""
    joined = parts[0].copy()
    for part in parts[1:]:
        joined = exp.Or(this=joined, expression=part.copy())
    return joined
