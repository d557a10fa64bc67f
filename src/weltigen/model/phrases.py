"""Numbers and lists in words."""

from __future__ import annotations

from collections.abc import Sequence


def about(number: float) -> str:
    """A mean as people say it: `0.75`, `12.5`, `3,404`."""
    return f"{number:,.0f}" if number >= 100 else f"{number:.3g}"


def plural(number: int, noun: str) -> str:
    """`1 row`, `1,200 rows`."""
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


def all_of(texts: Sequence[str]) -> str:
    """`a, b and c`."""
    return " and ".join(part for part in (", ".join(texts[:-1]), texts[-1]) if part)


def listed(texts: Sequence[str], most: int = 6) -> str:
    """`a, b, c and 4 more`: no more than `most` are named."""
    return ", ".join(texts[:most]) + (f" and {len(texts) - most} more" if len(texts) > most else "")
