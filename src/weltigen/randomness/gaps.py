"""Rising numbers with a share of them left out, as keys have where rows were deleted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .keys import Key
from .mixing import mix

_ROWS = 64  # rows of a block; the places of a block are more, and which are left out is drawn for each

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Gaps:
    """Row r has the place `places(r)`: these rise from 0, and `share` of all places have no row, to the row in each block."""

    key: Key
    share: float

    @property
    def _block(self) -> int:
        return max(_ROWS, round(_ROWS / (1.0 - self.share)))

    def rows_within(self, places: int) -> int:
        """For how many rows so many places are enough."""
        return places // self._block * _ROWS

    def places(self, rows: NDArray[Any]) -> Ints:
        """The place of each row."""
        rows = np.asarray(rows, np.int64)
        blocks, at = np.unique(rows // _ROWS, return_inverse=True)
        kept = self._kept(blocks)[at.reshape(-1), rows % _ROWS]
        return np.asarray(kept + rows // _ROWS * self._block - self._before_first, np.int64)

    def row_at(self, place: int) -> int:
        """The row of a place; -1 where it is left out."""
        block, rest = divmod(place + self._before_first, self._block)
        found = np.flatnonzero(self._kept(np.array([block]))[0] == rest)
        return block * _ROWS + int(found[0]) if found.size else -1

    @property
    def _before_first(self) -> int:
        """Places of the first block before that of the first row, which are none: numbers begin where they are told."""
        return int(self._kept(np.zeros(1, np.int64))[0, 0])

    def _kept(self, blocks: Ints) -> Ints:
        """The places within each block that have a row, rising."""
        words = mix(self.key, blocks[:, None] * self._block + np.arange(self._block))
        return np.sort(np.argpartition(words, _ROWS - 1, axis=1)[:, :_ROWS], axis=1)
