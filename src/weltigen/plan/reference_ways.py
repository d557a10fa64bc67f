"""The ways in which rows find what they refer to.

Each way gives ordinals of the target for any rows, -1 for none, and says which wishes of the world file it satisfies and how the
rows that refer to a target are found again. What else it holds are the facts of how it came about; wording puts them into words.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..model import EVEN, Favour, PerOwner, Problem, Relation, Tree
from ..model.problems import ImpossibleError
from ..randomness import Bits, ContiguousSplit, GroupSplit, Levels, PopularitySplit
from ..randomness.pairs import pair_at
from ..randomness.quota import choose
from .agreement import Agreement, CandidateFilter
from .child_blocks import in_blocks, of_owners
from .ports import Ordinals, RowsPort, redraw_key

Blocks = Iterator[tuple[Ordinals, Ordinals]]  # rows that refer, with the places of the rows that they refer to


@dataclass(frozen=True, slots=True)
class ReferenceWay(ABC):
    """What passes and rows ask of any way; each way answers what differs."""

    @abstractmethod
    def targets(self, rows: RowsPort) -> Ordinals:
        """The row of the target for each of some rows; -1 for none."""

    @property
    def satisfied(self) -> frozenset[str]:
        """What the world file may ask of the choice, by its keys, and gets."""
        return frozenset()

    @property
    def favour(self) -> Favour | None:
        """Which share of the targets takes which share of the rows; None where rows do not pick freely."""
        return None

    @property
    def finds_children(self) -> bool:
        """Whether arithmetic knows which rows refer to a target."""
        return False

    def children(self, ordinal: int) -> list[int]:
        """The rows that may refer to a target, fixed rows aside; only where `finds_children`."""
        raise LookupError(f"{type(self).__name__} does not find children")

    @property
    def finds_blocks(self) -> bool:
        """Whether the same is known of many targets at once."""
        return False

    def children_in_blocks(self, targets: Ordinals) -> Blocks:
        """The rows that may refer to some targets, in any order; only where `finds_blocks`."""
        raise LookupError(f"{type(self).__name__} does not find children in blocks")


# settled by the layout of rows


@dataclass(frozen=True, slots=True)
class ByOwner(ReferenceWay):
    """The owner of the rows, which lie in its order behind `first` fixed ones."""

    split: ContiguousSplit
    first: int

    @property
    def finds_children(self) -> bool:
        return True

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.owners()[0]

    def children(self, ordinal: int) -> list[int]:
        return [self.first + at for at in self.split.children_of(ordinal)]

    @property
    def finds_blocks(self) -> bool:
        return True

    def children_in_blocks(self, targets: Ordinals) -> Blocks:
        return of_owners(self.split, targets, self.first)


@dataclass(frozen=True, slots=True)
class Precomputed(ReferenceWay):
    """Worked out beforehand for all rows, with the rules that the reference takes part in."""

    name: str

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.runtime.choices(rows.name).targets[self.name][rows.ordinals]


@dataclass(frozen=True, slots=True)
class Nowhere(ReferenceWay):
    """To no row: `target` has none, or none but that of `other`; both None where it is impossible, which is told as a problem."""

    target: str | None = None
    other: str | None = None

    def targets(self, rows: RowsPort) -> Ordinals:
        return np.full(len(rows), -1, np.int64)


@dataclass(frozen=True, slots=True)
class Combination(ReferenceWay):
    """The rank among the owner's rows counts through the targets, `stride` ranks for each."""

    stride: int
    total: int

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.owners()[1] // self.stride % self.total


@dataclass(frozen=True, slots=True)
class CombinationApart(ReferenceWay):
    """The rank is the distance from another reference, from which this one must differ."""

    other: str
    total: int

    def targets(self, rows: RowsPort) -> Ordinals:
        return (rows.targets(self.other) + 1 + rows.owners()[1]) % self.total


