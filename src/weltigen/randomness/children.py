"""Children and owners: which owner a child has, and which children an owner has, both without a table of rows.

Two layouts. In the owner's order, each owner's count is a cell of its own, and sums over blocks of owners are the index.
By class, the number of owners that have each count is fixed first, and owners and children find each other by
arithmetic alone.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from .bijection import shuffle, shuffle_one, unshuffle, unshuffle_one
from .boundaries import Boundaries
from .keys import Key
from .mixing import mix, word
from .quantiles import STEPS, counts
from .quota import quota
from .subsets import ExactSubset

OWNERS_A_BLOCK = 256
_TOP = np.uint64(52)
_PASS = 1 << 18  # owners counted at a time while the index is made

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class ContiguousSplit:
    """Children are contiguous by owner. `table` holds STEPS counts of equal weight; `index` the children before each
    block of owners and, last, all of them: 8 bytes for 256 owners. `caps`, if any, are the most of each owner: 8 bytes for
    each."""

    owners: int
    table: Ints
    key: Key
    index: Ints
    caps: Ints | None = None
    special: tuple[tuple[ExactSubset, Ints], ...] = ()

    @classmethod
    def build(
        cls, owners: int, table: Ints, key: Key, caps: Ints | None = None, special: tuple[tuple[ExactSubset, Ints], ...] = ()
    ) -> ContiguousSplit:
        """`special`: some of the owners have tables of their own."""
        bare = cls(owners=owners, table=table, key=key, index=np.zeros(1, np.int64), caps=caps, special=special)
        return bare.indexed()

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

    def counts(self, owners: NDArray[Any]) -> Ints:
        """How many children each of `owners` has."""
        at = (mix(self.key, owners) >> _TOP).astype(np.intp)
        counts = self.table[at]
        for dealt, table in self.special:
            counts = np.where(dealt.chosen(owners.reshape(-1)).reshape(owners.shape), table[at], counts)
        return counts if self.caps is None else np.minimum(counts, self.caps.take(owners, mode="clip"))

    @property
    def least(self) -> int:
        """The fewest children that any owner may have."""
        least = min(int(table.min()) for table in self._tables())
        return least if self.caps is None else min(least, int(self.caps.min(initial=least)))

    @property
    def most(self) -> int:
        """The most children that any owner may have."""
        return max(int(table.max()) for table in self._tables())

    def _tables(self) -> list[Ints]:
        return [self.table, *(table for _, table in self.special)]

    def starts(self, owners: NDArray[Any]) -> Ints:
        """The first child of each of `owners`, or where it would be."""
        owners = np.asarray(owners, np.int64)
        if (dense := _dense(owners)) is not None:
            first = dense - dense % OWNERS_A_BLOCK
            counts = self.counts(np.arange(first, int(owners.max()) + 1))
            ends = np.cumsum(counts)
            return np.asarray((ends - counts + self.index[first // OWNERS_A_BLOCK])[owners - first], np.int64)
        own = owners // OWNERS_A_BLOCK
        blocks = np.unique(own)
        every = blocks[:, None] * OWNERS_A_BLOCK + np.arange(OWNERS_A_BLOCK)
        counts = self.counts(every)
        before = np.cumsum(counts, axis=1) - counts + self.index[blocks][:, None]
        return np.asarray(before[np.searchsorted(blocks, own), owners - own * OWNERS_A_BLOCK], np.int64)

    def count_one(self, owner: int) -> int:
        if self.special:
            return int(self.counts(np.array([owner]))[0])
        count = int(self.table[word(self.key, owner) >> 52])
        return count if self.caps is None else min(count, int(self.caps[owner]))

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
        ends = np.cumsum(counts, axis=1) + self.index[blocks][:, None]
        # blocks rise, so their rows laid end to end rise too, and one search serves all of them
        flat_ends, flat_counts = ends.reshape(-1), counts.reshape(-1)
        if _contiguous(children):
            return _spread(children, owners.reshape(-1), flat_ends, flat_counts)
        at = np.searchsorted(flat_ends, children, side="right")
        count = flat_counts[at]
        return owners.reshape(-1)[at], children - (flat_ends[at] - count), count

    def _blocks(self, children: Ints) -> Ints:
        if _contiguous(children):
            ends = np.searchsorted(self.index, children[[0, -1]], side="right") - 1
            return np.arange(ends[0], ends[1] + 1)
        return np.unique(np.searchsorted(self.index, children, side="right") - 1)

    def locate_one(self, child: int) -> tuple[int, int, int]:
        """`locate` for one child: the block's counts are one short array."""
        block = int(np.searchsorted(self.index, child, side="right")) - 1
        first = block * OWNERS_A_BLOCK
        counts = self.counts(np.arange(first, min(self.owners, first + OWNERS_A_BLOCK)))
        ends = np.cumsum(counts) + self.index[block]
        at = int(np.searchsorted(ends, child, side="right"))
        count = int(counts[at])
        return first + at, child - (int(ends[at]) - count), count

    def children_of(self, owner: int) -> range:
        """The children of one owner."""
        block = owner // OWNERS_A_BLOCK
        earlier = np.arange(block * OWNERS_A_BLOCK, owner)
        start = int(self.index[block]) + int(self.counts(earlier).sum())
        return range(start, start + self.count_one(owner))


