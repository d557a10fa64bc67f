"""What an audit reports."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, overload

from ..model.phrases import plural


@dataclass(frozen=True, slots=True, kw_only=True)
class Example:
    """One offending row: its key by column, and the values that break the rule by column."""

    key: dict[str, Any]
    values: dict[str, Any]

    def __str__(self) -> str:
        key = ", ".join(f"{column} {value}" for column, value in self.key.items())
        values = ", ".join(
            f"{column} {'null' if v is None else v}" for column, v in self.values.items() if column not in self.key
        )
        return f"{key} ({values})" if key and values else key or values


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """A rule that the data breaks. `kind` is one of: missing, type, not null, length, range, enum, pattern, check, unique,
    primary key, one-to-one, foreign key, presence, computed, count, cohort, states, correlation, weights, fixed row."""

    entity: str
    kind: str
    rule: str
    rows: int
    examples: tuple[Example, ...] = ()

    def __str__(self) -> str:
        shown = ", ".join(map(str, self.examples)) + (", …" if self.rows > len(self.examples) > 0 else "")
        return f"{self.entity}: {self.rule}: {plural(self.rows, 'row')}" + (f": {shown}" if shown else "")


class Report(Sequence[Finding]):
    """The findings of one audit, in the order of the world; empty when all rules are kept."""

    def __init__(
        self,
        findings: Sequence[Finding],
        *,
        target: str,
        rules: int,
        rows: int,
        unchecked: Sequence[str],
        seconds: float,
    ) -> None:
        self.findings = tuple(findings)
        self.target, self.rules, self.rows, self.seconds = target, rules, rows, seconds
        self.unchecked = tuple(unchecked)

    @overload
    def __getitem__(self, index: int) -> Finding: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Finding]: ...
    def __getitem__(self, index: int | slice) -> Finding | Sequence[Finding]:
        return self.findings[index]

    def __len__(self) -> int:
        return len(self.findings)

    def __repr__(self) -> str:
        return f"<{self.rules:,} rules over {self.rows:,} rows: {len(self)} broken, {len(self.unchecked)} not checked>"
