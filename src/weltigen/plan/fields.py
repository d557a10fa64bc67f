"""Fields planned: limits typed, values prepared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..model import Field
from ..values import Axis, Prepared
from .formulas import Formula


@dataclass(frozen=True, slots=True, kw_only=True)
class Moving:
    """A bound that is another cell: `strict` by one unit; `within` units from it at most."""

    path: tuple[str, ...]
    upper: bool
    strict: bool
    within: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldPlan:
    """A field with its limits typed and its values prepared.

    `prepared` None: the field is a reference's column, or counts up, or is a constant that `constant` holds, or is `spaced`:
    the first value of each owner's rows and the distance from one to the next, in units; or it is `computed` from other cells.
    `counts_within`: numbers count up among an owner's rows. `rounded`: positions are spans of so many units, and values lie
    anywhere within theirs. With `cases` each row is filled by the first of them whose condition it keeps.
    """

    field: Field
    axis: Axis | None = None
    low: int | None = None
    high: int | None = None
    step: int = 1
    moving: tuple[Moving, ...] = ()
    prepared: Prepared | None = None
    constant: Any = None
    counts_up: bool = False
    spaced: tuple[int, int] | None = None
    computed: Formula | None = None
    cases: tuple[tuple[Formula | None, FieldPlan], ...] = ()
    shape: Any = None
    counts_within: bool = False
    rounded: int = 0
    because: str = ""
