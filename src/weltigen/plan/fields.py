"""Fields planned: their limits typed, and for each the one way in which it is filled.

Every way says what the passes ask of it: how many different values its positions decode to, whether a check that fails may
have it drawn again, which formulas it works out, and which values can come out where these are few. What else it holds are the
facts of how it came about; planning/explaining puts them into words.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ..model import Field
from ..model.literals import Value
from ..model.paths import Path
from ..randomness import Gaps
from ..values import Axis, FromText, PersonPart, Values
from .formulas import Formula
from .ports import Ordinals


@dataclass(frozen=True, slots=True, kw_only=True)
class CellBound:
    """A bound that is another cell: `strict` by one unit; `within` units from it at most, `usual` units most often."""

    path: Path
    upper: bool
    strict: bool
    within: int | None
    usual: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """Ends of a field in units of its axis, within which other cells have room; and for which."""

    low: int | None
    high: int | None
    because: str


# what a drawn value is


@dataclass(frozen=True, slots=True)
class OfKind:
    """A value of a named kind: said, guessed, or `by_type` where neither."""

    kind: str
    by_type: bool = False


@dataclass(frozen=True, slots=True)
class OneOf:
    """One of a few values, each as likely."""

    values: tuple[Value, ...]


@dataclass(frozen=True, slots=True)
class ByWeight:
    """One of a few values, each as often as its weight says."""

    weights: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True)
class Matching:
    """A text that a regular expression matches as a whole."""

    pattern: str


@dataclass(frozen=True, slots=True)
class Even:
    """A number or a moment between its ends, evenly: a shape that was said."""


@dataclass(frozen=True, slots=True)
class OfType:
    """What the database type alone suggests; `known` False: a text, since nothing is known of the type."""

    known: bool = True


@dataclass(frozen=True, slots=True)
class RankWithinOwner:
    """A number that counts up from `low` among the rows of one owner."""

    low: int


DrawnFrom = OfKind | OneOf | ByWeight | Matching | Even | OfType | RankWithinOwner


# the ways of filling


@dataclass(frozen=True, slots=True)
class FieldWay:
    """What passes ask of any way; each way answers what differs."""

    @property
    def space(self) -> int | None:
        """How many different values its positions decode to; None where its values have no positions."""
        return None

    @property
    def chosen(self) -> bool:
        """Whether its values are chosen, so that narrower limits could be met."""
        return False

    @property
    def redrawable(self) -> bool:
        """Whether a row that fails a check may get another value."""
        return False

    @property
    def formulas(self) -> tuple[Formula, ...]:
        """What is worked out to fill it."""
        return ()

    @property
    def few(self) -> tuple[Value, ...] | None:
        """All values that can come out, as texts or typed, where a world file names them; None where only limits are known."""
        return None


class ChosenWay(FieldWay):
    """A way in which values are chosen, so that narrower limits could be met."""

    __slots__ = ()

    @property
    def chosen(self) -> bool:
        return True


@dataclass(frozen=True, slots=True, eq=False)
class Counting(FieldWay):
    """Numbers count up over all rows of the entity, those of earlier stages first: row o has `first + step * o`.

    Where there are `numbers`, row o has the one at o - `first`. `room`: how many rows there are numbers for. With `gaps`, numbers
    are left out behind the first `shift` rows, which are given.
    """

    first: int
    step: int
    room: int
    numbers: Any = None
    gaps: Gaps | None = None
    shift: int = 0

    def places(self, rows: Ordinals) -> Ordinals:
        """Where rows stand among all numbers: rows of all stages, counted from the first."""
        if self.gaps is None:
            return rows
        return self.shift + self.gaps.places(np.maximum(rows - self.shift, 0))

    def row_at(self, place: int) -> int:
        """The row at a place; -1 where none stands there."""
        if self.gaps is None or place < self.shift:
            return place
        row = self.gaps.row_at(place - self.shift)
        return -1 if row < 0 else row + self.shift

    @property
    def space(self) -> int | None:
        return self.room


@dataclass(frozen=True, slots=True)
class Constant(FieldWay):
    """The same value in every row, an Arrow scalar. `said` False: an empty one, since nothing better is known."""

    value: Any
    said: bool = True

    @property
    def few(self) -> tuple[Value, ...] | None:
        return (self.value.as_py(),)


@dataclass(frozen=True, slots=True)
class Spaced(FieldWay):
    """Of each owner's rows the first begins at `start`, and each one `step` units later: `every`, as it was written."""

    start: int
    step: int
    every: str


