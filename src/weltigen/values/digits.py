"""Columns of digits: numbers as matrices of decimal digits, and texts made from them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .pools import fixed_width

ZERO = np.uint8(ord("0"))


def digits_of(numbers: NDArray[np.uint64], width: int) -> NDArray[np.uint8]:
    """A matrix of decimal digits, the first the most significant."""
    powers = np.array([10**power for power in range(width - 1, -1, -1)], np.uint64)
    return (numbers[:, None] // powers % np.uint64(10)).astype(np.uint8)


def as_texts(*parts: bytes | NDArray[Any]) -> Any:
    """Arrow strings out of constant bytes and matrices of digits, side by side."""
    rows = next(len(part) for part in parts if isinstance(part, np.ndarray))

    def column(part: bytes | NDArray[Any]) -> NDArray[np.uint8]:
        if isinstance(part, bytes):
            return np.broadcast_to(np.frombuffer(part, np.uint8), (rows, len(part)))
        return part.astype(np.uint8) + ZERO

    return fixed_width(np.concatenate([column(part) for part in parts], axis=1))
