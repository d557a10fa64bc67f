"""The rows that refer to some rows, in blocks: ranges of ordinals with the index of the row that each refers to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ..randomness import ContiguousSplit
from ..randomness.ordinals import in_line
from .ports import Ordinals

BLOCK = 1 << 18  # children worked out at a time


def of_owners(split: ContiguousSplit, owners: Ordinals, first: int) -> Iterator[tuple[Ordinals, Ordinals]]:
    """The children of each of some owners, in blocks with the index of its owner; those of owners in a row are in a row too."""
    if in_line(owners):
        yield from ((block.ordinals, block.at) for block in of_owners_in_line(split, owners, first))
    else:
        yield from in_blocks(split.starts(owners), split.counts(owners), first)


@dataclass(frozen=True, slots=True)
class ChildBlock:
    """Children in a row, each with the index of its owner; for each owner the first child's ordinal, and how many it has."""

    ordinals: Ordinals
    at: Ordinals
    starts: Ordinals
    counts: Ordinals

    def ranks(self) -> tuple[Ordinals, Ordinals]:
        """Each child's rank among its owner's children, and how many those are."""
        return self.ordinals - self.starts[self.at], self.counts[self.at]


def of_owners_in_line(split: ContiguousSplit, owners: Ordinals, first: int) -> Iterator[ChildBlock]:
    """The children of owners that follow each other; `first` is added to their ordinals."""
    counts = split.counts(owners)
    starts = int(split.starts(owners[:1])[0]) + first + np.cumsum(counts) - counts
    at = np.repeat(np.arange(owners.size), counts)
    for low in range(0, at.size, BLOCK):
        high = min(at.size, low + BLOCK)
        yield ChildBlock(np.arange(starts[0] + low, starts[0] + high), at[low:high], starts, counts)


def in_blocks(starts: Ordinals, counts: Ordinals, first: int) -> Iterator[tuple[Ordinals, Ordinals]]:
    """Ranges of children, each from `starts` on, in blocks of whole ordinals with the index of their row; `first` is added."""
    ends = np.cumsum(counts)
    total = int(ends[-1]) if ends.size else 0
    for start in range(0, total, BLOCK):
        stop = min(total, start + BLOCK)
        low = int(np.searchsorted(ends, start, side="right"))
        high = int(np.searchsorted(ends, stop - 1, side="right"))
        span = slice(low, high + 1)
        here = np.minimum(ends[span], stop) - np.maximum(ends[span] - counts[span], start)
        at = np.repeat(np.arange(low, high + 1), here)
        yield np.arange(start, stop) - np.repeat(ends[span] - counts[span] - starts[span], here) + first, at
