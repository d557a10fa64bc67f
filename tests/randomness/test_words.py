"""The 64-bit words behind every cell look random in every direction in which they are used.

Each limit is five standard deviations of the statistic's own distribution: a right build fails once in 1.7 million.
"""

from __future__ import annotations

from math import sqrt

import numpy as np
import pytest

from weltigen.randomness import words
from weltigen.randomness.keys import key
from weltigen.randomness.mixing import below, below_one, mix, unit, unit_one, word

ROWS = 200_000
ORDINALS = np.arange(ROWS)
SIGMAS = 5.0


def chi_square(counts: np.ndarray) -> float:
    """Standard deviations by which Pearson's statistic exceeds its mean: k degrees of freedom, variance 2k."""
    expected = counts.sum() / counts.size
    freedom = counts.size - 1
    return (float(((counts - expected) ** 2 / expected).sum()) - freedom) / sqrt(2 * freedom)


@pytest.mark.parametrize("shift", range(0, 64, 8))
def test_each_byte_of_the_words_is_uniform(shift: int) -> None:
    octets = (words(1, "booking", "total", ORDINALS) >> np.uint64(shift)) & np.uint64(255)
    assert abs(chi_square(np.bincount(octets.astype(np.int64), minlength=256))) < SIGMAS


@pytest.mark.parametrize("shift", [0, 56])
def test_neighbouring_ordinals_are_independent(shift: int) -> None:
    octets = ((words(1, "booking", "total", ORDINALS) >> np.uint64(shift)) & np.uint64(63)).astype(np.int64)
    pairs = np.bincount(octets[:-1] * 64 + octets[1:], minlength=4096)
    assert abs(chi_square(pairs)) < SIGMAS


def addresses() -> list[tuple[str, np.ndarray]]:
    first = words(1, "booking", "total", ORDINALS)
    return [
        ("another field", words(1, "booking", "totals", ORDINALS)),
        ("another entity", words(1, "bookings", "total", ORDINALS)),
        ("the next seed", words(2, "booking", "total", ORDINALS)),
        ("a distant seed", words(1 + (1 << 40), "booking", "total", ORDINALS)),
        ("names that run together", words(1, "bookingt", "otal", ORDINALS)),
        ("itself, one row on", np.roll(first, 1)),
        ("itself, 65,536 rows on", np.roll(first, 65_536)),
    ]


@pytest.mark.parametrize(("name", "other"), addresses(), ids=lambda value: value if isinstance(value, str) else "")
def test_different_addresses_give_unrelated_words(name: str, other: np.ndarray) -> None:
    first = words(1, "booking", "total", ORDINALS)
    assert not (first == other).any()
    # of 64 bits, those that agree are binomial: mean 32, variance 16
    agreeing = np.bitwise_count(~(first ^ other)).astype(np.float64)
    assert abs(agreeing.mean() - 32) < SIGMAS * sqrt(16 / ROWS)
    correlation = np.corrcoef(unit(first), unit(other))[0, 1]
    assert abs(correlation) < SIGMAS / sqrt(ROWS)
    high = (first >> np.uint64(58)).astype(np.int64) * 64 + (other >> np.uint64(58)).astype(np.int64)
    assert abs(chi_square(np.bincount(high, minlength=4096))) < SIGMAS


@pytest.mark.parametrize("bit", [0, 1, 17, 31, 40, 62])
def test_one_bit_of_the_ordinal_or_the_key_changes_half_of_the_word(bit: int) -> None:
    k = key(3, "port", "name")
    some = np.arange(20_000, dtype=np.uint64) * np.uint64(7919)
    before = mix(k, some)
    # only one multiplication follows the key's second half; halves come from BLAKE2b and never differ by a single bit
    for after, tolerance in (
        (mix(k, some ^ np.uint64(1 << bit)), 0.3),
        (mix(k._replace(k0=k.k0 ^ (1 << bit)), some), 0.3),
        (mix(k._replace(k1=k.k1 ^ (1 << bit)), some), 6.0),
    ):
        changed = np.bitwise_count(before ^ after).astype(np.float64)
        assert abs(changed.mean() - 32) < tolerance


def test_different_ordinals_never_give_the_same_word() -> None:
    assert np.unique(words(5, "island", "code", np.arange(1_000_000))).size == 1_000_000


def test_the_scalar_twins_agree_with_the_arrays() -> None:
    k = key(9, "a", "b", "purpose", 3)
    ordinals = np.array([0, 1, 2, 65_535, 65_536, 10**12, 2**63 - 1], np.uint64)
    many = mix(k, ordinals)
    assert many.tolist() == [word(k, int(o)) for o in ordinals]
    assert [int(mix(k, ordinals[i : i + 1])[0]) for i in range(7)] == many.tolist()
    assert unit(many).tolist() == [unit_one(int(w)) for w in many]
    for limit in (1, 2, 10, 1000, 2**32 - 1, 2**32, 2**32 + 1, 10**15, 2**63):
        expected = [below_one(int(w), limit) for w in many]
        assert below(many, limit).tolist() == expected
        assert below(many, np.full(7, limit, np.uint64)).tolist() == expected
        assert max(expected) < limit


def test_numbers_below_a_limit_are_uniform() -> None:
    for limit in (7, 97, 1000):
        drawn = below(words(4, "x", "y", ORDINALS), limit).astype(np.int64)
        assert abs(chi_square(np.bincount(drawn, minlength=limit))) < SIGMAS


def test_the_words_are_the_same_on_every_platform_and_release() -> None:
    assert [hex(int(w)) for w in words(20260501, "booking", "total", np.array([0, 1, 10**9]))] == GOLDEN_WORDS


GOLDEN_WORDS = ["0xa38ed67935ea76fd", "0xbe3ef68e968819a6", "0xfa624459adbad751"]
