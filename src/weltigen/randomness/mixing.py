"""The 64-bit words behind every cell: a counter-based mix of a key and an ordinal.

The multipliers and shifts are those of the SplitMix64 finaliser (Steele, Lea, Flood 2014; variant 13 of Stafford); the
key enters at two stages, so that two keys give unrelated words and not shifted ones.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .keys import Key, key

Words = NDArray[np.uint64]
BLOCK = 65_536  # 512 kB of words, within a second-level cache; smaller blocks let two threads contend for the interpreter
FEW = 4  # up to this many rows, plain integers take less time than calls over arrays

MASK = (1 << 64) - 1
_GAMMA, _M1, _M2 = 0x9E3779B97F4A7C15, 0xBF58476D1CE4E5B9, 0x94D049BB133111EB
_GAMMA_, _M1_, _M2_ = np.uint64(_GAMMA), np.uint64(_M1), np.uint64(_M2)
_30, _27, _31, _32, _11 = (np.uint64(shift) for shift in (30, 27, 31, 32, 11))
_LOW = np.uint64(0xFFFFFFFF)
_UNIT = 2.0**-53


def word(k: Key, ordinal: int) -> int:
    """One word, 0 … 2^64-1, in plain integers."""
    z = (ordinal * _GAMMA + k.k0) & MASK
    z ^= z >> 30
    z = (z * _M1) & MASK
    z ^= k.k1
    z ^= z >> 27
    z = (z * _M2) & MASK
    return z ^ (z >> 31)


def mix(k: Key, ordinals: NDArray[Any]) -> Words:
    """The words of an array of ordinals; same shape, dtype uint64."""
    if ordinals.size <= FEW:
        return np.array([word(k, one) for one in ordinals.reshape(-1).tolist()], np.uint64).reshape(ordinals.shape)
    ordinals = np.ascontiguousarray(ordinals)
    z = ordinals.astype(np.uint64) if ordinals.dtype != np.uint64 else ordinals.copy()
    k0, k1 = np.uint64(k.k0), np.uint64(k.k1)
    flat = z.reshape(-1)
    scratch = np.empty(min(BLOCK, flat.size), np.uint64)
    for start in range(0, flat.size, BLOCK):
        part = flat[start : start + BLOCK]
        shifted = scratch[: part.size]
        part *= _GAMMA_
        part += k0
        np.right_shift(part, _30, out=shifted)
        part ^= shifted
        part *= _M1_
        part ^= k1
        np.right_shift(part, _27, out=shifted)
        part ^= shifted
        part *= _M2_
        np.right_shift(part, _31, out=shifted)
        part ^= shifted
    return z


def mix_keyed(k0: Words, k1: Words, counters: NDArray[Any]) -> Words:
    """Words where the key differs from row to row; all three of one shape."""
    z = counters.astype(np.uint64)
    z *= _GAMMA_
    z += k0
    z ^= z >> _30
    z *= _M1_
    z ^= k1
    z ^= z >> _27
    z *= _M2_
    z ^= z >> _31
    return z


def words(seed: int, entity: str, field: str, ordinals: NDArray[Any]) -> Words:
    """The 64-bit words behind a field's values, for `ordinals` of any integer dtype."""
    return mix(key(seed, entity, field), np.asarray(ordinals))


def below_one(word_: int, limit: int) -> int:
    """A number 0 … limit-1 out of a word: the high half of their product."""
    return (word_ * limit) >> 64


def below(words_: Words, limit: int | Words) -> Words:
    """Numbers 0 … limit-1 out of words; `limit` up to 2^63, one for all or one for each.

    The high half of the 128-bit product, whose bias is at most limit / 2^64.
    """
    if words_.size <= FEW:
        limits = [limit] * words_.size if isinstance(limit, int) else np.broadcast_to(limit, words_.shape).reshape(-1).tolist()
        few = zip(words_.reshape(-1).tolist(), limits, strict=True)
        return np.array([below_one(one, most) for one, most in few], np.uint64).reshape(words_.shape)
    high = words_ >> _32
    most = limit if isinstance(limit, int) else int(limit.max(initial=0))
    if most <= 1 << 32:
        small = np.asarray(limit, np.uint64)
        high *= small
        low = words_ & _LOW
        low *= small
        low >>= _32
        high += low
        high >>= _32
        return high
    wide = np.asarray(limit, np.uint64)
    low, wide_high, wide_low = words_ & _LOW, wide >> _32, wide & _LOW
    carry = high * wide_low + ((low * wide_low) >> _32)  # at most 2^64 - 2^32: cannot overflow
    middle = low * wide_high + (carry & _LOW)
    return np.asarray(high * wide_high + (carry >> _32) + (middle >> _32), np.uint64)


def unit_one(word_: int) -> float:
    """A number in [0, 1) with 53 random bits."""
    return (word_ >> 11) * _UNIT


def unit(words_: Words) -> NDArray[np.float64]:
    """Numbers in [0, 1) with 53 random bits each."""
    return (words_ >> _11).astype(np.float64) * _UNIT
