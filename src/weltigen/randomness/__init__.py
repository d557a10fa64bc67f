"""Bits, bijections, quantile tables, quotas and splits: NumPy only; knows nothing of models."""

from .bits import WIDEST, Bits
from .children import ContiguousSplit, contiguous
from .distinct import DistinctPicks
from .gaps import Gaps
from .groups import GroupSplit
from .keys import Key, Seed, key
from .levels import Levels
from .mixing import Words, words
from .popularity import PopularitySplit, from_counts, popularity
from .subsets import ExactSubset
from .walks import Walk, WalkSplit

__all__ = [
    "WIDEST",
    "Bits",
    "ContiguousSplit",
    "DistinctPicks",
    "ExactSubset",
    "Gaps",
    "GroupSplit",
    "Key",
    "Levels",
    "PopularitySplit",
    "Seed",
    "Walk",
    "WalkSplit",
    "Words",
    "contiguous",
    "from_counts",
    "key",
    "popularity",
    "words",
]
