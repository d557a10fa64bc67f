"""Bits, bijections, quantile tables, quotas and splits: NumPy only; knows nothing of models."""

from .bits import WIDEST, Bits
from .children import ByClass, InOwnersOrder, from_counts, popularity
from .dealt import Dealt
from .distinct import DistinctPicks
from .groups import ByGroup
from .keys import Key, Seed, key
from .levels import Levels
from .mixing import Words, words
from .walks import ByWalk, Walk

__all__ = [
    "WIDEST",
    "Bits",
    "ByClass",
    "ByGroup",
    "ByWalk",
    "Dealt",
    "DistinctPicks",
    "InOwnersOrder",
    "Key",
    "Levels",
    "Seed",
    "Walk",
    "Words",
    "from_counts",
    "key",
    "popularity",
    "words",
]
