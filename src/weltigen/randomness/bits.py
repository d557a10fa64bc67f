"""Bits: the randomness that one filler owns, addressed by ordinal and never shared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .bijection import shuffle
from .keys import Key, Seed, key
from .mixing import Words, below, below_one, mix, unit, unit_one, word
from .quantiles import Table, look_up, look_up_one

WIDEST = 1 << 62  # the largest value space that positions can address
_STRATA = 1 << 32


@dataclass(frozen=True, slots=True)
class Bits:
    """Random bits of one field for one purpose."""

    seed: Seed
    entity: str
    field: str
    purpose: str = "value"
    attempt: int = 0

    @property
    def key(self) -> Key:
        return key(self.seed, self.entity, self.field, self.purpose, self.attempt)

    def for_purpose(self, purpose: str) -> Bits:
        return Bits(self.seed, self.entity, self.field, purpose, self.attempt)

    def words(self, ordinals: NDArray[Any]) -> Words:
        return mix(self.key, ordinals)

    def below(self, limit: int | Words, ordinals: NDArray[Any]) -> Words:
        return below(self.words(ordinals), limit)

    def unit(self, ordinals: NDArray[Any]) -> NDArray[np.float64]:
        return unit(self.words(ordinals))

    def look_up(self, knots: Table, ordinals: NDArray[Any]) -> NDArray[np.float64]:
        if len(ordinals) == 1:
            return np.array([self.look_up_one(knots, int(ordinals[0]))])
        return look_up(knots, self.words(ordinals))

    def distinct(self, space: int, ordinals: NDArray[Any]) -> Words:
        """A different position 0 … space-1 for each ordinal below `space`.

        A space above 2^32 is cut into 2^32 equal strata; ordinals go to different strata and anywhere within.
        """
        if space <= _STRATA:
            return shuffle(ordinals, space, self.key)
        stratum = space // _STRATA
        out = shuffle(ordinals, _STRATA, self.key)
        out *= np.uint64(stratum)
        out += self.for_purpose("within stratum").below(stratum, ordinals)
        return out

    # the same for one ordinal, in plain numbers

    def word(self, ordinal: int) -> int:
        return word(self.key, ordinal)

    def below_one(self, limit: int, ordinal: int) -> int:
        return below_one(self.word(ordinal), limit)

    def unit_one(self, ordinal: int) -> float:
        return unit_one(self.word(ordinal))

    def look_up_one(self, knots: Table, ordinal: int) -> float:
        return look_up_one(knots, self.word(ordinal))
