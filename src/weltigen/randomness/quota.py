"""Quotas: weights turned into whole numbers that sum to n, so that shares are exact and rows know their rank."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .mixing import Words


def quota(n: int, weights: Sequence[float] | NDArray[Any]) -> NDArray[np.int64]:
    """Whole numbers in proportion to `weights` that sum to n, by largest remainder (ties: the first)."""
    share = np.asarray(weights, np.float64)
    exact = share * (n / share.sum())
    whole = np.floor(exact).astype(np.int64)
    missing = n - int(whole.sum())
    order = np.argsort(-np.round(exact - whole, 9), kind="stable")
    whole[order[:missing]] += 1
    return np.asarray(whole, np.int64)


def place(counts: NDArray[np.int64], positions: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For positions 0 … sum-1: which value each falls to, and its rank within that value."""
    ends = np.cumsum(counts)
    at = positions.astype(np.int64)
    value = np.searchsorted(ends, at, side="right").astype(np.int64)
    return value, at - (ends - counts)[value]


def place_one(counts: NDArray[np.int64], position: int) -> tuple[int, int]:
    """`place` for one position, in plain integers."""
    before = 0
    for value, count in enumerate(counts.tolist()):
        if position < before + count:
            return value, position - before
        before += count
    raise IndexError(position)


def thresholds(weights: Sequence[float]) -> Words:
    """Upper ends, as words, of the ranges that weighted values take; the last is the greatest word."""
    share = np.cumsum(np.asarray(weights, np.float64))
    ends = np.minimum(np.round(share / share[-1], 12) * 2.0**64, 2.0**64 - 2048).astype(np.uint64)
    last = int(np.flatnonzero(np.asarray(weights) > 0)[-1])
    ends[last:] = np.uint64(2**64 - 1)
    return np.asarray(ends, np.uint64)


def choose(ends: Words, words: Words) -> NDArray[np.int64]:
    """Which weighted value each word falls to; independent of how many rows there are."""
    if ends.size <= 6:  # a few comparisons are cheaper than a search
        out = np.zeros(words.size, np.int64)
        for end in ends[:-1]:
            out += words > end
        return out
    return np.asarray(np.searchsorted(ends, words, side="left"), np.int64)


def choose_one(ends: Words, word: int) -> int:
    """`choose` for one word."""
    for value, end in enumerate(ends.tolist()):
        if word <= end:
            return value
    raise IndexError(word)
