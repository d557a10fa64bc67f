"""Rows dealt by a bijection: any share of them is exact, and whether a row belongs to it is arithmetic."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bijection import shuffle, unshuffle
from .keys import Key

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class ExactSubset:
    """The rows that fall to positions `first` to `first + rows - 1` when all `of` rows behind `fixed` ones are dealt."""

    of: int
    first: int
    rows: int
    key: Key
    fixed: int = 0

    def chosen(self, ordinals: NDArray[Any]) -> NDArray[np.bool_]:
        """Which of some rows they are."""
        at = np.asarray(ordinals, np.int64) - self.fixed
        position = shuffle(np.clip(at, 0, max(0, self.of - 1)), max(1, self.of), self.key).astype(np.int64)
        return np.asarray((position >= self.first) & (position < self.first + self.rows) & (at >= 0) & (at < self.of))

    def ordinals(self) -> Ints:
        """All of them, rising."""
        return np.sort(self.at(np.arange(self.first, self.first + self.rows)))

    def positions(self, ordinals: NDArray[Any]) -> Ints:
        """Where rows fall; fixed rows come after all others."""
        at = np.asarray(ordinals, np.int64) - self.fixed
        position = shuffle(np.maximum(at, 0), max(1, self.of), self.key).astype(np.int64)
        return np.where(at < 0, self.of + self.fixed + at, position)

    def at(self, positions: NDArray[Any]) -> Ints:
        """The rows at some positions."""
        inside = np.minimum(np.asarray(positions, np.int64), max(0, self.of - 1))
        dealt = unshuffle(inside, max(1, self.of), self.key).astype(np.int64) + self.fixed
        return np.where(positions >= self.of, np.asarray(positions, np.int64) - self.of, dealt)
