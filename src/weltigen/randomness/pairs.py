"""Unordered pairs of different things: as many positions as there are pairs, in a rectangle.

For an odd number, each thing with those that stand up to half a round further on. For an even number, the rounds of a
tournament: one thing stays, the others turn (the circle method of Kirkman, 1847).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]


def pair_space(things: int) -> tuple[int, int]:
    """The sides of the rectangle: their product is things · (things - 1) / 2."""
    return (things, (things - 1) // 2) if things % 2 else (things - 1, things // 2)


def pair_at(row: NDArray[Any], column: NDArray[Any], things: int) -> tuple[Ints, Ints]:
    """The lower and the higher thing of the pair at each position."""
    at, step = np.asarray(row, np.int64), np.asarray(column, np.int64)
    if things % 2:
        one, other = at, (at + 1 + step) % things
    else:
        turning = things - 1
        one = np.where(step == 0, turning, (at + step) % turning)
        other = np.where(step == 0, at, (at - step) % turning)
    return np.minimum(one, other), np.maximum(one, other)
