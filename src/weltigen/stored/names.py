"""Identifiers and literals as a dialect of SQL writes them; without one, as the standard does."""

from __future__ import annotations

from functools import lru_cache

from sqlglot import exp


@lru_cache(maxsize=4096)
def quoted(name: str, dialect: str | None = None) -> str:
    """An identifier in quotes: `"name"`, and `` `name` `` in MySQL."""
    return exp.to_identifier(name, quoted=True).sql(dialect)


def literal(text: str, dialect: str | None = None) -> str:
    """A text in quotes, with those inside doubled."""
    return exp.Literal.string(text).sql(dialect)
