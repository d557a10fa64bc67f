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


def _closed(quantile: Callable[[NDArray[np.float64]], NDArray[np.float64]]) -> Table:
    """The knots of an inverse distribution function that is finite at both ends."""
    knots = np.array([float(f"{value:.12g}") for value in quantile(np.arange(STEPS + 1) / STEPS).tolist()])
    knots.setflags(write=False)
    return knots


@lru_cache(maxsize=256)
def triangular(low: float, peak: float, high: float) -> Table:
    """Rising evenly from `low` to the commonest, `peak`, and falling evenly to `high`."""
    span, turn = high - low, (peak - low) / (high - low)

    def quantile(at: NDArray[np.float64]) -> NDArray[np.float64]:
        rising, falling = np.sqrt(at * span * (peak - low)), np.sqrt((1 - at) * span * (high - peak))
        return np.where(at < turn, low + rising, high - falling)

    return _closed(quantile)


@lru_cache(maxsize=256)
def zipf(exponent: float, most: float) -> Table:
    """Ranks from 1 to `most` once they are rounded: rank k about as often as 1 / k^exponent (a power law over [½, most + ½])."""
    first, last = 0.5, most + 0.5

    def quantile(at: NDArray[np.float64]) -> NDArray[np.float64]:
        if exponent == 1:
            return np.asarray(first * (last / first) ** at)
        power = 1 - exponent
        return np.asarray((first**power + at * (last**power - first**power)) ** (1 / power))

    return _closed(quantile)


@lru_cache(maxsize=256)
def humps(first: float, second: float, sd: float, share: float) -> Table:
    """Two normal humps of one width; `share` of the values belong to the first."""
    grid = np.linspace(min(first, second) - 4 * sd, max(first, second) + 4 * sd, 20_001)
    one, other = (np.interp((grid - mean) / sd, standard_normal(), np.arange(STEPS + 1) / STEPS) for mean in (first, second))
    below = share * one + (1 - share) * other
    return _closed(lambda at: np.interp(at, below, grid))


@lru_cache(maxsize=256)
def through(values: tuple[float, ...]) -> Table:
    """Through given quantiles at even distances, the least and the greatest value among them; even between two of them."""
    return _closed(lambda at: np.interp(at, np.linspace(0, 1, len(values)), values))


@lru_cache(maxsize=256)
def histogram(starts: tuple[float, ...], weights: tuple[float, ...]) -> Table:
    """Even between each start and the next, which have the weight of the first of both; the last start is where it ends."""
    ends = np.cumsum([0.0, *weights[:-1]]) / sum(weights[:-1])
    return _closed(lambda at: np.interp(at, ends, starts))
