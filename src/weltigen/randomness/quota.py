"""Quotas: weights turned into whole numbers that sum to n, so that shares are exact and rows know their rank."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bits import Bits
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


def reached(have: dict[int, int], children: int, least: int, most: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """`have` says how many owners have each count. Counts from `least` to `most` and the owners that have each, so that together
    they come to `children`, or as near as the limits allow; counts outside of the limits are left alone."""
    missing = children - sum(each * owners for each, owners in have.items())
    step = 1 if missing > 0 else -1
    moving = True
    while missing and moving:
        moving = False
        for each in sorted(have, reverse=step > 0):
            moved = min(have[each], abs(missing)) if least <= each <= most and least <= each + step <= most else 0
            if moved:
                have[each] -= moved
                have[each + step] = have.get(each + step, 0) + moved
                missing -= step * moved
                moving = True
    kept = [(each, owners) for each, owners in sorted(have.items()) if owners]
    return np.array([each for each, _ in kept], np.int64), np.array([owners for _, owners in kept], np.int64)


def thresholds(weights: Sequence[float]) -> Words:
    """Upper ends, as words, of the ranges that weighted values take; the last is the greatest word."""
    share = np.cumsum(np.asarray(weights, np.float64))
    ends = np.minimum(np.round(share / share[-1], 12) * 2.0**64, 2.0**64 - 2048).astype(np.uint64)
    last = int(np.flatnonzero(np.asarray(weights) > 0)[-1])
    ends[last:] = np.uint64(2**64 - 1)
    return np.asarray(ends, np.uint64)


FEW = 4_096  # rows up to which shares are dealt to the row; of more rows chance alone comes near enough


@dataclass(frozen=True, slots=True, eq=False)
class Dealt:
    """Which of some weighted values each of `rows` rows behind `fixed` ones has: each has its share, rounded to the row."""

    bits: Bits
    rows: int
    fixed: int
    ends: NDArray[np.int64]

    @classmethod
    def build(cls, bits: Bits, rows: int, fixed: int, weights: Sequence[float]) -> Dealt:
        return cls(bits, max(1, rows), fixed, np.cumsum(quota(max(1, rows), weights)))

    def choose(self, ordinals: NDArray[Any]) -> NDArray[np.int64]:
        at = np.clip(np.asarray(ordinals, np.int64) - self.fixed, 0, self.rows - 1)
        return np.asarray(np.searchsorted(self.ends, self.bits.distinct(self.rows, at), side="right"), np.int64)


def choose(ends: Words, words: Words) -> NDArray[np.int64]:
    """Which weighted value each word falls to; independent of how many rows there are."""
    if ends.size <= 6:  # a few comparisons are cheaper than a search
        out = np.zeros(words.size, np.int64)
        for end in ends[:-1]:
            out += words > end
        return out
    return np.asarray(np.searchsorted(ends, words, side="left"), np.int64)
