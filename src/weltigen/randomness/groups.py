"""Owners in groups, each with its own numbers of children; children pick their owner by arithmetic, in no order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bijection import shuffle, unshuffle
from .keys import Key
from .popularity import PopularitySplit
from .subsets import ExactSubset

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupSplit:
    """Owners are dealt to positions; `segments` of these belong to groups, and each group shares out its part of the children.

    Owners and children are shuffled here, so the splits go by the order of their classes.

    `first`, `size`, `group` and `within` describe the segments, in the order of their positions: where one begins, how long it
    is, whose it is, and how many owners of its group come before it. A group without children has no split.
    """

    subset: ExactSubset
    children: int
    key: Key
    splits: tuple[PopularitySplit | None, ...]
    before: Ints  # children before each group's
    first: Ints
    size: Ints
    group: Ints
    within: Ints

    @classmethod
    def build(
        cls, dealt: ExactSubset, spans: Sequence[tuple[int, int]], splits: Sequence[PopularitySplit | None], key: Key
    ) -> GroupSplit:
        """`spans` are the positions of all groups but the last, `splits` those of all: the last group has every other one."""
        ends = dealt.of + dealt.fixed
        segments: list[tuple[int, int, int]] = []
        at = 0
        for number, (start, rows) in sorted(enumerate(spans), key=lambda pair: pair[1][0]):
            if start > at:
                segments.append((at, start - at, len(spans)))
            segments.append((start, rows, number))
            at = start + rows
        if at < ends:
            segments.append((at, ends - at, len(spans)))
        segments = [segment for segment in segments if segment[1]]
        within, held = [], [0] * (len(spans) + 1)
        for _, rows, group in segments:
            within.append(held[group])
            held[group] += rows
        numbers = np.array([split.children if split is not None else 0 for split in splits], np.int64)
        first, size, group_of = (np.array(column, np.int64) for column in zip(*segments, strict=True))
        return cls(
            subset=dealt, children=int(numbers.sum()), key=key, splits=tuple(splits), before=np.cumsum(numbers) - numbers,
            first=first, size=size, group=group_of, within=np.array(within, np.int64),
        )  # fmt: skip

    @property
    def highest(self) -> int:
        """The most children that any owner has."""
        return max((split.highest for split in self.splits if split is not None), default=0)

    def owner_of(self, children: NDArray[Any]) -> Ints:
        """The owner of each child."""
        at = shuffle(children, self.children, self.key).astype(np.int64)
        positions = np.zeros(at.size, np.int64)
        for number, split, own in self._own(at):
            local = split.rank_at(at[own] - self.before[number])
            which = np.flatnonzero(self.group == number)
            if which.size > 1:
                which = which[np.searchsorted(self.within[which], local, side="right") - 1]
            positions[own] = local + (self.first - self.within)[which]
        return self.subset.at(positions)

    def _own(self, at: Ints) -> list[tuple[int, PopularitySplit, Ints]]:
        """The groups that some children in the order of groups belong to, and which ones do."""
        parts = []
        for number, split in enumerate(self.splits):
            if split is not None:
                low = self.before[number]
                own = np.flatnonzero((at >= low) & (at < low + split.children))
                parts += [(number, split, own)] if own.size else []
        return parts

    def spans_of(self, owners: NDArray[Any]) -> tuple[Ints, Ints]:
        """Where the children of each of `owners` begin, in the order of the groups, and how many they are."""
        position = self.subset.positions(owners)
        which = np.searchsorted(self.first, position, side="right") - 1
        local, group = position - self.first[which] + self.within[which], self.group[which]
        starts, counts = np.zeros(position.size, np.int64), np.zeros(position.size, np.int64)
        for number, split in enumerate(self.splits):
            own = np.flatnonzero(group == number)
            if split is not None and own.size:
                start, count = split.spans_of_ranks(local[own])
                starts[own], counts[own] = start + self.before[number], count
        return starts, counts

    def children_at(self, positions: NDArray[Any]) -> Ints:
        """The children at some positions in the order of the groups."""
        return unshuffle(np.asarray(positions, np.int64), self.children, self.key).astype(np.int64)

    def children_of(self, owner: int) -> list[int]:
        """The children of one owner, rising."""
        start, count = self.spans_of(np.array([owner]))
        return sorted(self.children_at(int(start[0]) + np.arange(int(count[0]))).tolist()) if count[0] else []
