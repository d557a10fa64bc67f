"""Bijections, quotas, quantile tables and children: exact where they promise it, and alike in both forms."""

from __future__ import annotations

from math import ceil, floor, sqrt

import numpy as np
import pytest

from weltigen.randomness import Bits, Gaps, PopularitySplit, contiguous, from_counts, key, popularity
from weltigen.randomness.bijection import shuffle, shuffle_one, shuffle_within, unshuffle, unshuffle_one
from weltigen.randomness.boundaries import Boundaries
from weltigen.randomness.count_tables import counts
from weltigen.randomness.quantiles import STEPS, exponential, look_up, look_up_one, normal, skewed
from weltigen.randomness.quota import choose, quota, thresholds

K = key(1, "entity", "field")


@pytest.mark.parametrize("n", [*range(1, 60), 97, 256, 1000, 1023, 65_537])
def test_a_shuffle_is_a_bijection_with_an_inverse(n: int) -> None:
    every = np.arange(n)
    there = shuffle(every, n, K)
    assert sorted(there.tolist()) == every.tolist()
    assert unshuffle(there, n, K).tolist() == every.tolist()


@pytest.mark.parametrize("n", [1, 2, 3, 10, 1000, 10**6 + 3, 10**9 + 7, 2**32, 2**40 + 15, 2**62])
def test_the_three_forms_of_the_shuffle_agree(n: int) -> None:
    some = np.unique(np.linspace(0, n - 1, 40).astype(np.uint64))
    some = some[some < n]
    there = shuffle(some, n, K)
    assert there.tolist() == [shuffle_one(int(i), n, K) for i in some]
    assert [unshuffle_one(int(i), n, K) for i in there] == some.tolist()
    k0, k1 = np.full(len(some), K.k0, np.uint64), np.full(len(some), K.k1, np.uint64)
    assert shuffle_within(some, np.full(len(some), n, np.uint64), k0, k1).tolist() == there.tolist()


def test_the_orders_of_four_items_are_even() -> None:
    orders: dict[tuple[int, ...], int] = {}
    trials = 24_000
    for trial in range(trials):
        order = tuple(shuffle_one(i, 4, key(trial, "order", "of four")) for i in range(4))
        orders[order] = orders.get(order, 0) + 1
    assert len(orders) == 24
    expected = trials / 24
    statistic = sum((count - expected) ** 2 / expected for count in orders.values())
    assert (statistic - 23) / sqrt(2 * 23) < 5


def test_a_shuffled_order_has_no_trend() -> None:
    n = 100_000
    there = shuffle(np.arange(n), n, K).astype(np.float64)
    assert abs(np.corrcoef(np.arange(n), there)[0, 1]) < 5 / sqrt(n)
    assert abs(np.corrcoef(there[:-1], there[1:])[0, 1]) < 5 / sqrt(n)


@pytest.mark.parametrize("space", [50, 10**6, 2**32, 2**32 + 5, 10**13, 2**62])
def test_distinct_positions_differ_and_reach_the_whole_space(space: int) -> None:
    bits = Bits(1, "vessel", "call_sign")
    ordinals = np.arange(min(space, 30_000))
    drawn = bits.distinct(space, ordinals)
    assert np.unique(drawn).size == ordinals.size
    assert int(drawn.max()) < space
    assert drawn.astype(float).mean() == pytest.approx(space / 2, rel=0.03)
    assert drawn[:20].tolist() == [int(bits.distinct(space, ordinals[i : i + 1])[0]) for i in range(20)]


def test_quotas_sum_and_keep_their_shares() -> None:
    for n, weights in [(10, [80, 12, 8]), (7, [1, 1, 1]), (0, [2, 3]), (10**9, [0.1, 0.2, 0.7]), (3, [1] * 10)]:
        shares = quota(n, weights)
        assert shares.sum() == n
        assert (np.abs(shares - np.array(weights) * n / sum(weights)) < 1).all()


