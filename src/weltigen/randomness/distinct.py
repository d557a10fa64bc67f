"""Distinct picks with favourites: each owner picks different targets, and over all owners some targets are picked more often.

Targets are dealt to classes of popularity. An owner's picks are split over the classes in proportion, by systematic rounding
from a start of the owner's own, and never more to a class than it has targets; within a class a bijection of the owner's own
gives the rank-th pick. Counts are fixed-point integers, so that no rounding lets a class overflow.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bijection import shuffle_within, unshuffle
from .keys import Key
from .mixing import Words, mix
from .popularity import popularity
from .quota import quota
from .windows import LEAST as LEAST_WINDOW
from .windows import MOST as MOST_WINDOW
from .windows import within_windows

Ints = NDArray[np.int64]
MOST = 20_000  # picks of one owner for which the splits are kept, 8 numbers for each count
_CLASSES = 8
_TABLE = 1 << 18
_POINT = 20  # binary places of a count


@dataclass(frozen=True, slots=True, kw_only=True)
class DistinctPicks:
    """`ends[k]` says where the picks of an owner with k of them pass from class to class; `sizes` are targets in each."""

    targets: int
    sizes: Ints
    ends: Ints
    key: Key

    @classmethod
    def build(cls, targets: int, few: float, take: float, most: int, key: Key) -> DistinctPicks:
        """For owners with up to `most` picks, which is at most `targets` and MOST."""
        sizes, ends = _splits(targets, few, take, most)
        return cls(targets=targets, sizes=sizes, ends=ends, key=key)

    def pick(self, owners: Words, ranks: NDArray[Any], counts: NDArray[Any]) -> Ints:
        """The target of each pick, by the owner as a word, the pick's rank among the owner's, and how many those are."""
        start = (mix(self.key, owners) >> np.uint64(64 - _POINT)).astype(np.int64)
        at = (ranks.astype(np.int64) << _POINT) + start
        ends = self.ends[np.asarray(counts, np.int64)]
        which = (at[:, None] >= ends).sum(axis=1)
        before = np.where(which > 0, np.take_along_axis(ends, np.maximum(which - 1, 0)[:, None], axis=1)[:, 0], 0)
        first = -((start - before) >> _POINT)  # the least rank whose position is not before the class
        rank = ranks.astype(np.int64) - np.maximum(first, 0)
        salt = owners + which.astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)
        position = np.zeros(at.size, np.int64)
        start_of = 0
        for number, size in enumerate(self.sizes.tolist()):
            here = np.flatnonzero(which == number) if len(self.sizes) > 1 else slice(None)
            if LEAST_WINDOW <= size <= MOST_WINDOW:
                found = within_windows(rank[here], size, mix(self.key, salt[here]), self.key)
            else:
                keys = mix(self.key, salt[here]), mix(Key(self.key.k1, self.key.k0), salt[here])
                found = shuffle_within(rank[here], np.full(len(keys[0]), size, np.uint64), *keys)
            position[here] = found.astype(np.int64) + start_of
            start_of += size
        if self.targets <= _TABLE:
            return _dealt(self.targets, self.key)[position].astype(np.int64)
        return unshuffle(position, self.targets, self.key).astype(np.int64)


@lru_cache(maxsize=64)
def _dealt(targets: int, key: Key) -> NDArray[np.uint32]:
    return unshuffle(np.arange(targets), targets, key).astype(np.uint32)


@lru_cache(maxsize=128)
def _splits(targets: int, few: float, take: float, most: int) -> tuple[Ints, Ints]:
    shares = popularity(few, take, targets, _CLASSES)
    sizes = quota(targets, [share for share, _ in shares])
    there = sizes > 0
    sizes, weights = sizes[there], np.array([taken for _, taken in shares])[there]
    ends = np.zeros((most + 1, sizes.size), np.int64)
    for count in range(1, most + 1):
        ends[count] = np.cumsum(_split(count, sizes, weights))
    return sizes, ends


def _split(count: int, sizes: Ints, weights: NDArray[np.float64]) -> Ints:
    """`count` in proportion to the weights, no more than its size to any class, in fixed point and exact in sum."""
    room, out = sizes << _POINT, np.zeros(sizes.size, np.int64)
    left = count << _POINT
    while left > 0 and (open_ := out < room).any():
        wish = np.where(open_, weights, 0.0)
        more = np.floor(wish * (left / wish.sum())).astype(np.int64) if wish.sum() > 0 else np.where(open_, left, 0)
        if not more.any():  # too little to share: the first with room takes it
            more[int(np.flatnonzero(open_)[0])] = left
        out = np.minimum(out + more, room)
        over = int(out.sum()) - (count << _POINT)
        if over > 0:
            out[int(np.flatnonzero(out >= over)[-1])] -= over
        left = (count << _POINT) - int(out.sum())
    return out
