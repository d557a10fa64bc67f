"""Rows dealt to parts, children shared out by group, walks from state to state: exact, and found from both ends."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from weltigen.randomness import ExactSubset, GroupSplit, PopularitySplit, Walk, WalkSplit, key


def bits(purpose: str) -> tuple[int, int]:
    return key(7, "quay", "", purpose)


@pytest.mark.parametrize(
    ("of", "fixed", "first", "rows"), [(1, 0, 0, 1), (10, 3, 2, 5), (5_000, 0, 1_000, 400), (977, 20, 0, 977)]
)
def test_a_dealt_part_is_exact_and_leads_back(of: int, fixed: int, first: int, rows: int) -> None:
    dealt = ExactSubset(of=of, first=first, rows=rows, key=bits("dealt"), fixed=fixed)
    every = np.arange(of + fixed)
    chosen = dealt.ordinals()
    assert np.array_equal(every[dealt.chosen(every)], chosen) and chosen.size == rows and (chosen >= fixed).all()
    assert np.array_equal(dealt.at(dealt.positions(every)), every)
    assert sorted(dealt.positions(every).tolist()) == every.tolist()


@pytest.mark.parametrize("fixed", [0, 4])
def test_groups_share_out_all_children_and_each_knows_its_own(fixed: int) -> None:
    dealt = ExactSubset(of=300, first=0, rows=0, key=bits("dealt"), fixed=fixed)
    keys = bits("owners"), bits("children")
    splits = [
        PopularitySplit.between(30, 600, 10, 40, keys),
        None,
        PopularitySplit.build(250 + fixed, 1_400, [(1.0, 1.0)], *keys),
    ]
    picks = GroupSplit.build(dealt, [(50, 30), (200, 20)], splits, bits("groups"))
    owners = picks.owner_of(np.arange(picks.children))
    counts = np.bincount(owners, minlength=300 + fixed)
    place = dealt.positions(np.arange(300 + fixed))
    first, empty = (place >= 50) & (place < 80), (place >= 200) & (place < 220)
    assert (picks.children, counts[first].sum(), counts[empty].sum()) == (2_000, 600, 0)
    assert counts[first].min() >= 10 and counts[first].max() <= 40 <= picks.highest
    for owner in range(0, 300 + fixed, 7):
        assert picks.children_of(owner) == np.flatnonzero(owners == owner).tolist()


STEPS = np.array([[0, 70, 0, 20, 10], [0, 0, 95, 5, 0], [0, 0, 0, 0, 0], [0, 0, 0, 0, 0], [30, 0, 0, 0, 0]], float)


def walk(ends: list[float] | None = None, given: tuple[int, ...] = ()) -> Walk:
    keys = tuple(bits(f"walk {number}") for number in range(48))
    return Walk.build(np.array([80.0, 20, 0, 0, 0]), STEPS, ends, given, keys)


def test_a_free_walk_goes_by_its_weights() -> None:
    path, length = walk().path(np.arange(60_000))
    last = path[np.arange(60_000), length - 1]
    # from state 0 a step to 4 comes back to 0, so 0 is left for good by 70 : 20
    paid = 0.8 * 70 / 90 + 0.2
    assert np.bincount(last, minlength=5) / 60_000 == pytest.approx(
        [0, 0, paid * 0.95, 0.8 * 20 / 90 + paid * 0.05, 0], abs=0.006
    )
    taken = {(int(a), int(b)) for a, b in zip(path[:, :-1].ravel(), path[:, 1:].ravel(), strict=True) if b >= 0}
    assert taken == {(0, 1), (0, 3), (0, 4), (1, 2), (1, 3), (4, 0)}


def test_a_walk_with_declared_ends_comes_to_them_by_allowed_steps() -> None:
    ends = [1.0, 2, 3, 3, 1]
    wanted = walk(ends, given=(3, -1, 0))
    path, length = wanted.path(np.arange(40_000))
    last = wanted.last(np.arange(40_000))
    assert np.bincount(last) / 40_000 == pytest.approx(np.array(ends) / 10, abs=0.01) and (last[0], last[2]) == (3, 0)
    for row in path[:500]:
        states = row[row >= 0]
        assert states[0] in (0, 1) and all(STEPS[a, b] > 0 for a, b in pairwise(states))
    split = WalkSplit.of(5_000, wanted)
    owner, rank, count = split.locate(np.arange(split.children))
    assert np.array_equal(np.bincount(owner), length[:5_000]) and np.array_equal(count, length[owner]) and (rank < count).all()
    assert [split.count_one(o) for o in (0, 77, 4_999)] == length[[0, 77, 4_999]].tolist()
