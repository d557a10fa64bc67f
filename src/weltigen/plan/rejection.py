"""Checks that no limit expresses: what is made again until they hold."""

from __future__ import annotations

from dataclasses import dataclass

from ..model import Check
from .formulas import Formula
from .ports import redraw_key

RANDOM = 64  # attempts in which references are picked at random; in those after it they go to one row after the other


@dataclass(frozen=True, slots=True, kw_only=True)
class RejectionGroup:
    """Fields that are made together until all checks hold; the attempt that a row needs depends on that row alone.

    Where fields alone would not do, the targets of `relations` are picked again. `given`: the checks are met by construction, but
    not where a fixed row gives a part of what they are about.
    """

    fields: frozenset[str]
    checks: tuple[tuple[Check, Formula], ...]
    given: bool = False
    relations: frozenset[str] = frozenset()

    @property
    def redrawn(self) -> frozenset[str]:
        """What is made again, as rows know it."""
        return self.fields | frozenset(map(redraw_key, self.relations))
