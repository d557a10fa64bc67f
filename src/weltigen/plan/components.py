"""Unique rules laid out: their digits, the components that share digits, and rules whose rows are worked out beforehand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import prod

from ..expression import Expression
from ..model import Check, Unique
from ..randomness import WIDEST, Bits, DistinctPicks, PopularitySplit

SLACK = 4  # digits are used until their product is this many times the rows; the others are free
MOST_ROWS = 30_000_000  # a refusal is better than a machine without memory


@dataclass(frozen=True, slots=True, kw_only=True)
class Digit:
    """One free part of a unique rule: a field, or a relation; `radix` different values.

    `through`: the rule holds only the part of a reference that names the owner of the row referred to; the digit is that
    owner, and the reference goes to one of the owner's rows. `counting`: the rank among an owner's rows itself. `null`: the
    last value is null, which the rule counts like any other.
    """

    name: str
    relation: bool
    radix: int
    rising: bool = False
    counting: bool = False
    null: bool = False
    through: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """A many-to-many with favourites at its ends: the rows of `first` have a number of rows each, which go to different rows of
    `second`. `split` None: the first is the owner."""

    first: str
    second: str
    picks: DistinctPicks
    split: PopularitySplit | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Component:
    """Unique rules that share digits, laid out together: rows go to groups, and differ within them.

    A group is an owner (`within_owner`), the owner of an owner (`ancestors`), the children of one row (`siblings`), or all rows,
    divided evenly by the digits of `core`; each petal holds the other digits of one rule and takes a different value for each
    row of a group.
    """

    rules: tuple[str, ...]
    within_owner: bool
    core: tuple[Digit, ...]
    petals: tuple[tuple[Digit, ...], ...]
    bits: Bits
    ancestors: tuple[str, ...] = ()  # entities from the owner up, of which the last one's rows are the groups
    strata: tuple[str, ...] = ()  # references that agree: the one that leads, unless it is the owner, and its followers
    apart: frozenset[str] = frozenset()  # those of them that must differ from the leading one
    link: Link | None = None
    siblings: str | None = None  # the reference to a parent in a tree, whose children are the groups
    position_offset: int = 0  # positions that earlier stages took: the rows of this one go on behind them

    @property
    def core_space(self) -> int:
        space = 1
        for digit in self.core:
            space *= digit.radix
        return space

    @property
    def petal_space(self) -> int:
        """How many rows of a group differ at most."""
        return min((prod(digit.radix for digit in petal) for petal in self.petals), default=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Precomputed:
    """Rules and references that no arithmetic lays out: choices are worked out beforehand for all rows (see tabled.py).

    `relations` are in the order in which they are chosen: of two that share a column the first one brings it.
    """

    rules: tuple[Unique, ...]
    relations: tuple[str, ...]
    fields: tuple[Digit, ...]
    bits: Bits
    because: str
    beside: frozenset[str] = frozenset()  # the rules that hold beside rows of earlier stages as well
    checks: tuple[tuple[Check, Expression], ...] = ()  # that read nothing but what is worked out, and numbers that count up
    conditions: tuple[tuple[Unique, Expression], ...] = ()  # the rows that rules over some of them are about
    demanded: tuple[Expression, ...] = ()  # conditions that references ask of some rows: each of the first in turn

    @property
    def bytes_a_row(self) -> int:
        return 8 * (len(self.relations) + len(self.fields) + len(self.rules))


def used_digits(petal: Sequence[Digit], most: int) -> tuple[tuple[Digit, ...], tuple[Digit, ...]]:
    """The widest digits whose product covers `most` rows with some slack, and the others, which are free."""
    used: list[Digit] = []
    for digit in sorted(petal, key=lambda digit: -digit.radix):
        space = prod(d.radix for d in used)
        if used and (space >= SLACK * most or space * digit.radix > WIDEST):
            break
        used.append(digit)
    return tuple(used), tuple(digit for digit in petal if digit not in used)
