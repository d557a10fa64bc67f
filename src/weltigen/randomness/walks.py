"""Walks: each row goes from state to state by weights, and where it ends may be declared.

A walk that must end in a certain state is the free one on condition that it gets there: every step is weighted by the
probability of reaching that state from where it leads (the h-transform; Doob, 1957), and the walk stops there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .children import SummedSplit
from .keys import Key
from .mixing import Words, mix
from .quota import choose, thresholds

Ints = NDArray[np.int64]
MOST_STEPS = 48


@dataclass(frozen=True, slots=True, kw_only=True)
class Walk:
    """The walks of all rows. `start` and `steps` hold upper ends of words, by the state in which the walk must end.

    The last entry of both is for walks that end where they will. `ends`: the declared ends as upper ends of words, or None.
    `given`: the ends of the first rows, where those are given; -1 for any.
    """

    states: int
    start: Words  # (states + 1) × states
    steps: Words  # (states + 1) × states × (states + 1): the last choice is to stay
    ends: Words | None
    given: Ints
    keys: tuple[Key, ...]

    @classmethod
    def build(
        cls, start: NDArray[np.float64], steps: NDArray[np.float64], ends: Sequence[float] | None, given: Sequence[int],
        keys: tuple[Key, ...],
    ) -> Walk:  # fmt: skip
        """`steps[x, y]` is the weight of a step from x to y, `steps[x, x]` that of staying; a row without any ends the walk."""
        size = start.size
        first = np.zeros((size + 1, size), np.uint64)
        onward = np.zeros((size + 1, size, size + 1), np.uint64)
        moving = steps * (1 - np.eye(size))
        for end in range(size):
            reach = reaching(moving, end)
            first[end] = _ends(start * reach)
            for state in range(size):
                onward[end, state] = _ends(np.append(moving[state] * reach, 0.0) if state != end else np.eye(size + 1)[size])
        first[size] = _ends(start)
        for state in range(size):
            onward[size, state] = _ends(np.append(moving[state], steps[state, state]))
        return cls(
            states=size, start=first, steps=onward, ends=thresholds(ends) if ends is not None else None,
            given=np.array(given, np.int64), keys=keys,
        )  # fmt: skip

    def path(self, ordinals: NDArray[Any]) -> tuple[Ints, Ints]:
        """The states of each row's walk, in columns by step and -1 behind its end, and how many they are."""
        ordinals = np.asarray(ordinals, np.int64)
        end = self._where(ordinals)
        state = _pick(self.start[end], mix(self.keys[1], ordinals))
        out, length = [state], np.ones(ordinals.size, np.int64)
        going = np.arange(ordinals.size)
        for number in range(2, MOST_STEPS):
            following = _pick(self.steps[end[going], state[going]], mix(self.keys[number], ordinals[going]))
            moves = following < self.states
            going, following = going[moves], following[moves]
            if not going.size:
                break
            state = state.copy()
            state[going] = following
            column = np.full(ordinals.size, -1, np.int64)
            column[going] = following
            out.append(column)
            length[going] += 1
        return np.stack(out, axis=1), length

    def _where(self, ordinals: Ints) -> Ints:
        """The state in which each walk must end; the number of states for any."""
        if self.ends is None:
            end = np.full(ordinals.size, self.states, np.int64)
        else:
            end = choose(self.ends, mix(self.keys[0], ordinals))
        if self.given.size:
            known = self.given[np.minimum(ordinals, self.given.size - 1)]
            end = np.where((ordinals < self.given.size) & (known >= 0), known, end)
        return end

    def last(self, ordinals: NDArray[Any]) -> Ints:
        """The state in which each row's walk ends."""
        path, length = self.path(ordinals)
        return np.asarray(path[np.arange(length.size), length - 1], np.int64)


def reaching(moving: NDArray[np.float64], end: int) -> NDArray[np.float64]:
    """From each state, the probability of coming to `end`: the least solution of h = P h with h(end) = 1, rounded."""
    total = moving.sum(axis=1, keepdims=True)
    chance = np.divide(moving, total, out=np.zeros_like(moving), where=total > 0)
    chance[end] = 0.0
    reach = np.zeros(len(moving))
    reach[end] = 1.0
    for _ in range(4_096):  # from below, so that circles which never come there stay at 0
        following = chance @ reach
        following[end] = 1.0
        if np.abs(following - reach).max() < 1e-13:
            break
        reach = following
    return np.asarray(np.round(reach, 12), np.float64)


def _ends(weights: NDArray[np.float64]) -> Words:
    """Upper ends of words; where nothing has a weight the last choice takes all."""
    if not weights.sum() > 0:
        out = np.zeros(weights.size, np.uint64)
        out[-1] = np.uint64(2**64 - 1)
        return out
    return thresholds(weights.tolist())


def _pick(ends: Words, words: Words) -> Ints:
    return np.asarray((words[:, None] > ends).sum(axis=1), np.int64)


@dataclass(frozen=True, slots=True, kw_only=True)
class WalkSplit(SummedSplit):
    """Each owner has a child for every state of its walk."""

    walk: Walk

    @classmethod
    def of(cls, owners: int, walk: Walk) -> WalkSplit:
        return cls(owners=owners, index=np.zeros(1, np.int64), walk=walk).indexed()

    def counts(self, owners: NDArray[Any]) -> Ints:
        flat = np.minimum(np.asarray(owners, np.int64).reshape(-1), max(0, self.owners - 1))
        return self.walk.path(flat)[1].reshape(np.shape(owners))

    @property
    def least(self) -> int:
        return 1

    @property
    def most(self) -> int:
        return MOST_STEPS
