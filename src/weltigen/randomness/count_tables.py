"""Tables of counts: how many children owners have, as 4,096 counts of equal weight."""

from __future__ import annotations

from functools import lru_cache
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from .quantiles import STEPS, standard_normal
from .quota import reached


@lru_cache(maxsize=256)
def counts(mean: float, lowest: int, highest: int, none: float) -> NDArray[np.int64]:
    """STEPS counts of equal weight: `none` of them 0, the others from `lowest` to `highest`, `mean` over all.

    The counts follow a negative binomial whose deviation is about 0.6 of its mean (a Poisson one where that is wider),
    clipped to the limits; its centre is moved until the clipped mean fits. ValueError where no centre does.
    """
    empty = round(none * STEPS)
    wanted = round(mean / (1 - none), 9) if none < 1 else 0.0
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
    values, times = np.unique(filled, return_counts=True)
    have = dict(zip(values.tolist(), times.tolist(), strict=True))
    filled = np.repeat(*reached(have, round(wanted * filled.size), lowest, highest))
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
