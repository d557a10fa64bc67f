"""Children in their owner's order: which owner a child has, and which children an owner has, without a table of rows."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from .deals import OWNERS_A_BLOCK, CountDeal
from .keys import Key
from .ordinals import in_line
from .subsets import ExactSubset

_PASS = 1 << 18  # owners counted at a time while an index is made

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class ContiguousSplit(ABC):
    """Children are contiguous by owner. Each owner's count is a cell; a subclass says what comes before each 256 of them."""

    owners: int

    @property
    @abstractmethod
    def children(self) -> int:
        """How many children there are."""

    @property
    @abstractmethod
    def least(self) -> int:
        """The fewest children that any owner may have."""

    @property
    @abstractmethod
    def most(self) -> int:
        """The most children that any owner may have."""

    @abstractmethod
    def counts(self, owners: NDArray[Any]) -> Ints:
        """How many children each of `owners` has; what comes after the last owner may be anything."""

    @abstractmethod
    def children_before(self, blocks: Ints) -> Ints:
        """The children of all owners before each of `blocks`."""

    @abstractmethod
    def block_of(self, children: Ints) -> Ints:
        """The block of each child's owner."""

    def count_one(self, owner: int) -> int:
        return int(self.counts(np.array([owner]))[0])

    def before_one(self, block: int) -> int:
        return int(self.children_before(np.array([block]))[0])

    def block_of_one(self, child: int) -> int:
        return int(self.block_of(np.array([child]))[0])

    def starts(self, owners: NDArray[Any]) -> Ints:
        """The first child of each of `owners`, or where it would be."""
        owners = np.asarray(owners, np.int64)
        if (dense := _dense(owners)) is not None:
            first = dense - dense % OWNERS_A_BLOCK
            counts = self.counts(np.arange(first, int(owners.max()) + 1))
            ends = np.cumsum(counts)
            before = int(self.children_before(np.array([first // OWNERS_A_BLOCK]))[0])
            return np.asarray((ends - counts + before)[owners - first], np.int64)
        own = owners // OWNERS_A_BLOCK
        blocks = np.unique(own)
        counts = self.counts(blocks[:, None] * OWNERS_A_BLOCK + np.arange(OWNERS_A_BLOCK))
        first_of = np.cumsum(counts, axis=1) - counts + self.children_before(blocks)[:, None]
        return np.asarray(first_of[np.searchsorted(blocks, own), owners - own * OWNERS_A_BLOCK], np.int64)

    def locate(self, children: NDArray[Any]) -> tuple[Ints, Ints, Ints]:
        """For each child: its owner, its rank among the owner's children, and how many those are."""
        children = np.asarray(children, np.int64)
        if (dense := _dense(children)) is not None:
            owner, rank, count = self.locate(np.arange(dense, int(children.max()) + 1))
            at = children - dense
            return owner[at], rank[at], count[at]
        blocks = self._blocks(children)
        owners = (blocks[:, None] * OWNERS_A_BLOCK + np.arange(OWNERS_A_BLOCK)).astype(np.int64)
        counts = self.counts(owners)
        counts[owners >= self.owners] = 0
        ends = np.cumsum(counts, axis=1) + self.children_before(blocks)[:, None]
        # blocks rise, so their rows laid end to end rise too, and one search serves all of them
        flat_ends, flat_counts = ends.reshape(-1), counts.reshape(-1)
        if children.size > 1 and in_line(children):
            return _spread(children, owners.reshape(-1), flat_ends, flat_counts)
        at = np.searchsorted(flat_ends, children, side="right")
        count = flat_counts[at]
        return owners.reshape(-1)[at], children - (flat_ends[at] - count), count

    def _blocks(self, children: Ints) -> Ints:
        if children.size > 1 and in_line(children):
            ends = self.block_of(children[[0, -1]])
            return np.arange(ends[0], ends[1] + 1)
        return np.unique(self.block_of(children))

    def locate_one(self, child: int) -> tuple[int, int, int]:
        """`locate` for one child: the block's counts are one short array."""
        block = self.block_of_one(child)
        first = block * OWNERS_A_BLOCK
        counts = self.counts(np.arange(first, min(self.owners, first + OWNERS_A_BLOCK)))
        ends = np.cumsum(counts) + self.before_one(block)
        at = int(np.searchsorted(ends, child, side="right"))
        count = int(counts[at])
        return first + at, child - (int(ends[at]) - count), count

    def children_of(self, owner: int) -> range:
        """The children of one owner."""
        block = owner // OWNERS_A_BLOCK
        earlier = np.arange(block * OWNERS_A_BLOCK, owner)
        start = self.before_one(block) + int(self.counts(earlier).sum())
        return range(start, start + self.count_one(owner))


@dataclass(frozen=True, slots=True, kw_only=True)
class DealtSplit(ContiguousSplit):
    """All owners share one table of counts: nothing grows with their number."""

    deal: CountDeal

    @property
    def children(self) -> int:
        return self.deal.children

    @property
    def least(self) -> int:
        return self.deal.least

    @property
    def most(self) -> int:
        return self.deal.most

    def counts(self, owners: NDArray[Any]) -> Ints:
        return self.deal.counts(owners)

    def count_one(self, owner: int) -> int:
        return self.deal.count_one(owner)

    def before_one(self, block: int) -> int:
        return self.deal.before_one(block)

    def block_of_one(self, child: int) -> int:
        return self.deal.block_of_one(child)

    def children_before(self, blocks: Ints) -> Ints:
        return self.deal.children_before(blocks)

    def block_of(self, children: Ints) -> Ints:
        return self.deal.block_of(children)


@dataclass(frozen=True, slots=True, kw_only=True)
class SummedSplit(ContiguousSplit):
    """Counts that no arithmetic adds up. `index` holds the children before each block of owners and, last, all of them: 8 bytes
    for 256 owners."""

    index: Ints

    def indexed(self) -> Self:
        """The same with its index: the owners' counts, added up block by block."""
        blocks = -(-self.owners // OWNERS_A_BLOCK)
        sums = np.zeros(blocks + 1, np.int64)
        for start in range(0, self.owners, _PASS):
            counts = self.counts(np.arange(start, min(self.owners, start + _PASS)))
            first = start // OWNERS_A_BLOCK
            part = np.add.reduceat(counts, np.arange(0, counts.size, OWNERS_A_BLOCK))
            sums[first + 1 : first + 1 + part.size] = part
        return replace(self, index=np.cumsum(sums))

    @property
    def children(self) -> int:
        return int(self.index[-1])

    def children_before(self, blocks: Ints) -> Ints:
        return self.index[blocks]

    def block_of(self, children: Ints) -> Ints:
        return np.asarray(np.searchsorted(self.index, children, side="right") - 1, np.int64)


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupedSplit(SummedSplit):
    """Some of the owners have tables of their own, or there are `caps`, the most of each owner (8 bytes for each).

    `subset` deals owners to positions; group g has those from `firsts[g]` to `ends[g]`, and counts by the g-th deal; the last
    deal is of all others.
    """

    deals: tuple[CountDeal, ...]
    firsts: tuple[int, ...] = ()
    ends: tuple[int, ...] = ()
    subset: ExactSubset | None = None
    caps: Ints | None = None

    def counts(self, owners: NDArray[Any]) -> Ints:
        if self.subset is None:
            counts = self.deals[-1].counts(owners)
        else:
            flat = np.minimum(owners.reshape(-1), max(0, self.owners - 1))
            counts = self._by_position(self.subset.positions(flat)).reshape(owners.shape)
        return counts if self.caps is None else np.minimum(counts, self.caps.take(owners, mode="clip"))

    def _by_position(self, positions: Ints) -> Ints:
        out, others, before = (
            np.zeros(positions.size, np.int64),
            np.ones(positions.size, bool),
            np.zeros(positions.size, np.int64),
        )
        for first, end, deal in zip(self.firsts, self.ends, self.deals, strict=False):
            own = (positions >= first) & (positions < end)
            out[own] = deal.counts(positions[own] - first)
            others &= ~own
            before += np.where(positions >= end, end - first, 0)
        out[others] = self.deals[-1].counts((positions - before)[others])
        return out

    @property
    def least(self) -> int:
        least = min((deal.least for deal in self.deals if deal.owners), default=0)
        return least if self.caps is None else min(least, int(self.caps.min(initial=least)))

    @property
    def most(self) -> int:
        return max((deal.most for deal in self.deals if deal.owners), default=0)


def contiguous(
    owners: int, table: Ints, key: Key, caps: Ints | None = None, special: Sequence[tuple[ExactSubset, Ints]] = ()
) -> ContiguousSplit:
    """Children by owner, whose counts come from `table`: STEPS counts of equal weight. `caps`: the most of each owner.

    `special`: owners with tables of their own; all of them are dealt by one bijection, to different positions.
    """
    groups = [(subset, counts) for subset, counts in special if subset.rows]
    left = owners - sum(subset.rows for subset, _ in groups)
    deals = [CountDeal.build(subset.rows, counts, key) for subset, counts in groups]
    deals.append(CountDeal.build(left, table, key))
    if not groups and caps is None:
        return DealtSplit(owners=owners, deal=deals[-1])
    return GroupedSplit(
        owners=owners, index=np.zeros(1, np.int64), deals=tuple(deals), caps=caps,
        firsts=tuple(subset.first for subset, _ in groups), ends=tuple(subset.first + subset.rows for subset, _ in groups),
        subset=groups[0][0] if groups else None,
    ).indexed()  # fmt: skip


def _dense(ordinals: Ints) -> int | None:
    """The least of many ordinals that fill their range, though out of order or repeated: then the range is worked out whole."""
    if ordinals.size < 64 or in_line(ordinals):
        return None
    low, high = int(ordinals.min()), int(ordinals.max())
    return low if high - low < 2 * ordinals.size else None


def _spread(children: Ints, owners: Ints, ends: Ints, counts: Ints) -> tuple[Ints, Ints, Ints]:
    """`locate` for children that follow each other: each owner's line is repeated, and no child is searched for."""
    if counts.size > 4 * children.size:  # most owners have none
        some = np.flatnonzero(counts)
        owners, ends, counts = owners[some], ends[some], counts[some]
    low, high = np.searchsorted(ends, children[[0, -1]], side="right")
    owners, ends, counts = owners[low : high + 1], ends[low : high + 1], counts[low : high + 1]
    here = np.minimum(ends, children[-1] + 1) - np.maximum(ends - counts, children[0])
    return np.repeat(owners, here), children - np.repeat(ends - counts, here), np.repeat(counts, here)
