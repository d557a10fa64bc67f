"""Bits, bijections, quantile tables, quotas and splits: NumPy only; knows nothing of models."""

from .bits import WIDEST, Bits
from .children import ByClass, InOwnersOrder, from_counts, popularity
from .distinct import DistinctPicks
from .keys import Key, key
from .levels import Levels
from .mixing import Words, words

__all__ = [
    "WIDEST",
    "Bits",
    "ByClass",
    "DistinctPicks",
    "InOwnersOrder",
    "Key",
    "Levels",
    "Words",
    "from_counts",
    "key",
    "popularity",
    "words",
]
