"""Levels of a forest: roots first, then their children, and so on; parents and children find each other by arithmetic."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bits import Bits
from .popularity import PopularitySplit, popularity

Ints = NDArray[np.int64]
_USUAL_RATIO = 4.0  # rows of a level to one of the level above, where nothing says how deep a forest is


@dataclass(frozen=True, slots=True, kw_only=True)
class Levels:
    """`starts` holds the first row of each level and, last, the number of rows; `splits` deal each level to the one above."""

    starts: Ints
    splits: tuple[PopularitySplit, ...]

    @classmethod
    def build(cls, rows: int, roots: int, depth: int | None, most: int | None, bits: Bits) -> Levels:
        """ValueError where the rows do not fit in `depth` levels with at most `most` children each."""
        sizes = level_sizes(rows, roots, depth, most)
        splits = []
        for number, (above, size) in enumerate(pairwise(sizes)):
            parents, children = (bits.for_purpose(f"{what} of level {number}").key for what in ("parents", "children"))
            if most is not None:
                splits.append(PopularitySplit.between(above, size, 0, most, (parents, children)))
            else:
                splits.append(PopularitySplit.build(above, size, popularity(0.2, 0.5, above), parents, children))
        return cls(starts=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64), splits=tuple(splits))

    @property
    def most_children(self) -> int:
        """The most children that any row has."""
        return max((split.highest for split in self.splits), default=1)

    def parents(self, rows: NDArray[Any]) -> Ints:
        """The parent of each row, -1 for roots."""
        rows = np.asarray(rows, np.int64)
        level = np.searchsorted(self.starts, rows, side="right") - 1
        out = np.full(rows.size, -1, np.int64)
        for number in np.unique(level[level > 0]).tolist():
            here = np.flatnonzero(level == number)
            out[here] = self.starts[number - 1] + self.splits[number - 1].owner_of(rows[here] - self.starts[number])
        return out

    def locate(self, rows: NDArray[Any]) -> tuple[Ints, Ints, Ints]:
        """For each row: its parent, its rank among that one's children, and how many those are; roots are children of -1."""
        rows = np.asarray(rows, np.int64)
        level = np.searchsorted(self.starts, rows, side="right") - 1
        parent, rank, count = np.full(rows.size, -1, np.int64), rows.copy(), np.full(rows.size, self.starts[1], np.int64)
        for number in np.unique(level[level > 0]).tolist():
            here = np.flatnonzero(level == number)
            owner, rank[here], count[here] = self.splits[number - 1].locate(rows[here] - self.starts[number])
            parent[here] = self.starts[number - 1] + owner
        return parent, rank, count

    def children_of(self, row: int) -> list[int]:
        level = int(np.searchsorted(self.starts, row, side="right")) - 1
        if level >= len(self.splits):
            return []
        first = int(self.starts[level + 1])
        return [first + child for child in self.splits[level].children_of(row - int(self.starts[level]))]


def level_sizes(rows: int, roots: int, depth: int | None, most: int | None) -> list[int]:
    """Rows by level: they grow by one ratio as far as `most` lets them, and sum to `rows`."""
    roots = min(roots, rows)
    if not rows:
        return []
    if not roots:
        raise ValueError(f"{rows:,} rows without a root")
    ratio = _USUAL_RATIO if most is None else min(_USUAL_RATIO, float(most))
    if depth is not None:
        ratio = _ratio(rows / roots, depth)
    sizes, left, wish = [roots], rows - roots, float(roots)
    while left and (depth is None or len(sizes) < depth):
        wish = float(f"{wish * ratio:.12g}")
        last = depth is not None and len(sizes) == depth - 1
        size = left if last else min(left, max(1, round(wish)))
        if most is not None:
            size = min(size, most * sizes[-1])
        if not size:
            break
        sizes.append(size)
        left -= size
    if left:
        sizes, left = _fullest(rows, roots, depth, most)
    if left:
        levels = f" in {depth} levels" if depth is not None else ""
        found = f"{roots:,} roots with at most {most} children for each row make {rows - left:,} rows"
        raise ValueError(f"{found}{levels}, not {rows:,}")
    return sizes


def _fullest(rows: int, roots: int, depth: int | None, most: int | None) -> tuple[list[int], int]:
    """As many as may be on each level; and how many do not fit."""
    sizes, left = [roots], rows - roots
    while left and most and (depth is None or len(sizes) < depth):
        sizes.append(min(left, most * sizes[-1]))
        left -= sizes[-1]
    return sizes, left


def _ratio(trees: float, depth: int) -> float:
    """The ratio with which a tree of `depth` levels has `trees` rows: 1 + q + q² + … = trees."""
    low, high = 0.0, max(2.0, trees)
    for _ in range(60):
        middle = (low + high) / 2
        if sum(middle**level for level in range(depth)) < trees:
            low = middle
        else:
            high = middle
    return float(f"{low:.9g}")
