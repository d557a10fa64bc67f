"""A rule over several rows, as a query that finds what breaks it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class SetRule:
    """Broken by each row of a query's answer, whose columns are named `shown`; `rows` is the column to add up, if any."""

    kind: str
    text: str
    query: str
    shown: tuple[str, ...]
    keys: int
