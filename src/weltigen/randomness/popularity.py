"""Children that pick their owner by popularity: owners and children find each other by arithmetic, in no order.

The number of owners that have each count is fixed first; which owners those are, and which children, two bijections say.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bijection import shuffle, shuffle_one, unshuffle, unshuffle_one
from .boundaries import Boundaries
from .count_tables import counts
from .keys import Key
from .quantiles import STEPS
from .quota import quota, reached

Ints = NDArray[np.int64]


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
    each, number = reached(dict(zip(values.tolist(), quota(owners, times).tolist(), strict=True)), children, least, most)
    return number, each


@lru_cache(maxsize=256)
def popularity(few: float, take: float, owners: int, classes: int = 24) -> list[tuple[float, float]]:
    """Shares for `PopularitySplit`: of `few` of the owners that take `take` of the children, and of the rest.

    Popularity falls off as a power of the rank, u^-s, whose exponent is the one with which `few` take `take`:
    the first u of the owners take u^(1-s), so 1 - s = log(take) / log(few). Classes are whole owners, however few there are.
    """
    if few >= 1 or take >= 1 or take <= few or few <= 0:
        return [(1.0, 1.0)]
    exponent = float(f"{np.log(take) / np.log(few):.12g}")
    ends = {max(1, round((step / classes) ** 2 * owners)) for step in range(1, classes + 1)}  # finer where few take many
    edges = [0.0, *(end / owners for end in sorted(ends))]
    taken = [float(f"{edge**exponent:.12g}") if edge else 0.0 for edge in edges]
    shares = [(edges[i + 1] - edges[i], taken[i + 1] - taken[i]) for i in range(len(ends))]
    return shares[::-1]


def from_counts(table: Ints) -> list[tuple[float, float]]:
    """Shares for `ByClass` out of a table of counts of equal weight."""
    values, times = np.unique(table, return_counts=True)
    total = max(1, int((values * times).sum()))
    return [(int(t) / STEPS, int(v * t) / total) for v, t in zip(values.tolist(), times.tolist(), strict=True)]