def test_weighted_choices_keep_their_shares_and_never_take_a_weight_of_zero() -> None:
    ends = thresholds([80, 0, 12, 8, 0])
    drawn = Bits(1, "booking", "status").words(np.arange(100_000))
    chosen = choose(ends, drawn)
    share = np.bincount(chosen, minlength=5) / 100_000
    assert share[[1, 4]].tolist() == [0, 0]
    assert share[[0, 2, 3]] == pytest.approx([0.80, 0.12, 0.08], abs=5 * sqrt(0.25 / 100_000))
    for some in (ends, thresholds(range(1, 40))):  # few are compared, many searched
        assert choose(some, drawn)[:200].tolist() == [int((some < word).sum()) for word in drawn[:200]]


def test_boundaries_find_what_a_binary_search_finds() -> None:
    for sizes in ([3, 0, 5, 1], [1] * 300, [10**12, 1, 1, 1, 10**6], [1] * 5000 + [10**9], [7]):
        ends = np.cumsum(np.array(sizes, np.int64))
        total = int(ends[-1])
        numbers = np.unique(np.concatenate([np.linspace(0, total - 1, 5000).astype(np.int64), ends[:-1], ends[:-1] - 1]))
        numbers = numbers[(numbers >= 0) & (numbers < total)]
        assert Boundaries(ends).find(numbers).tolist() == np.searchsorted(ends, numbers, side="right").tolist()


@pytest.mark.parametrize(
    ("table", "median", "p95"),
    [(normal(100, 15), 100, 124.7), (skewed(58, 210), 58, 210), (exponential(10), 6.93, 29.96)],
    ids=["normal", "skewed", "exponential"],
)
def test_quantile_tables_have_the_quantiles_that_were_asked_for(table: np.ndarray, median: float, p95: float) -> None:
    drawn = Bits(1, "x", "y").words(np.arange(200_000))
    values = look_up(table, drawn)
    assert np.quantile(values, [0.5, 0.95]) == pytest.approx([median, p95], rel=0.02)
    assert (np.diff(table) >= 0).all()
    assert values[:100].tolist() == [look_up_one(table, int(w)) for w in drawn[:100]]


@pytest.mark.parametrize(
    ("mean", "lowest", "highest", "none"),
    [(35, 1, 120, 0.03), (2.1, 1, 6, 0), (0.4, 0, 3, 0), (400, 20, 1600, 0.1), (5, 5, 5, 0)],
)
def test_counts_have_their_mean_their_limits_and_their_share_of_none(mean: float, lowest: int, highest: int, none: float) -> None:
    table = counts(mean, lowest, highest, none)
    assert table.size == STEPS
    assert table.mean() == pytest.approx(mean, rel=0.001)
    filled = table[round(none * STEPS) :]
    assert (lowest <= filled).all() and (filled <= highest).all() and (table[: round(none * STEPS)] == 0).all()


def test_counts_that_cannot_have_their_mean_say_so() -> None:
    with pytest.raises(ValueError, match="outside of 1 to 4"):
        counts(9, 1, 4, 0)


