"""Quantile tables: an inverse distribution function at 4,096 even steps, linear between.

A word's top 12 bits choose the step and its other bits the point within, so no running stream of a library's sampler
is involved. Knots are rounded to 12 significant digits, so that the last bits of a platform's `exp` do not show.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import exp, log, log1p, sqrt
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


@lru_cache(maxsize=256)
def counts(mean: float, lowest: int, highest: int, none: float) -> NDArray[np.int64]:
    """STEPS counts of equal weight: `none` of them 0, the others from `lowest` to `highest`, `mean` over all.

    The counts follow a negative binomial whose deviation is about 0.6 of its mean (a Poisson one where that is wider),
    clipped to the limits; its centre is moved until the clipped mean fits. ValueError where no centre does.
    """
    empty = round(none * STEPS)
    wanted = mean * STEPS / (STEPS - empty) if empty < STEPS else 0.0
    if not lowest <= wanted <= highest:
        raise ValueError(
            f"a mean of {mean:g} with {none:.0%} without any requires {wanted:.4g} each of the others,"
            f" outside of {lowest} to {highest}"
        )
    at = (np.arange(STEPS - empty) + 0.5) / max(1, STEPS - empty)
    low, high = 0.0, 4.0 * highest + 4.0
    filled = np.full(at.size, lowest, np.int64)
    for _ in range(40):
        centre = (low + high) / 2
        filled = np.clip(_negative_binomial(at, centre, highest), lowest, highest)
        if float(filled.mean()) < wanted:
            low = centre
        else:
            high = centre
    out = np.concatenate([np.zeros(empty, np.int64), filled])
    out.setflags(write=False)
    return out


def _negative_binomial(at: NDArray[np.float64], mean: float, highest: int) -> NDArray[np.int64]:
    """Quantiles by adding up the probabilities; past a mean of 200 by the normal curve with the same deviation."""
    if mean <= 1e-9:
        return np.zeros(at.size, np.int64)
    variance = max(mean * 1.000001, (0.6 * mean) ** 2)
    if mean > 200:
        curve = np.interp(at, np.arange(STEPS + 1) / STEPS, standard_normal())
        return np.asarray(np.rint(mean + sqrt(variance) * curve).astype(np.int64))
    p = mean / variance
    r = mean * p / (1 - p)
    probabilities = [p**r]
    for k in range(min(highest, 4_000)):
        probabilities.append(probabilities[-1] * (k + r) / (k + 1) * (1 - p))
    cumulative = np.round(np.cumsum(probabilities), 12)
    return np.asarray(np.searchsorted(cumulative, at, side="left").astype(np.int64))