def _dense(ordinals: Ints) -> int | None:
    """The least of many ordinals that fill their range, though out of order or repeated: then the range is worked out whole."""
    if ordinals.size < 64 or _contiguous(ordinals):
        return None
    low, high = int(ordinals.min()), int(ordinals.max())
    return low if high - low < 2 * ordinals.size else None


def _contiguous(children: Ints) -> bool:
    size = children.size
    return size > 1 and int(children[-1]) - int(children[0]) == size - 1 and bool((children[1:] > children[:-1]).all())


def _spread(children: Ints, owners: Ints, ends: Ints, counts: Ints) -> tuple[Ints, Ints, Ints]:
    """`locate` for children that follow each other: each owner's line is repeated, and no child is searched for."""
    if counts.size > 4 * children.size:  # most owners have none
        some = np.flatnonzero(counts)
        owners, ends, counts = owners[some], ends[some], counts[some]
    low, high = np.searchsorted(ends, children[[0, -1]], side="right")
    owners, ends, counts = owners[low : high + 1], ends[low : high + 1], counts[low : high + 1]
    here = np.minimum(ends, children[-1] + 1) - np.maximum(ends - counts, children[0])
    return np.repeat(owners, here), children - np.repeat(ends - counts, here), np.repeat(counts, here)


@dataclass(frozen=True, slots=True, kw_only=True)
class PopularitySplit:
    """Owners are dealt to classes of equal count; children pick their owner by arithmetic, in no order.

    Parallel tuples: owners and children before each class, and the count of an owner in it. Constant memory.
    """

    owners: int
    children: int
    owners_before: Ints
    children_before: Ints
    size: Ints
    owner_key: Key
    child_key: Key
    classes: Boundaries

    @classmethod
    def build(
        cls, owners: int, children: int, shares: list[tuple[float, float]], owner_key: Key, child_key: Key
    ) -> PopularitySplit:
        """`shares` pairs a share of the owners with the share of the children they take, the most popular last.

        Whole numbers come by quota, and within a class owners differ by one child at most, so all children are placed.
        """
        owners_before, children_before, sizes, classes = _classes(owners, children, tuple(shares))
        return cls(
            owners=owners, children=children, size=sizes, owner_key=owner_key, child_key=child_key,
            owners_before=owners_before, children_before=children_before, classes=classes,
        )  # fmt: skip

    @classmethod
    def between(
        cls, owners: int, children: int, least: int, most: int, keys: tuple[Key, Key], none: float = 0.0
    ) -> PopularitySplit:
        """Every owner has `least` to `most` children, but for a share `none` that has none. ValueError where that cannot be."""
        empty = round(none * owners)
        others = owners - empty
        if not others * least <= children <= others * most:
            raise ValueError(f"{others:,} rows with {least} to {most} each make {others * least:,} to {others * most:,}")
        counts_of, sizes = _steps(others, children, least, most)
        if empty:
            counts_of, sizes = np.append(empty, counts_of), np.append(0, sizes)
        return cls(
            owners=owners, children=children, size=sizes, owner_key=keys[0], child_key=keys[1],
            owners_before=_before(counts_of), children_before=_before(counts_of * sizes),
            classes=Boundaries(np.cumsum(counts_of * sizes)),
        )  # fmt: skip

    @property
    def highest(self) -> int:
        """The most children that any owner has."""
        return int(self.size.max())

    def owner_of(self, children: NDArray[Any]) -> Ints:
        """The owner of each child."""
        at = shuffle(children, self.children, self.child_key).view(np.int64)
        if at.size == 1:
            return np.array([self._owner_at(int(at[0]))], np.int64)
        return unshuffle(self.rank_at(at), self.owners, self.owner_key).astype(np.int64)

    def rank_at(self, at: Ints) -> Ints:
        """Of children in the order of the classes, their owners in that order; `at` is used up."""
        which = self.classes.find(at)
        at -= self.children_before.take(which, mode="clip")
        size = self.size.take(which, mode="clip").astype(np.float64)
        # exact: a class has fewer than 2^53 children, and the quotient is floored half a child above the boundary
        rank = np.floor((at + 0.5) / size).astype(np.int64)
        rank += self.owners_before.take(which, mode="clip")
        return rank

    def locate(self, children: NDArray[Any]) -> tuple[Ints, Ints, Ints]:
        """For each child: its owner, its rank among the owner's children, and how many those are."""
        at = shuffle(children, self.children, self.child_key).astype(np.int64)
        which = np.searchsorted(self.children_before, at, side="right") - 1
        while (empty := self.size[which] == 0).any():  # classes without children begin where the next one does
            which = np.where(empty, which - 1, which)
        size = self.size[which]
        position = at - self.children_before[which]
        rank = position // size
        owner = unshuffle(rank + self.owners_before[which], self.owners, self.owner_key).astype(np.int64)
        return owner, position - rank * size, size

    def _owner_at(self, at: int) -> int:
        which = int(np.searchsorted(self.children_before, at, side="right")) - 1
        rank = (at - int(self.children_before[which])) // int(self.size[which])
        return unshuffle_one(rank + int(self.owners_before[which]), self.owners, self.owner_key)

    def children_of(self, owner: int) -> list[int]:
        """The children of one owner, rising."""
        at = shuffle_one(owner, self.owners, self.owner_key)
        which = int(np.searchsorted(self.owners_before, at, side="right")) - 1
        size = int(self.size[which])
        start = int(self.children_before[which]) + (at - int(self.owners_before[which])) * size
        if not size:
            return []
        return sorted(unshuffle(np.arange(start, start + size), self.children, self.child_key).astype(int).tolist())

    def spans_of(self, owners: NDArray[Any]) -> tuple[Ints, Ints]:
        """Where the children of each of `owners` begin, in the order of the classes, and how many they are."""
        return self.spans_of_ranks(shuffle(owners, self.owners, self.owner_key).astype(np.int64))

    def spans_of_ranks(self, at: Ints) -> tuple[Ints, Ints]:
        """The same for owners in the order of the classes."""
        which = np.searchsorted(self.owners_before, at, side="right") - 1
        size = self.size[which]
        return np.asarray(self.children_before[which] + (at - self.owners_before[which]) * size, np.int64), size

    def children_at(self, positions: NDArray[Any]) -> Ints:
        """The children at some positions in the order of the classes."""
        return unshuffle(positions, self.children, self.child_key).astype(np.int64)


