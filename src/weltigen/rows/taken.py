"""What rules hold taken while rows are worked out."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


class Taken:
    """A growing set of words. Late rounds add few, so these are kept apart until they are many, and the rest stays sorted."""

    def __init__(self) -> None:
        self.many = np.zeros(0, np.uint64)
        self.few = np.zeros(0, np.uint64)

    def add(self, words: NDArray[np.uint64]) -> None:
        self.few = np.sort(np.concatenate([self.few, words]))
        if self.few.size > self.many.size // 8:
            self.many = np.sort(np.concatenate([self.many, self.few]), kind="stable")  # two sorted runs are quickly merged
            self.few = np.zeros(0, np.uint64)

    def hold(self, words: NDArray[np.uint64]) -> NDArray[np.bool_]:
        found = np.zeros(words.size, bool)
        for known in (self.many, self.few):
            if known.size:
                found |= known[np.minimum(np.searchsorted(known, words), known.size - 1)] == words
        return found
