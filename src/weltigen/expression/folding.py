"""Texts as a database compares them: one that tells no cases apart takes both sides in small letters; one that fills up `char(n)`
with spaces shows these to patterns; one that knows intervals compares their lengths."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from sqlglot import exp

from .evaluate import Expression

_MATCHING = (exp.Like, exp.ILike, exp.RegexpLike, exp.RegexpILike, exp.SimilarTo)
_COMPARING = (exp.EQ, exp.NEQ, exp.In, exp.LT, exp.LTE, exp.GT, exp.GTE)


def with_folded_texts(expression: Expression, folds: Callable[[str], bool]) -> Expression:
    """The expression with comparisons of texts in small letters; `folds` says of a path whether its cases are not told apart."""
    if not any(isinstance(node, exp.Column) and folds(_path(node)) for node in expression.tree.walk()):
        return expression
    tree = expression.tree.copy()
    changed = False
    for node in list(tree.find_all(*_COMPARING)):
        sides = [node.this, *node.expressions] if isinstance(node, exp.In) else [node.this, node.expression]
        plain = [side.unnest() for side in sides]
        if not all(isinstance(side, exp.Column) or (isinstance(side, exp.Literal) and side.is_string) for side in plain):
            continue
        if any(isinstance(side, exp.Column) and folds(_path(side)) for side in plain):
            for side in sides:
                side.replace(exp.Lower(this=side.copy()))
            changed = True
    return replace(expression, tree=tree) if changed else expression


def with_padded_texts(expression: Expression, width: Callable[[str], int | None]) -> Expression:
    """The expression with texts filled up where a pattern reads them; `width` is how far those of a path are, None where not."""
    if expression.tree.find(*_MATCHING) is None:
        return expression
    tree = expression.tree.copy()
    changed = False
    for node in list(tree.find_all(*_MATCHING)):
        column = node.this.unnest()
        if isinstance(column, exp.Column) and (length := width(_path(column))) is not None:
            column.replace(exp.Pad(this=column.copy(), expression=exp.Literal.number(length), is_left=False))
            changed = True
    return replace(expression, tree=tree) if changed else expression


def with_spans(expression: Expression, is_span: Callable[[str], bool]) -> Expression:
    """The expression with lengths of time where intervals are compared, which are texts here; `is_span` says which paths are."""
    if not any(map(is_span, expression.paths)):
        return expression
    tree = expression.tree.copy()
    for node in list(tree.find_all(*_COMPARING)):
        sides = [node.this, *node.expressions] if isinstance(node, exp.In) else [node.this, node.expression]
        if any(isinstance(side.unnest(), exp.Column) and is_span(_path(side.unnest())) for side in sides):
            for side in sides:
                side.replace(exp.Anonymous(this="SPAN_LENGTH", expressions=[side.copy()]))
    return replace(expression, tree=tree)


def _path(column: Any) -> str:
    return f"{column.table}.{column.name}" if column.table else str(column.name)
