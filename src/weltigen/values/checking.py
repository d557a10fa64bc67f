"""Check digits, over columns: each function takes the numbers that the characters before the check stand for, rows by places."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Places = NDArray[np.int64]  # rows by places
Checks = NDArray[np.int64]
Check = Callable[[Places], Checks]

_DOUBLED = np.array([0, 2, 4, 6, 8, 1, 3, 5, 7, 9], np.int64)


def luhn(places: Places) -> Checks:
    """ISO/IEC 7812-1, annex B: every other digit doubled, from the right."""
    total: Checks = _DOUBLED[places[:, ::-1][:, ::2]].sum(axis=1) + places[:, ::-1][:, 1::2].sum(axis=1)
    return -total % 10


def ean(places: Places) -> Checks:
    """GS1: weights 3 and 1 from the right."""
    total: Checks = 3 * places[:, ::-1][:, ::2].sum(axis=1) + places[:, ::-1][:, 1::2].sum(axis=1)
    return -total % 10


def weighted(weights: str, modulus: int, *, down: bool = True, plus: int = 0) -> Check:
    """The sum of places times weights, what is missing to a multiple of the modulus (`down`) or what is over it."""
    told = np.array([int(weight) for weight in weights.split()], np.int64)

    def check(places: Places) -> Checks:
        total = places @ told + plus
        return -total % modulus if down else total % modulus

    return check


def remainder(modulus: int, shift: int = 0, *, less: int | None = None) -> Check:
    """The whole number by a modulus, after `shift` zeros were put behind it; taken from `less` where that is said."""

    def check(places: Places) -> Checks:
        rest = np.zeros(len(places), np.int64)
        for place in places.T:
            rest = (rest * 10 + place) % modulus
        rest = rest * 10**shift % modulus
        found: Checks = rest if less is None else less - rest
        return found

    return check


def mod_11_2(places: Places) -> Checks:
    """ISO/IEC 7064, MOD 11-2; ten stands for X."""
    rest = np.zeros(len(places), np.int64)
    for place in places.T:
        rest = (rest + place) * 2 % 11
    return (12 - rest) % 11


def mod_11_10(places: Places) -> Checks:
    """ISO/IEC 7064, MOD 11,10."""
    product = np.full(len(places), 10, np.int64)
    for place in places.T:
        total = (place + product) % 10
        product = np.where(total == 0, 10, total) * 2 % 11
    return (11 - product) % 10


# the dihedral group of order ten, and how places are turned (Verhoeff 1969)
_GROUP = np.array([[(a + b) % 5 if a < 5 and b < 5 else 5 + (a + b) % 5 if a < 5 else 5 + (a - b) % 5 if b < 5 else (a - b) % 5
                    for b in range(10)] for a in range(10)], np.int64)  # fmt: skip
_TURN = np.array([1, 5, 7, 6, 2, 8, 3, 0, 9, 4], np.int64)
_INVERSE = np.array([0, 4, 3, 2, 1, 5, 6, 7, 8, 9], np.int64)


def verhoeff(places: Places) -> Checks:
    turns = [np.arange(10)]
    for _ in range(7):
        turns.append(_TURN[turns[-1]])
    rest = np.zeros(len(places), np.int64)
    for at, place in enumerate(places.T[::-1], 1):
        rest = _GROUP[rest, turns[at % 8][place]]
    return _INVERSE[rest]
