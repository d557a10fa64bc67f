"""Levels of trees, counts between limits, distinct picks, windows: each both ways, each within its limits, one row as many."""

from __future__ import annotations

import numpy as np
import pytest

from weltigen.randomness import Bits, DistinctPicks, Levels, PopularitySplit, contiguous, key
from weltigen.randomness.mixing import mix
from weltigen.randomness.windows import within_windows

KEYS = key(5, "boat", "pier", "owners"), key(5, "boat", "pier", "children")


@pytest.mark.parametrize(
    ("rows", "roots", "depth", "most"),
    [
        (100, 1, 4, None),
        (100, 5, None, 3),
        (31, 1, 5, 2),
        (1000, 10, 3, 50),
        (7, 7, None, None),
        (10, 1, 2, 9),
        (2, 5, 3, 2),
        (1, 1, 1, 1),
    ],
)
def test_a_tree_has_its_roots_levels_and_children_and_both_ends_agree(
    rows: int, roots: int, depth: int | None, most: int | None
) -> None:
    levels = Levels.build(rows, roots, depth, most, Bits(1, "piece", "whole"))
    parents = levels.parents(np.arange(rows))
    assert (parents < 0).sum() == min(roots, rows) and (parents < np.arange(rows)).all()
    level = np.ones(rows, int)
    for row in np.flatnonzero(parents >= 0):
        level[row] = level[parents[row]] + 1
    assert level.max() <= (depth or rows) and np.bincount(parents[parents >= 0], minlength=1).max() <= (most or rows)
    for row in range(rows):
        assert levels.children_of(row) == np.flatnonzero(parents == row).tolist()
        assert levels.parents(np.array([row]))[0] == parents[row]


@pytest.mark.parametrize(("rows", "roots", "depth", "most"), [(33, 1, 5, 2), (10, 1, 2, 8), (5, 2, 1, 3)])
def test_a_tree_that_cannot_hold_its_rows_is_told(rows: int, roots: int, depth: int, most: int) -> None:
    with pytest.raises(ValueError, match=f"not {rows}"):
        Levels.build(rows, roots, depth, most, Bits(1, "piece", "whole"))


@pytest.mark.parametrize(
    ("owners", "children", "least", "most", "none"),
    [
        (10, 25, 1, 4, 0.2),
        (100, 333, 2, 9, 0.1),
        (3, 3, 1, 1, 0),
        (50, 50, 0, 3, 0.3),
        (7, 21, 0, 3, 0),
        (1000, 50, 0, 1, 0.5),
        (4, 9, 2, 3, 0),
    ],
)
def test_counts_between_limits_are_kept_to_the_row(owners: int, children: int, least: int, most: int, none: float) -> None:
    dealt = PopularitySplit.between(owners, children, least, most, KEYS, none=none)
    found = np.bincount(dealt.owner_of(np.arange(children)), minlength=owners)
    some = found[found > 0] if least == 0 or none else found
    assert found.sum() == children and some.min() >= least and found.max() <= most
    if least:
        assert (found == 0).sum() == round(none * owners)
    owner, rank, count = dealt.locate(np.arange(children))
    assert (
        (count == found[owner]).all()
        and len(set(zip(owner.tolist(), rank.tolist(), strict=True))) == children
        and (rank < count).all()
    )
    with pytest.raises(ValueError, match="each make"):
        PopularitySplit.between(owners, owners * most + 1, least, most, KEYS, none=none)


@pytest.mark.parametrize(("targets", "most"), [(1, 1), (3, 3), (7, 7), (50, 20), (1000, 300), (100_000, 12)])
def test_an_owner_picks_each_target_once_and_favourites_more_often(targets: int, most: int) -> None:
    picks = DistinctPicks.build(targets, 0.2, 0.5, most, KEYS[0])
    counts = np.random.default_rng(targets).integers(0, most + 1, 600)
    owner = np.repeat(np.arange(600), counts)
    rank = np.arange(owner.size) - np.repeat(np.cumsum(counts) - counts, counts)
    found = picks.pick(mix(KEYS[1], owner), rank, counts[owner])
    assert found.min() >= 0 and found.max() < targets
    assert len(np.unique(owner * targets + found)) == owner.size
    often = np.sort(np.bincount(found, minlength=targets))[::-1]
    if most < targets / 2 and targets > 10:
        assert often[: targets // 5].sum() / owner.size > 0.4
    for at in range(0, owner.size, max(1, owner.size // 20)):
        alone = picks.pick(mix(KEYS[1], owner[at : at + 1]), rank[at : at + 1], counts[owner][at : at + 1])
        assert alone[0] == found[at]


@pytest.mark.parametrize("space", [64, 97, 8400, 300_000])
def test_windows_give_each_rank_of_a_group_another_position(space: int) -> None:
    for group in range(5):
        words = mix(KEYS[0], np.full(space, group))
        found = within_windows(np.arange(space), space, words, KEYS[1])
        assert (np.sort(found) == np.arange(space)).all()
    starts = within_windows(np.zeros(4000, int), space, mix(KEYS[0], np.arange(4000)), KEYS[1])
    assert len(np.unique(starts)) > 0.6 * min(space, 4000)


def test_owners_get_no_more_than_their_caps() -> None:
    caps = np.random.default_rng(2).integers(0, 6, 1000)
    split = contiguous(1000, np.full(4096, 4), KEYS[0], caps)
    counts = split.counts(np.arange(1000))
    assert (counts == np.minimum(4, caps)).all() and split.children == counts.sum() and split.least == 0
    owner, rank, count = split.locate(np.arange(split.children))
    assert (np.bincount(owner, minlength=1000) == counts).all() and (rank < count).all()
    assert all(
        split.children_of(o) == range(*(np.cumsum(counts)[o] - counts[o], np.cumsum(counts)[o])) for o in range(0, 1000, 37)
    )