@lru_cache(maxsize=512)
def _classes(owners: int, children: int, shares: tuple[tuple[float, float], ...]) -> tuple[Ints, Ints, Ints, Boundaries]:
    """Owners and children before each class, its count, and where it ends: the same for all relations of the same numbers."""
    in_class = quota(owners, [few for few, _ in shares])
    takes = [take if count else 0.0 for (_, take), count in zip(shares, in_class.tolist(), strict=True)]
    if not any(takes):  # so few owners that all of them fell to classes without children
        takes = [float(count) for count in in_class]
    taken = quota(children, takes)
    groups: list[tuple[int, int]] = []
    for count, total in zip(in_class.tolist(), taken.tolist(), strict=True):
        if not count:
            continue
        each, more = divmod(total, count)
        groups += [(count - more, each), (more, each + 1)]
    groups = [(count, each) for count, each in groups if count]
    counts_of = np.array([count for count, _ in groups], np.int64)
    sizes = np.array([each for _, each in groups], np.int64)
    return _before(counts_of), _before(counts_of * sizes), sizes, Boundaries(np.cumsum(counts_of * sizes))


def _before(numbers: Ints) -> Ints:
    return np.concatenate([[0], np.cumsum(numbers)[:-1]]).astype(np.int64)


def _steps(owners: int, children: int, least: int, most: int) -> tuple[Ints, Ints]:
    """How many owners have each count from `least` to `most`, so that together they have all children; and the counts."""
    if not owners:
        return np.zeros(1, np.int64), np.zeros(1, np.int64)
    wish = counts(min(max(children / owners, least), most), least, most, 0.0)
    values, times = np.unique(wish, return_counts=True)
    have = dict(zip(values.tolist(), quota(owners, times).tolist(), strict=True))
    missing = children - sum(count * each for each, count in have.items())
    step = 1 if missing > 0 else -1
    while missing:  # some owners of each count get one more, or one less, until the sum is right
        for each in sorted(have, reverse=step > 0):
            moved = min(have[each], abs(missing)) if least <= each + step <= most else 0
            have[each] -= moved
            have[each + step] = have.get(each + step, 0) + moved
            missing -= step * moved
    kept = [(each, count) for each, count in sorted(have.items()) if count]
    return np.array([count for _, count in kept], np.int64), np.array([each for each, _ in kept], np.int64)


@lru_cache(maxsize=256)
def popularity(few: float, take: float, classes: int = 24) -> list[tuple[float, float]]:
    """Shares for `ByClass`: of `few` of the owners that take `take` of the children, and of the rest.

    Popularity falls off as a power of the rank, u^-s, whose exponent is the one with which `few` take `take`:
    the first u of the owners take u^(1-s), so 1 - s = log(take) / log(few).
    """
    if few >= 1 or take >= 1 or take <= few or few <= 0:
        return [(1.0, 1.0)]
    exponent = float(f"{np.log(take) / np.log(few):.12g}")
    edges = [(step / classes) ** 2 for step in range(classes + 1)]  # finer where few owners take many
    taken = [float(f"{edge**exponent:.12g}") if edge else 0.0 for edge in edges]
    shares = [(edges[i + 1] - edges[i], taken[i + 1] - taken[i]) for i in range(classes)]
    return shares[::-1]


def from_counts(table: Ints) -> list[tuple[float, float]]:
    """Shares for `ByClass` out of a table of counts of equal weight."""
    values, times = np.unique(table, return_counts=True)
    total = max(1, int((values * times).sum()))
    return [(int(t) / STEPS, int(v * t) / total) for v, t in zip(values.tolist(), times.tolist(), strict=True)]
