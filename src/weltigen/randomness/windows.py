"""Windows: distinct positions for the ranks within each of many groups, all out of one permutation.

A group's ranks walk through the permutation from a start and by a step of the group's own; the step has no divisor in common
with the number of positions, so that no position comes twice before all have come. That costs one look into a table where a
permutation of each group's own would cost eight hashes. Two groups meet in the same order only where start and step agree.
"""

from __future__ import annotations

from functools import lru_cache
from math import gcd
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bijection import shuffle
from .keys import Key
from .mixing import Words, below, mix

LEAST, MOST = 64, 1 << 31  # below, too few windows differ; above, a rank times a step may pass 2^64
_TABLE = 1 << 18
_STEPS = 256
_GOLDEN = 0.6180339887498949


def within_windows(ranks: NDArray[Any], n: int, groups: Words, k: Key) -> Words:
    """For each rank (below n) of the group that `groups`, a word for each row, stands for: a position 0 … n-1."""
    steps, rows = _steps(n), groups.size
    ends = np.append(np.flatnonzero(groups[1:] != groups[:-1]), rows - 1) if rows else np.zeros(0, np.intp)
    alone = 2 * ends.size > rows  # else rows of a group follow each other, and what is the group's own is worked out once
    heads = groups if alone else groups[ends]
    start, step = below(heads, n), steps[below(mix(k, heads), len(steps)).astype(np.intp)]
    if not alone:
        lengths = np.diff(ends, prepend=-1)
        start, step = np.repeat(start, lengths), np.repeat(step, lengths)
    at = start + ranks.astype(np.uint64) * step
    at -= at // np.uint64(n) * np.uint64(n)  # a remainder by itself takes three times as long
    if n <= _TABLE:
        return _permutation(n, k)[at.astype(np.intp)].astype(np.uint64)
    return shuffle(at, n, k)


@lru_cache(maxsize=64)
def _permutation(n: int, k: Key) -> NDArray[np.uint32]:
    return shuffle(np.arange(n), n, k).astype(np.uint32)


@lru_cache(maxsize=256)
def _steps(n: int) -> Words:
    """Numbers without a divisor in common with n, spread over 1 … n-1."""
    found: dict[int, None] = {}
    for number in range(8 * _STEPS):
        candidate = 1 + int((number * _GOLDEN) % 1.0 * (n - 1))
        if gcd(candidate, n) == 1:
            found[candidate] = None
        if len(found) == _STEPS:
            break
    return np.array(list(found), np.uint64)
