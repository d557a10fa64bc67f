"""Expressions whose texts are compared as the model's database compares them."""

from __future__ import annotations

from collections.abc import Callable

from ..model import Field, TypeName
from ..model.folding import Fold, fold_of
from .evaluate import Expression
from .folding import with_folded_texts, with_padded_texts, with_spans


def as_compared(expression: Expression, dialect: str | None, field_of: Callable[[str], Field | None]) -> Expression:
    """`field_of` is the field that a path of the expression ends in."""
    if dialect in ("mysql", "mariadb"):
        return with_folded_texts(expression, lambda path: (field := field_of(path)) is not None and _folds(field))
    if dialect in ("postgres", "postgresql"):
        padded = with_padded_texts(expression, lambda path: _width(field_of(path)))
        return with_spans(padded, lambda path: (field := field_of(path)) is not None and field.type.name is TypeName.INTERVAL)
    return expression


def _folds(field: Field) -> bool:
    return fold_of(field.type, field.collation, "mysql") >= Fold.CASE


def _width(field: Field | None) -> int | None:
    """PostgreSQL fills up `char(n)` with spaces, which it takes off again for all but patterns."""
    return (field.type.length or 1) if field is not None and field.type.name is TypeName.CHAR else None