@dataclass(frozen=True, slots=True)
class Computed(FieldWay):
    """What a formula gives."""

    formula: Formula

    @property
    def formulas(self) -> tuple[Formula, ...]:
        return (self.formula,)


@dataclass(frozen=True, slots=True)
class Cases(FieldWay):
    """Each row is filled by the first case whose condition it keeps; a condition None holds always."""

    cases: tuple[tuple[Formula | None, FieldPlan], ...]

    @property
    def _first(self) -> FieldWay | None:
        return next((case.way for _, case in self.cases if case.way.chosen), None)

    @property
    def space(self) -> int | None:
        return None  # several cases may have the same values

    @property
    def chosen(self) -> bool:
        return self._first is not None

    @property
    def redrawable(self) -> bool:
        return self._first is not None and self._first.redrawable

    @property
    def formulas(self) -> tuple[Formula, ...]:
        own = [formula for formula, _ in self.cases if formula is not None]
        return (*own, *(formula for _, case in self.cases for formula in case.way.formulas))

    @property
    def few(self) -> tuple[Value, ...] | None:
        known = [case.way.few for _, case in self.cases]
        return tuple(value for values in known for value in values or ()) if None not in known else None


@dataclass(frozen=True, slots=True)
class Shaped(ChosenWay):
    """Numbers whose distribution has a shape: `table` holds its quantiles, cut to the limits (see randomness/quantiles.py)."""

    shape: str
    table: Any
    values: Values

    @property
    def space(self) -> int | None:
        return self.values.space

    @property
    def redrawable(self) -> bool:
        return not self.values.rising


@dataclass(frozen=True, slots=True)
class Drawn(ChosenWay):
    """Values drawn from a space of positions.

    `rounded`: a position is a span of this many units, since a rule compares values rounded down to it; a value lies anywhere
    within its span.
    """

    values: Values
    of: DrawnFrom
    rounded: int = 0

    @property
    def space(self) -> int | None:
        return self.values.space

    @property
    def redrawable(self) -> bool:
        return not self.values.rising

    @property
    def few(self) -> tuple[Value, ...] | None:
        return tuple(value for value, weight in self.of.weights if weight > 0) if isinstance(self.of, ByWeight) else None


@dataclass(frozen=True, slots=True)
class OfPerson(ChosenWay):
    """Read off the person that the row is about."""

    part: PersonPart
    kind: str


@dataclass(frozen=True, slots=True)
class Converted(ChosenWay):
    """Made from another column of the row, or of one that it refers to; where that is numbered, numbers begin so far `beyond` the
    row's own. `may_lack`: whether there may be nothing to make it from."""

    of: FromText
    kind: str
    path: Path
    may_lack: bool
    beyond: int = 0
    beside: Path | None = None


@dataclass(frozen=True, slots=True)
class FromReference(FieldWay):
    """A column of a reference: it holds what the row referred to has."""


@dataclass(frozen=True, slots=True)
class Walked(FieldWay):
    """A walk from state to state fills it; `role` is what of the walk, `of` the entity that walks or the one that tells it."""

    role: str
    of: str


@dataclass(frozen=True, slots=True)
class Impossible(FieldWay):
    """No value can be made, which is reported as a problem."""


Way = (
    Counting | Constant | Spaced | Computed | Cases | Shaped | Drawn | OfPerson | Converted | FromReference | Walked | Impossible
)


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldPlan:
    """A field, its limits in units of its axis (both ends included), and the way in which it is filled."""

    field: Field
    way: Way
    axis: Axis | None = None
    low: int | None = None
    high: int | None = None
    step: int = 1
    cell_bounds: tuple[CellBound, ...] = ()
    room: Room | None = None
    kept: bool = False  # all of its values keep the checks that read it alone
