"""How many rows each owner has: the reference that owns rows, and the counts that a world file sets, as a table."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from ..model import PerOwner
from ..randomness import ContiguousSplit
from ..randomness.count_tables import counts
from ..randomness.quantiles import STEPS


@dataclass(frozen=True, slots=True, kw_only=True)
class Owner:
    """The relation whose target's rows each own a number of rows of this entity, and how the rows are split."""

    relation: str
    split: ContiguousSplit


@lru_cache(maxsize=256)
def count_table(rows: PerOwner) -> Any:
    """STEPS counts of equal weight."""
    if rows.each is not None:
        table = np.full(STEPS, rows.each, np.int64)
        table[: round(rows.none * STEPS)] = 0
        return table
    if rows.mean is None:
        empty = round(rows.none * STEPS)
        even = np.arange(STEPS - empty) * (rows.highest - rows.lowest + 1) // max(1, STEPS - empty) + rows.lowest
        return np.concatenate([np.zeros(empty, np.int64), even])
    return counts(rows.mean, rows.lowest, rows.highest, rows.none)


def per_owner_table(rows: PerOwner) -> Any:
    """The counts that `rows` sets; None where its numbers do not agree."""
    try:
        return count_table(rows)
    except ValueError:
        return None