@dataclass(frozen=True, slots=True)
class CombinationOfMembers(ReferenceWay):
    """The rank among the owner's rows counts through the members that agree with the owner."""

    name: str
    apart: bool
    candidates: CandidateFilter

    def targets(self, rows: RowsPort) -> Ordinals:
        members = rows.runtime.members(rows.name, self.name)
        owner, rank, _ = rows.owners()
        low, high, _ = members.span(members.starting(owner), rows.ordinals)
        if self.apart:
            rank = (members.place(owner, low, high) + 1 + rank) % np.maximum(high - low, 1)
        return members.at(low + rank)


# digits of a unique rule


@dataclass(frozen=True, slots=True)
class ByDigit(ReferenceWay):
    """A digit of component `number`, which differs in each row of the rule. With `beside`, the distance from that reference."""

    number: int
    name: str
    beside: str | None = None
    total: int = 0

    def targets(self, rows: RowsPort) -> Ordinals:
        digit = rows.digit(self.number, self.name).astype(np.int64)
        return digit if self.beside is None else (rows.targets(self.beside) + 1 + digit) % self.total


@dataclass(frozen=True, slots=True)
class ThroughOwner(ReferenceWay):
    """The digit is the target's owner; the reference goes to any of the owner's rows."""

    number: int
    name: str
    split: ContiguousSplit
    bits: Bits

    def targets(self, rows: RowsPort) -> Ordinals:
        owners = rows.digit(self.number, self.name).astype(np.int64)
        counts = self.split.counts(owners).astype(np.uint64)
        return self.split.starts(owners) + self.bits.below(counts, rows.ordinals).astype(np.int64)


@dataclass(frozen=True, slots=True)
class Ordered:
    """Two references to one target, of which `high` goes to the greater key; with `strict` never to the same row."""

    low: str
    high: str
    strict: bool


@dataclass(frozen=True, slots=True)
class OrderedDigit(ReferenceWay):
    """Two digits of a rule are the place of an unordered pair, whose lower key one reference takes and the other the higher.

    Where both may be the same, the pairs are those of one thing more: the higher one moved down by one.
    """

    number: int
    pair: Ordered
    upper: bool

    def targets(self, rows: RowsPort) -> Ordinals:
        pair = self.pair
        relation = rows.runtime.world.entity(rows.name).relation(pair.high)
        things = rows.runtime.total(relation.target) + (not pair.strict)

        def places() -> tuple[Ordinals, Ordinals]:
            return pair_at(rows.digit(self.number, pair.low), rows.digit(self.number, pair.high), things)

        below, above = rows.once(("pair", pair.low, pair.high), places)
        rank = above - (not pair.strict) if self.upper else below
        order = rows.runtime.key_order(relation)
        return rank if order is None else order[rank]


@dataclass(frozen=True, slots=True)
class Stratum(ReferenceWay):
    """One of the rows that agree, different in each row of component `number`; `candidates` None: any may be referred to."""

    number: int
    name: str
    within_owner: bool
    candidates: CandidateFilter | None

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.digit(self.number, self.name).astype(np.int64)


@dataclass(frozen=True, slots=True)
class Linked(ReferenceWay):
    """An end of a link, each pair once; `split` where its rows are dealt to this end first."""

    number: int
    name: str
    taking: Favour
    split: PopularitySplit | None

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"favour"})

    @property
    def favour(self) -> Favour | None:
        return self.taking

    @property
    def finds_children(self) -> bool:
        return self.split is not None

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.digit(self.number, self.name).astype(np.int64)

    def children(self, ordinal: int) -> list[int]:
        return self.split.children_of(ordinal) if self.split is not None else ReferenceWay.children(self, ordinal)


# what other references bring


@dataclass(frozen=True, slots=True)
class Implied(ReferenceWay):
    """The row to which another reference leads."""

    agreement: Agreement

    def targets(self, rows: RowsPort) -> Ordinals:
        if self.agreement.leader is None:
            return rows.ordinals
        return rows.follow(self.agreement.leader, self.agreement.from_leader)