@pytest.mark.parametrize("owners", [1, 3, 255, 256, 257, 4096, 5000, 9000])
def test_children_in_their_owners_order_are_found_both_ways(owners: int) -> None:
    split = contiguous(owners, counts(3, 1, 9, 0.2), key(1, "child", "", "rows"))
    every = np.arange(split.children)
    owner, rank, count = split.locate(every)
    assert (np.diff(owner) >= 0).all()
    assert np.bincount(owner, minlength=owners).tolist() == split.counts(np.arange(owners)).tolist()
    scattered = every[:: max(1, len(every) // 97)][::-1]
    assert [a.tolist() for a in split.locate(scattered)] == [a[scattered].tolist() for a in (owner, rank, count)]
    for child in scattered.tolist():
        assert split.locate_one(child) == (owner[child], rank[child], count[child])
        assert child in split.children_of(int(owner[child]))
    assert sum(len(split.children_of(o)) for o in range(owners)) == split.children
    every, half = split.counts(np.arange(owners)), np.arange(owners)[::2]
    assert split.counts(half).tolist() == [split.count_one(o) for o in half.tolist()] == every[half].tolist()
    assert split.starts(half[::-3]).tolist() == (np.cumsum(every) - every)[half[::-3]].tolist()


@pytest.mark.parametrize("owners", [1, 8, 100, 4_096, 70_000])
@pytest.mark.parametrize(("mean", "least", "most", "none"), [(2, 1, 6, 0.25), (1.4, 2, 2, 0.3), (0.25, 0, 1, 0), (35, 1, 120, 0)])
def test_shares_and_means_of_counts_are_met_to_the_row(owners: int, mean: float, least: int, most: int, none: float) -> None:
    split = contiguous(owners, counts(mean, least, most, none), key(1, "child", "", "rows"))
    found = split.counts(np.arange(owners))
    assert split.children == found.sum() and abs(found.sum() - mean * owners) <= max(1 + owners / 4096, most * none)
    if least:
        assert abs((found == 0).sum() - none * owners) <= 0.5 + owners / 4096 and found[found > 0].min(initial=least) >= least
    assert split.least <= found.min() and found.max() <= min(split.most, most)
    if owners > 10_000:  # which owner has many says nothing about its neighbours
        for step in (1, 2, 16, 256, 4_096):
            assert abs(np.corrcoef(found[:-step], found[step:])[0, 1]) < 0.02


@pytest.mark.parametrize(("owners", "children"), [(1, 5), (10, 3), (100, 100), (777, 20_000)])
@pytest.mark.parametrize(
    "shares", [[(1.0, 1.0)], popularity(0.2, 0.5, 100), from_counts(counts(4, 1, 12, 0.25))], ids=["even", "favour", "counts"]
)
def test_children_that_pick_by_class_are_all_placed_and_found_both_ways(
    owners: int, children: int, shares: list[tuple[float, float]]
) -> None:
    picks = PopularitySplit.build(owners, children, shares, key(1, "c", "r", "owners"), key(1, "c", "r", "children"))
    owner = picks.owner_of(np.arange(children))
    assert ((owner >= 0) & (owner < owners)).all()
    assert [int(picks.owner_of(np.array([c]))[0]) for c in range(min(children, 50))] == owner[:50].tolist()
    for o in range(0, owners, max(1, owners // 40)):
        assert picks.children_of(o) == np.flatnonzero(owner == o).tolist()
    assert np.bincount(owner, minlength=owners).max() == picks.highest


@pytest.mark.parametrize("owners", [8, 40, 10_000])
@pytest.mark.parametrize(("few", "take"), [(0.2, 0.5), (0.1, 0.6), (0.01, 0.3)])
def test_a_few_owners_take_the_share_they_were_given(owners: int, few: float, take: float) -> None:
    keys, children = (key(1, "c", "r", "owners"), key(1, "c", "r", "children")), 20 * owners
    picks = PopularitySplit.build(owners, children, popularity(few, take, owners), *keys)
    taken = np.sort(np.bincount(picks.owner_of(np.arange(children)), minlength=owners))[::-1]
    assert taken[: ceil(few * owners)].sum() / children >= take - 0.03
    assert taken[: floor(few * owners)].sum() / children <= take + 0.03
    assert popularity(1.0, 1.0, 8) == [(1.0, 1.0)]


@pytest.mark.parametrize("share", [0.0, 0.05, 0.5, 0.9])
def test_numbers_with_gaps_rise_and_are_found_by_their_place(share: float) -> None:
    gaps = Gaps(key(1, "a", "id", "gaps"), share)
    rows = np.arange(6_400)
    places = gaps.places(rows)
    assert places[0] == 0 and (np.diff(places) >= 1).all() and abs(1 - rows.size / (places[-1] + 1) - share) < 0.02
    assert gaps.places(rows[::-7]).tolist() == places[::-7].tolist()
    known = dict(zip(places.tolist(), rows.tolist(), strict=True))
    assert [gaps.row_at(place) for place in range(500)] == [known.get(place, -1) for place in range(500)]
    assert gaps.rows_within(int(places[-1]) + 1) <= rows.size
