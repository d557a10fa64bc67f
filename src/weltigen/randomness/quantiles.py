"""Quantile tables: an inverse distribution function at 4,096 even steps, linear between.

A word's top 12 bits choose the step and its other bits the point within, so no running stream of a library's sampler
is involved. Knots are rounded to 12 significant digits, so that the last bits of a platform's `exp` do not show.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import exp, log, log1p
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from .mixing import Words

STEPS = 4_096
_SHIFT = np.uint64(52)
_REST = np.uint64((1 << 52) - 1)
_EDGE = 1 / (4 * STEPS)  # open distributions end at this quantile and at its mirror image

Table = NDArray[np.float64]


def table(quantile: Callable[[float], float]) -> Table:
    """The STEPS + 1 knots of an inverse distribution function that is finite on [_EDGE, 1 - _EDGE]."""
    at = [min(max(step / STEPS, _EDGE), 1 - _EDGE) for step in range(STEPS + 1)]
    knots = np.array([float(f"{quantile(u):.12g}") for u in at])
    knots.setflags(write=False)
    return knots


def look_up(knots: Table, words: Words) -> NDArray[np.float64]:
    """A value for each word."""
    step = (words >> _SHIFT).astype(np.intp)
    within = (words & _REST).astype(np.float64) * 2.0**-52
    low = knots[step]
    return np.asarray(low + (knots[step + 1] - low) * within, np.float64)


def look_up_one(knots: Table, word: int) -> float:
    """The value for one word."""
    step = word >> 52
    low, high = float(knots[step]), float(knots[step + 1])
    return low + (high - low) * ((word & ((1 << 52) - 1)) * 2.0**-52)


@lru_cache(maxsize=1)
def standard_normal() -> Table:
    return table(NormalDist().inv_cdf)


@lru_cache(maxsize=256)
def normal(mean: float, sd: float) -> Table:
    return np.asarray(mean + sd * standard_normal(), np.float64)


@lru_cache(maxsize=256)
def skewed(median: float, p95: float) -> Table:
    """Log-normal, given by its median and its 95th percentile, both above zero."""
    spread = log(p95 / median) / NormalDist().inv_cdf(0.95)
    return table(lambda u: median * exp(spread * NormalDist().inv_cdf(u)))


@lru_cache(maxsize=256)
def exponential(mean: float) -> Table:
    return table(lambda u: -mean * log1p(-u))
