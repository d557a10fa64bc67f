"""A keyed bijection of 0 … n-1, and its inverse, for any n up to 2^62.

The numbers lie on a grid of a rows and b columns with a·b just above n. In turn, each row is rotated by an amount that
hashes from its number, then each column; four such double rounds. What lands outside of n walks on until it is inside.
Fewer rounds will not do: with two, the orders of four items are visibly uneven.
"""

from __future__ import annotations

from functools import lru_cache
from math import isqrt
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .keys import Key
from .mixing import BLOCK, FEW, Words, below, below_one, mix, mix_keyed, word

DOUBLE_ROUNDS = 4
_TABLE_SIDE = 1 << 16  # sides up to this have their rotations in tables: 8 of them, 4 MB at most
_STEP = 1 << 56  # rounds are told apart in the counter's top byte, which sides below 2^32 never reach


def _sides(n: int) -> tuple[int, int]:
    a = isqrt(n - 1) + 1
    return a, -(-n // a)


def shuffle_one(position: int, n: int, k: Key) -> int:
    """Where `position` goes, in plain integers."""
    a, b = _sides(n)
    while True:
        row, column = divmod(position, b)
        for turn in range(DOUBLE_ROUNDS):
            column = (column + below_one(word(k, row + 2 * turn * _STEP), b)) % b
            row = (row + below_one(word(k, column + (2 * turn + 1) * _STEP), a)) % a
        position = row * b + column
        if position < n:
            return position


def unshuffle_one(position: int, n: int, k: Key) -> int:
    """What `shuffle_one` sent to `position`."""
    a, b = _sides(n)
    while True:
        row, column = divmod(position, b)
        for turn in reversed(range(DOUBLE_ROUNDS)):
            row = (row - below_one(word(k, column + (2 * turn + 1) * _STEP), a)) % a
            column = (column - below_one(word(k, row + 2 * turn * _STEP), b)) % b
        position = row * b + column
        if position < n:
            return position


@lru_cache(maxsize=64)
def _tables(n: int, k: Key) -> list[tuple[Words, Words]]:
    a, b = _sides(n)
    rows, columns = np.arange(a, dtype=np.uint64), np.arange(b, dtype=np.uint64)
    return [
        (
            below(mix(k, rows + np.uint64(2 * turn * _STEP)), b),
            below(mix(k, columns + np.uint64((2 * turn + 1) * _STEP)), a),
        )
        for turn in range(DOUBLE_ROUNDS)
    ]


def _once(positions: Words, n: int, k: Key, back: bool) -> Words:
    a, b = _sides(n)
    a_, b_ = np.uint64(a), np.uint64(b)
    if a > _TABLE_SIDE:
        return _once_hashed(positions, a_, b_, np.uint64(k.k0), np.uint64(k.k1), back)
    tables = _tables(n, k)
    rounds = _rounds_back if back else _rounds
    out = np.empty(positions.size, np.uint64)
    for start in range(0, positions.size, BLOCK):
        part = positions[start : start + BLOCK]
        row = part // b_
        column = part - row * b_
        rounds(row, column, a_, b_, tables)
        row *= b_
        np.add(row, column, out=out[start : start + BLOCK])
    return out


# x mod m for x below 2m: unsigned, x - m wraps to a large number exactly when x is right already, so the lesser is x mod m.
# take(mode="clip") skips a check that the tables' sizes make needless, and does not convert 64-bit indices.


def _rounds(row: Words, column: Words, a: np.uint64, b: np.uint64, tables: list[tuple[Words, Words]]) -> None:
    turned = np.empty_like(row)
    rows, columns = row.view(np.int64), column.view(np.int64)
    for rotate_row, rotate_column in tables:
        rotate_row.take(rows, mode="clip", out=turned)
        np.add(column, turned, out=column)
        np.subtract(column, b, out=turned)
        np.minimum(column, turned, out=column)
        rotate_column.take(columns, mode="clip", out=turned)
        np.add(row, turned, out=row)
        np.subtract(row, a, out=turned)
        np.minimum(row, turned, out=row)


def _rounds_back(row: Words, column: Words, a: np.uint64, b: np.uint64, tables: list[tuple[Words, Words]]) -> None:
    turned = np.empty_like(row)
    rows, columns = row.view(np.int64), column.view(np.int64)
    for rotate_row, rotate_column in reversed(tables):
        rotate_column.take(columns, mode="clip", out=turned)
        np.subtract(row, turned, out=row)
        np.add(row, a, out=turned)
        np.minimum(row, turned, out=row)
        rotate_row.take(rows, mode="clip", out=turned)
        np.subtract(column, turned, out=column)
        np.add(column, b, out=turned)
        np.minimum(column, turned, out=column)


def _once_hashed(positions: Words, a: Any, b: Any, k0: Any, k1: Any, back: bool) -> Words:
    """One pass with rotations hashed on the spot; a, b, k0, k1 one for all or one for each."""
    k0, k1 = np.broadcast_to(k0, positions.shape), np.broadcast_to(k1, positions.shape)
    a, b = np.broadcast_to(a, positions.shape), np.broadcast_to(b, positions.shape)
    row = positions // b
    column = positions - row * b

    def rotation(of: Words, turn: int, limit: Words) -> Words:
        return below(mix_keyed(k0, k1, of + np.uint64(turn * _STEP)), limit)

    if not back:
        for turn in range(DOUBLE_ROUNDS):
            column = column + rotation(row, 2 * turn, b)
            column = np.minimum(column, column - b)
            row = row + rotation(column, 2 * turn + 1, a)
            row = np.minimum(row, row - a)
    else:
        for turn in reversed(range(DOUBLE_ROUNDS)):
            row = row - rotation(column, 2 * turn + 1, a)
            row = np.minimum(row, row + a)
            column = column - rotation(row, 2 * turn, b)
            column = np.minimum(column, column + b)
    return np.asarray(row * b + column, np.uint64)


def _walk(positions: NDArray[Any], n: int, k: Key, back: bool) -> Words:
    if positions.size <= FEW:
        one = unshuffle_one if back else shuffle_one
        return np.array([one(position, n, k) for position in positions.tolist()], np.uint64)
    out = _once(positions.astype(np.uint64), n, k, back)
    while (outside := np.flatnonzero(out >= np.uint64(n))).size:
        out[outside] = _once(out[outside], n, k, back)
    return out


def shuffle(positions: NDArray[Any], n: int, k: Key) -> Words:
    """Where each of `positions` (0 … n-1, any integer dtype, any shape of one axis) goes."""
    return _walk(positions, n, k, back=False)


def unshuffle(positions: NDArray[Any], n: int, k: Key) -> Words:
    """The inverse of `shuffle`."""
    return _walk(positions, n, k, back=True)


def shuffle_within(positions: NDArray[Any], sizes: NDArray[Any], k0: Words, k1: Words) -> Words:
    """`shuffle` where the size and the key differ from row to row; row for row equal to it."""
    if positions.size <= FEW:
        few = zip(positions.tolist(), sizes.tolist(), k0.tolist(), k1.tolist(), strict=True)
        return np.array([shuffle_one(position, size, Key(*keys)) for position, size, *keys in few], np.uint64)
    n = sizes.astype(np.uint64)
    a = _ceil_root(n)
    b = (n + a - np.uint64(1)) // a
    out = _once_hashed(positions.astype(np.uint64), a, b, k0, k1, back=False)
    while (outside := np.flatnonzero(out >= n)).size:
        out[outside] = _once_hashed(out[outside], a[outside], b[outside], k0[outside], k1[outside], back=False)
    return out


def _ceil_root(n: Words) -> Words:
    """⌈√n⌉ exactly: the floating root of n may be off by one above 2^52."""
    root = np.sqrt(n.astype(np.float64)).astype(np.uint64)
    root = np.where(root * root < n, root + np.uint64(1), root)
    smaller = root - np.uint64(1)
    return np.asarray(np.where(smaller * smaller >= n, smaller, root), np.uint64)
