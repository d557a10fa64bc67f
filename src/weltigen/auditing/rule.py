"""Rules as SQL: over one row, a condition that breaks it; over several, a query that finds what does."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class RowRule:
    """Broken by each row for which `broken` is true; `columns` show why. `join` brings other rows in.

    `why_not` says why the rule cannot be asked.
    """

    kind: str
    text: str
    broken: str
    columns: tuple[str, ...]
    join: str = ""
    extra: tuple[tuple[str, str], ...] = ()
    why_not: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SetRule:
    """Broken by each row of a query's answer, whose columns are named `shown`; the first `keys` of them name it.

    Where the answer stands for several rows of the entity each, `named` is a query for these, which is run only then.
    """

    kind: str
    text: str
    query: str
    shown: tuple[str, ...]
    keys: int
    named: SetRule | None = None
    order: tuple[int, ...] = ()  # columns by which rows that belong together stand side by side
