"""Counts dealt to owners by quota: every 4,096 owners have the whole table of counts between them, so sums are arithmetic.

Sixteen blocks of 256 owners make a round. Of the rising table, block j of a round takes every sixteenth count, from an
offset of its own; so shares ("none: 25 %") hold within each block, and the sixteen sums that a block can have are known
beforehand. Which owner of a block has which of its counts is a permutation of bytes. Owners after the last whole round
have theirs from a short list, in which each count has its share to the row.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .keys import Key
from .mixing import Words, mix, word
from .ordinals import in_line
from .quantiles import STEPS
from .quota import reached

OWNERS_A_BLOCK = 256
_BLOCKS = STEPS // OWNERS_A_BLOCK
_BITS, _LOW = OWNERS_A_BLOCK.bit_length() - 1, np.int64(OWNERS_A_BLOCK - 1)
_ROUNDS, _FOLDS = 4, (4, 3, 4, 5)

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class CountDeal:
    """`table` rises: STEPS counts of equal weight. `before[s, j]` are the children before block j of a round whose offset
    begins at s. `rest` are the counts of owners after the last whole round, `rest_before` the children before its blocks."""

    owners: int
    table: Ints
    key: Key
    before: Ints
    rest: Ints
    rest_before: Ints

    @classmethod
    def build(cls, owners: int, table: Ints, key: Key) -> CountDeal:
        table, before = _prepared(tuple(np.sort(table).tolist()))
        some = owners % STEPS
        rest = np.zeros(some, np.int64)
        rest[np.argsort(mix(key, np.arange(some) + np.int64(1 << 60)), kind="stable")] = by_quota(table, some)
        sums = np.add.reduceat(rest, np.arange(0, some, OWNERS_A_BLOCK)) if some else rest
        return cls(
            owners=owners, table=table, key=key, before=before,
            rest=rest, rest_before=np.concatenate([[0], np.cumsum(sums)]).astype(np.int64),
        )  # fmt: skip

    @property
    def _whole(self) -> int:
        """Blocks that belong to whole rounds."""
        return self.owners // STEPS * _BLOCKS

    @property
    def _round(self) -> int:
        """Children of a round."""
        return int(self.before[0, -1])

    @property
    def children(self) -> int:
        return self.owners // STEPS * self._round + int(self.rest_before[-1])

    @property
    def least(self) -> int:
        """The fewest children that any owner has."""
        return min(int(part.min()) for part in self._parts())

    @property
    def most(self) -> int:
        """The most children that any owner has."""
        return max(int(part.max()) for part in self._parts())

    def _parts(self) -> list[Ints]:
        parts = [self.table] if self._whole or not self.owners else []
        return [*parts, self.rest] if self.rest.size else parts

    def counts(self, owners: NDArray[Any]) -> Ints:
        """How many children each of `owners` has: any shape. Owners that are not there have none."""
        blocks = owners >> _BITS
        if owners.ndim == 1 and owners.size > OWNERS_A_BLOCK and in_line(owners):
            low = int(blocks[0])
            every = np.arange(low, int(blocks[-1]) + 1)
            return self._of_blocks(every).reshape(-1)[int(owners[0]) - (low << _BITS) :][: owners.size]
        if owners.ndim == 2 and owners.shape[1] == OWNERS_A_BLOCK:
            return self._of_blocks(blocks[:, 0])
        counts = self._dealt(mix(self.key, blocks), (owners & _LOW).astype(np.uint8), blocks)
        return self._with_rest(counts, owners)

    def _of_blocks(self, blocks: Ints) -> Ints:
        places = np.arange(OWNERS_A_BLOCK, dtype=np.int64)
        counts = self._dealt(mix(self.key, blocks)[:, None], places.astype(np.uint8)[None, :], blocks[:, None])
        if int(blocks.max(initial=0)) < self._whole:
            return counts
        return self._with_rest(counts, (blocks[:, None] << _BITS) + places)

    def _dealt(self, words: Words, places: NDArray[np.uint8], blocks: Ints) -> Ints:
        at = permuted(places, words).astype(np.int64)
        at *= _BLOCKS
        at += (self._offsets(blocks // _BLOCKS) + blocks) % _BLOCKS
        return np.asarray(self.table.take(at, mode="clip"), np.int64)

    def _offsets(self, rounds: Ints) -> Ints:
        return (mix(self.key, rounds + np.int64(1 << 59)) >> np.uint64(60)).astype(np.int64)

    def _with_rest(self, counts: Ints, owners: NDArray[Any]) -> Ints:
        at = owners - (self._whole << _BITS)
        if (late := at >= 0).any():
            padded = np.append(self.rest, 0)
            counts = np.where(late, padded.take(at, mode="clip"), counts)
        return counts

    def count_one(self, owner: int) -> int:
        """`counts` for one owner, in plain integers."""
        if owner >= self._whole << _BITS:
            at = owner - (self._whole << _BITS)
            return int(self.rest[at]) if at < self.rest.size else 0
        block = owner >> _BITS
        offset = self._offset_one(block // _BLOCKS)
        at = permuted_one(owner & int(_LOW), word(self.key, block))
        return int(self.table[at * _BLOCKS + (offset + block) % _BLOCKS])

    def before_one(self, block: int) -> int:
        """`children_before` of one block, in plain integers."""
        whole = min(block, self._whole)
        rounds, within = divmod(whole, _BLOCKS)
        rest = int(self.rest_before[min(max(0, block - self._whole), self.rest_before.size - 1)])
        return rounds * self._round + int(self.before[self._offset_one(rounds), within]) + rest

    def block_of_one(self, child: int) -> int:
        """`block_of` for one child, in plain integers."""
        whole = self.owners // STEPS * self._round
        if child >= whole:
            return self._whole + int(np.searchsorted(self.rest_before, child - whole, side="right")) - 1
        rounds, within = divmod(child, self._round)
        return rounds * _BLOCKS + int(np.searchsorted(self.before[self._offset_one(rounds)][1:], within, side="right"))

    def _offset_one(self, round_: int) -> int:
        return word(self.key, round_ + (1 << 59)) >> 60

    def children_before(self, blocks: Ints) -> Ints:
        """The children of all owners before each of `blocks`."""
        whole = np.minimum(blocks, self._whole)
        rounds = whole // _BLOCKS
        out = rounds * self._round + self.before[self._offsets(rounds), whole % _BLOCKS]
        return np.asarray(out + self.rest_before[np.clip(blocks - self._whole, 0, self.rest_before.size - 1)], np.int64)

    def block_of(self, children: Ints) -> Ints:
        """The block of each child's owner."""
        whole = self.owners // STEPS * self._round
        rounds = np.minimum(children, max(0, whole - 1)) // max(1, self._round)
        within = children - rounds * self._round
        out = rounds * _BLOCKS + (self.before[self._offsets(rounds)][:, 1:] <= within[:, None]).sum(axis=1)
        if (late := children >= whole).any():
            rest = np.searchsorted(self.rest_before, children - whole, side="right") - 1
            out = np.where(late, self._whole + rest, out)
        return np.asarray(out, np.int64)


