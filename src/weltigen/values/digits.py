"""Columns of digits: numbers as matrices of decimal digits, and texts made from them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .pools import fixed_width

ZERO = np.uint8(ord("0"))


# the digits of each number below 10,000, as one item of four bytes
_FOUR = (np.arange(10_000)[:, None] // np.array([1000, 100, 10, 1]) % 10).astype(np.uint8).view(np.uint32).reshape(-1)


def digits_of(numbers: NDArray[np.uint64], width: int) -> NDArray[np.uint8]:
    """A matrix of decimal digits, the first the most significant; four at a time."""
    groups, rest = -(-width // 4), numbers
    whole = np.empty((len(numbers), groups), np.uint32)
    for group in range(groups - 1, 0, -1):
        quotient = rest // np.uint64(10_000)
        whole[:, group] = _FOUR.take((rest - quotient * np.uint64(10_000)).view(np.int64))
        rest = quotient
    whole[:, 0] = _FOUR.take((rest % np.uint64(10_000)).view(np.int64))
    return whole.view(np.uint8).reshape(len(numbers), 4 * groups)[:, 4 * groups - width :]


def as_texts(*parts: bytes | NDArray[Any]) -> Any:
    """Arrow strings out of constant bytes and matrices of digits, side by side."""
    rows = next(len(part) for part in parts if isinstance(part, np.ndarray))

    def column(part: bytes | NDArray[Any]) -> NDArray[np.uint8]:
        if isinstance(part, bytes):
            return np.broadcast_to(np.frombuffer(part, np.uint8), (rows, len(part)))
        return part.astype(np.uint8) + ZERO

    return fixed_width(np.concatenate([column(part) for part in parts], axis=1))