@dataclass(frozen=True, slots=True)
class Member(ReferenceWay):
    """One of the rows that agree with other references and keep the reference's condition."""

    bits: Bits
    name: str
    taking: Favour
    candidates: CandidateFilter

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"tree"} if self.candidates.tree else () if self.candidates.earlier else {"favour"})

    @property
    def favour(self) -> Favour | None:
        return None if self.candidates.earlier else self.taking

    def targets(self, rows: RowsPort) -> Ordinals:
        other = rows.targets(self.candidates.apart) if self.candidates.apart is not None else None
        members = rows.runtime.members(rows.name, self.name)
        return members.pick(self.bits.words(rows.ordinals), rows.follow, rows.ordinals, self.taking, other)


@dataclass(frozen=True, slots=True)
class OfCohort(ReferenceWay):
    """One of the rows that a cohort of the rows may refer to; ImpossibleError where there is none."""

    bits: Bits
    relation: Relation
    candidates: CandidateFilter
    taking: Favour
    cohort: str

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"favour"})

    @property
    def favour(self) -> Favour | None:
        return self.taking

    def targets(self, rows: RowsPort) -> Ordinals:
        relation, where = self.relation, self.candidates.where
        members = rows.runtime.members_of_cohort(rows.name, relation, self.candidates, self.cohort)
        if members.empty:
            assert where is not None
            asked = f"refer to a {relation.target} where {where.expression}"
            raise ImpossibleError(Problem(
                fact=f"{relation.label} of the cohort {self.cohort} is to {asked}, but there is none", place=where.place,
                hint=f"give {relation.target} a fixed row that is so, or weights by which some rows are",
            ))  # fmt: skip
        return members.pick(self.bits.words(rows.ordinals), rows.follow, rows.ordinals, self.taking)


# rows of the entity itself: a row without a parent refers to none, or to itself where it must refer to something


@dataclass(frozen=True, slots=True)
class Itself(ReferenceWay):
    """Each row to itself: a reference that must be there, and of which no two may go to one row, leaves nothing else."""

    @property
    def finds_children(self) -> bool:
        return True

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.ordinals

    def children(self, ordinal: int) -> list[int]:
        return [ordinal]


@dataclass(frozen=True, slots=True)
class RowBefore(ReferenceWay):
    """The row before this one: a chain, whose first row refers to none."""

    total: int

    @property
    def finds_children(self) -> bool:
        return True

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.ordinals - 1

    def children(self, ordinal: int) -> list[int]:
        return [ordinal + 1] if ordinal + 1 < self.total else []


@dataclass(frozen=True, slots=True)
class EarlierRow(ReferenceWay):
    """A row before this one, so that nothing is its own ancestor; not that to which `apart` points."""

    bits: Bits
    optional: bool
    apart: str | None

    def targets(self, rows: RowsPort) -> Ordinals:
        count = rows.ordinals
        if self.apart is not None:
            other = rows.targets(self.apart)
            passed = (other >= 0) & (other < rows.ordinals)
            count = count - passed
        before = self.bits.below(np.maximum(count, 1).astype(np.uint64), rows.ordinals).astype(np.int64)
        if self.apart is not None:
            before = before + (passed & (before >= other))
        return np.where(count == 0, -1 if self.optional else 0, before)


@dataclass(frozen=True, slots=True)
class InTree(ReferenceWay):
    """The row's parent in a tree that has levels."""

    levels: Levels
    optional: bool
    tree: Tree

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"tree"})

    @property
    def finds_children(self) -> bool:
        return True

    def targets(self, rows: RowsPort) -> Ordinals:
        parents = self.levels.parents(rows.ordinals)
        return parents if self.optional else np.where(parents < 0, rows.ordinals, parents)

    def children(self, ordinal: int) -> list[int]:
        return [ordinal, *self.levels.children_of(ordinal)]