@lru_cache(maxsize=64)
def _prepared(counts: tuple[int, ...]) -> tuple[Ints, Ints]:
    """The rising table, and the children before each block of a round, by the offset at which the round begins."""
    table = np.array(counts, np.int64)
    sums = table.reshape(OWNERS_A_BLOCK, _BLOCKS).sum(axis=0)
    before = np.zeros((_BLOCKS, _BLOCKS + 1), np.int64)
    for offset in range(_BLOCKS):
        before[offset, 1:] = np.cumsum(np.roll(sums, -offset))
    for array in (table, before):
        array.setflags(write=False)
    return table, before


def permuted(places: NDArray[np.uint8], words: Words) -> NDArray[np.uint8]:
    """Where each byte goes, by a permutation for each word: four rounds of an odd factor, an addend and a fold."""
    out = np.asarray(places)
    for turn in range(_ROUNDS):
        factor = (words >> np.uint64(16 * turn)).astype(np.uint8) | np.uint8(1)
        out = out * factor
        out += (words >> np.uint64(16 * turn + 8)).astype(np.uint8)
        out ^= out >> np.uint8(_FOLDS[turn])
    return out


def permuted_one(place: int, word_: int) -> int:
    """`permuted` for one byte, in plain integers."""
    for turn in range(_ROUNDS):
        place = (place * (word_ >> 16 * turn & 0xFF | 1) + (word_ >> 16 * turn + 8)) & 0xFF
        place ^= place >> _FOLDS[turn]
    return place


def by_quota(table: Ints, owners: int) -> Ints:
    """Counts of `owners` owners at even steps of a rising table; their mean is met as near as its limits and zeros allow."""
    chosen = table[(2 * np.arange(owners) + 1) * table.size // (2 * max(1, owners))]
    values, times = np.unique(chosen, return_counts=True)
    some = table[table > 0]
    least, most = (int(some[0]), int(some[-1])) if some.size else (0, 0)
    have = dict(zip(values.tolist(), times.tolist(), strict=True))
    return np.repeat(*reached(have, round(owners * int(table.sum()) / table.size), least, most))
