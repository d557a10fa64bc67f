"""Targets that rows pick: any row, by popularity, by weight, as an ordered pair."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...model import EVEN, Entity, Favour, PerOwner
from ...model.phrases import about, listed
from ...randomness import Bits, GroupSplit, PopularitySplit
from ...randomness.quota import Dealt, choose
from ..child_blocks import in_blocks
from ..ports import Ordinals, RowsPort, redraw_key
from .laid_out import Ordered
from .way import Blocks, FavouringWay, ReferenceWay


# picks
@dataclass(frozen=True, slots=True)
class OrderedPick(FavouringWay):
    """Two rows are picked, and one reference goes to the lower key, the other to the higher; the same row where both may."""

    picks: PopularitySplit
    bits: Bits
    pair: Ordered
    upper: bool
    taking: Favour

    def explained(self, entity: Entity) -> str:
        side, other = ("higher", self.pair.low) if self.upper else ("lower", self.pair.high)
        return f"any, the {side} of two keys, of which {other} has the other"

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
    """Another reference's target moved on by 1 … total-1 rows: every target but that one, all equally likely."""

    bits: Bits
    other: str
    total: int

    def explained(self, entity: Entity) -> str:
        return f"any but {self.other}"

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
    dealt: Dealt | None = None  # of few rows each has its share to the row

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"weights"})

    def explained(self, entity: Entity) -> str:
        return f"by weight: {listed([f'{text} {weight:g}' for text, weight in self.shown])}"

    def targets(self, rows: RowsPort) -> Ordinals:
        if self.dealt is not None:
            return self.ordinals[self.dealt.choose(rows.ordinals)]
        return self.ordinals[choose(self.ends, self.bits.words(rows.ordinals))]


@dataclass(frozen=True, slots=True)
class Limited:
    """How many rows a row of the target has, where set in the world file: ends, the mean, and the share with none."""

    target: str
    least: int
    most: int
    mean: float
    none: float

    def __str__(self) -> str:
        none = f", {self.none:.0%} with none" if self.none else ""
        return f"{self.least} to {self.most} for each {self.target}, {about(self.mean)} on average{none}"


@dataclass(frozen=True, slots=True)
class Picked(ReferenceWay):
    """Any row of the target: by popularity, between `limits`, or a number for each row of some `cohorts` of the target."""

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

    def explained(self, entity: Entity) -> str:
        share = f"{self.taking.few:.0%} of them take {self.taking.take:.0%}"
        if self.cohorts:
            said = "; ".join(f"{count.amount()} for each row of {cohort}" for cohort, count in self.cohorts)
            return f"{said}; the others share what is left" + ("" if self.taking == EVEN else f", {share}")
        if self.limits is not None:
            return f"any; {self.limits}"
        return "any, evenly" if self.taking == EVEN else f"any; {share}"

    def targets(self, rows: RowsPort) -> Ordinals:
        return self.picks.owner_of(rows.ordinals)

    def children(self, ordinal: int) -> list[int]:
        return self.picks.children_of(ordinal)

    @property
    def finds_blocks(self) -> bool:
        return True

    def children_in_blocks(self, targets: Ordinals) -> Blocks:
        picks = self.picks
        return ((picks.children_at(positions), at) for positions, at in in_blocks(*picks.spans_of(targets), 0))
