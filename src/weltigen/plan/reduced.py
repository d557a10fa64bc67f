"""Unique rules over expressions, or over some of the rows, brought down to columns."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..model import Unique


@dataclass(frozen=True, slots=True, kw_only=True)
class ReducedRule:
    """A rule over plain columns that is at least as strict as the declared one, for the rows that keep `where`.

    The texts of `folded` must differ without regard to case; the moments of `rounded` in spans of this many seconds.
    """

    rule: Unique
    where: str | None = None
    folded: frozenset[str] = frozenset()
    rounded: Mapping[str, int] = field(default_factory=dict)
    always: frozenset[str] = frozenset()  # fields that are never null, since a null counts as a value that they may have
