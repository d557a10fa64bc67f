"""Targets that the layout of rows and unique rules settles: by owner, by digit, by combination."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model import EVEN, Entity, Favour
from ...randomness import Bits, ContiguousSplit, PopularitySplit
from ...randomness.pairs import pair_at
from ..agreement import CandidateFilter
from ..child_blocks import of_owners
from ..ports import Ordinals, RowsPort
from .way import Blocks, FavouringWay, ReferenceWay


# settled by the layout of rows
@dataclass(frozen=True, slots=True)
class ByOwner(ReferenceWay):
    """The owner of the rows, which lie in its order behind `first` fixed ones."""

    split: ContiguousSplit
    first: int

    @property
    def finds_children(self) -> bool:
        return True

    def explained(self, entity: Entity) -> str:
        return "the owner of these rows"

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

    def explained(self, entity: Entity) -> str:
        return "worked out beforehand with the rules it takes part in"

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.runtime.choices(rows.name).targets[self.name][rows.ordinals]


@dataclass(frozen=True, slots=True)
class Nowhere(ReferenceWay):
    """To no row: `target` has none, or none but that of `other`; both None where it is impossible, which is a problem."""

    target: str | None = None
    other: str | None = None

    def explained(self, entity: Entity) -> str:
        if self.target is None:
            return "impossible"
        return f"{self.target} has no rows" if self.other is None else f"{self.target} has no row but that of {self.other}"

    def targets(self, rows: RowsPort) -> Ordinals:
        return np.full(len(rows), -1, np.int64)


@dataclass(frozen=True, slots=True)
class Combination(ReferenceWay):
    """The rank among the owner's rows counts through the targets, `stride` ranks for each."""

    stride: int
    total: int

    def explained(self, entity: Entity) -> str:
        return "each with each"

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.owners()[1] // self.stride % self.total


@dataclass(frozen=True, slots=True)
class CombinationApart(ReferenceWay):
    """The rank is the distance from another reference, from which this one must differ."""

    other: str
    total: int

    def explained(self, entity: Entity) -> str:
        return f"each but the {self.other}"

    def targets(self, rows: RowsPort) -> Ordinals:
        return (rows.targets(self.other) + 1 + rows.owners()[1]) % self.total


@dataclass(frozen=True, slots=True)
class CombinationOfMembers(ReferenceWay):
    """The rank among the owner's rows counts through the members that agree with the owner."""

    name: str
    apart: bool
    candidates: CandidateFilter

    def explained(self, entity: Entity) -> str:
        return f"each {self.candidates.explained(entity)[4:]}"

    def targets(self, rows: RowsPort) -> Ordinals:
        members = rows.runtime.members(rows.name, self.name)
        owner, rank, _ = rows.owners()
        low, high, _ = members.span(members.starting(owner), rows.ordinals)
        if self.apart:
            rank = (members.rank(owner, low, high) + 1 + rank) % np.maximum(high - low, 1)
        return members.at(low + rank)


# digits of a unique rule
@dataclass(frozen=True, slots=True)
class ByDigit(ReferenceWay):
    """A digit of component `number`, which differs in each row of the rule. With `beside`, the distance from that reference."""

    number: int
    name: str
    beside: str | None = None
    total: int = 0

    def explained(self, entity: Entity) -> str:
        return "different in each row of its unique rule"

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

    def explained(self, entity: Entity) -> str:
        return "different in each row of its unique rule"

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
    """Two digits of a rule are the position of an unordered pair, whose lower key one reference takes and the other the higher.

    Where both may be the same, the pairs are those of one thing more: the higher one moved down by one.
    """

    number: int
    pair: Ordered
    upper: bool

    def explained(self, entity: Entity) -> str:
        return "each pair once, in the order of their keys"

    def targets(self, rows: RowsPort) -> Ordinals:
        pair = self.pair
        relation = rows.runtime.world.entity(rows.name).relation(pair.high)
        things = rows.runtime.total(relation.target) + (not pair.strict)

        def both_ends() -> tuple[Ordinals, Ordinals]:
            return pair_at(rows.digit(self.number, pair.low), rows.digit(self.number, pair.high), things)

        below, above = rows.once(("pair", pair.low, pair.high), both_ends)
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

    def explained(self, entity: Entity) -> str:
        agreeing = self.candidates.explained(entity) if self.candidates is not None else "any"
        return f"{agreeing}, different in each row of its unique rule"

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.digit(self.number, self.name).astype(np.int64)


@dataclass(frozen=True, slots=True)
class Linked(FavouringWay):
    """An end of a link, each pair once; `split` where its rows are dealt to this end first."""

    number: int
    name: str
    taking: Favour
    split: PopularitySplit | None

    @property
    def finds_children(self) -> bool:
        return self.split is not None

    def explained(self, entity: Entity) -> str:
        share = "evenly" if self.taking == EVEN else f"{self.taking.few:.0%} of them take about {self.taking.take:.0%}"
        return f"any, each pair once; {share}"

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.digit(self.number, self.name).astype(np.int64)

    def children(self, ordinal: int) -> list[int]:
        return self.split.children_of(ordinal) if self.split is not None else ReferenceWay.children(self, ordinal)