# picks


@dataclass(frozen=True, slots=True)
class OrderedPick(ReferenceWay):
    """Two rows are picked, and one reference goes to the lower key, the other to the higher; the same row where both may."""

    picks: PopularitySplit
    bits: Bits
    pair: Ordered
    upper: bool
    taking: Favour

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"favour"})

    @property
    def favour(self) -> Favour | None:
        return self.taking

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.once(("pair", self.pair.low, self.pair.high), lambda: self._both(rows))[self.upper]

    def _both(self, rows: RowsPort) -> tuple[Ordinals, Ordinals]:
        strict, bits = self.pair.strict, self.bits
        relation = rows.runtime.world.entity(rows.name).relation(self.pair.high)
        total = rows.runtime.total(relation.target)
        if rows.attempt and redraw_key(self.pair.low) in rows.redrawn:  # a check failed: another pair, any as likely
            bits = Bits(bits.seed, bits.entity, bits.field, bits.purpose, rows.attempt)
            one = bits.for_purpose("again").below(total, rows.ordinals).astype(np.int64)
        else:
            one = self.picks.owner_of(rows.ordinals)
        further = bits.below(total - strict, rows.ordinals).astype(np.int64) + strict
        two = (one + further) % total
        rank = rows.runtime.key_rank(relation)
        if rank is None:
            return np.minimum(one, two), np.maximum(one, two)
        turned = rank[one] > rank[two]
        return np.where(turned, two, one), np.where(turned, one, two)


@dataclass(frozen=True, slots=True)
class Unlike(ReferenceWay):
    """Another reference's target moved on by 1 … total-1 places: every target but that one, all equally likely."""

    bits: Bits
    other: str
    total: int

    def targets(self, rows: RowsPort) -> Ordinals:
        moved = self.bits.below(max(1, self.total - 1), rows.ordinals).astype(np.int64) + 1
        return (np.maximum(rows.targets(self.other), 0) + moved) % self.total


@dataclass(frozen=True, slots=True)
class Weighted(ReferenceWay):
    """One of some rows, each as often as its weight says; `shown` pairs what these rows are called with their weights."""

    bits: Bits
    ordinals: Ordinals
    ends: NDArray[np.uint64]
    shown: tuple[tuple[str, float], ...]

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"weights"})

    def targets(self, rows: RowsPort) -> Ordinals:
        return self.ordinals[choose(self.ends, self.bits.words(rows.ordinals))]


@dataclass(frozen=True, slots=True)
class Limited:
    """How many rows a row of the target has, where the world file says so: ends, the mean, and the share with none."""

    target: str
    least: int
    most: int
    mean: float
    none: float


@dataclass(frozen=True, slots=True)
class Picked(ReferenceWay):
    """Any row of the target: by popularity, between `limits`, or so many for each of some `cohorts` of the target."""

    picks: PopularitySplit | GroupSplit
    taking: Favour = EVEN
    limits: Limited | None = None
    cohorts: tuple[tuple[str, PerOwner], ...] = field(default=())

    @property
    def satisfied(self) -> frozenset[str]:
        if self.cohorts:
            return frozenset({"favour", "children", "rows"})
        return frozenset({"rows"} if self.limits is not None else {"favour"})

    @property
    def favour(self) -> Favour | None:
        return None if self.limits is not None else self.taking

    @property
    def finds_children(self) -> bool:
        return True

    def targets(self, rows: RowsPort) -> Ordinals:
        return self.picks.owner_of(rows.ordinals)

    def children(self, ordinal: int) -> list[int]:
        return self.picks.children_of(ordinal)

    @property
    def finds_blocks(self) -> bool:
        return True

    def children_in_blocks(self, targets: Ordinals) -> Blocks:
        picks = self.picks
        return ((picks.children_at(places), at) for places, at in in_blocks(*picks.places(targets), 0))
