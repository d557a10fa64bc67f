"""How rows find what they refer to: each function gives ordinals of the target for any rows, -1 for none."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..model import Favour, Problem, Relation
from ..model.problems import ImpossibleError
from ..randomness import Bits, ContiguousSplit, ExactSubset, GroupSplit, Levels, PopularitySplit
from ..randomness.pairs import pair_at
from ..randomness.quota import choose
from .agreement import Agreement, CandidateFilter
from .ports import Ordinals, RowsPort, redraw_key

Targets = Callable[[RowsPort], Ordinals]


def nothing(rows: RowsPort) -> Ordinals:
    return np.full(len(rows), -1, np.int64)


def by_owner(rows: RowsPort) -> Ordinals:
    return rows.owners()[0]


def worked_out(name: str) -> Targets:
    return lambda rows: rows.runtime.choices(rows.name).targets[name][rows.ordinals]


def led(agreement: Agreement) -> Targets:
    """Where the way from another reference ends."""

    def find(rows: RowsPort) -> Ordinals:
        if agreement.leader is None:
            return rows.ordinals
        return rows.follow(agreement.leader, agreement.from_leader)

    return find


def among_members(bits: Bits, name: str, favour: Favour, apart: str | None) -> Targets:
    """One of the rows that agree with other references, keep the reference's condition, and are not where `apart` points."""

    def find(rows: RowsPort) -> Ordinals:
        other = rows.targets(apart) if apart is not None else None
        return rows.runtime.members(rows.name, name).pick(bits.words(rows.ordinals), rows.follow, rows.ordinals, favour, other)

    return find


def among_some(bits: Bits, relation: Relation, candidates: CandidateFilter, favour: Favour, cohort: str) -> Targets:
    """One of the rows that a cohort of the rows may refer to; ImpossibleError where there is none."""

    def find(rows: RowsPort) -> Ordinals:
        members = rows.runtime.members_of_cohort(rows.name, relation, candidates, cohort)
        if members.empty:
            assert candidates.where is not None
            asked = f"refer to a {relation.target} where {candidates.where.expression}"
            raise ImpossibleError(Problem(
                fact=f"{relation.label} of the cohort {cohort} is to {asked}, but there is none", place=candidates.where.place,
                hint=f"give {relation.target} a fixed row that is so, or weights by which some rows are",
            ))  # fmt: skip
        found: Ordinals = members.pick(bits.words(rows.ordinals), rows.follow, rows.ordinals, favour)
        return found

    return find


def of_some(dealt: ExactSubset, own: Targets, usual: Targets) -> Targets:
    """Some rows find their target in a way of their own."""

    def find(rows: RowsPort) -> Ordinals:
        found, chosen = usual(rows), np.flatnonzero(dealt.chosen(rows.ordinals))
        if chosen.size:  # what only a part of the rows need is not made for all
            found = found.copy()
            found[chosen] = own(rows.some(chosen))
        return found

    return find


def picked(picks: PopularitySplit | GroupSplit) -> Targets:
    return lambda rows: picks.owner_of(rows.ordinals)


def by_weight(bits: Bits, ordinals: Ordinals, ends: NDArray[np.uint64]) -> Targets:
    """One of some rows, each as often as its weight says."""
    return lambda rows: ordinals[choose(ends, bits.words(rows.ordinals))]


def by_digit(number: int, name: str) -> Targets:
    return lambda rows: rows.digit(number, name).astype(np.int64)


def beyond_by_digit(number: int, name: str, other: str, total: int) -> Targets:
    """The digit is the distance from a reference of the same rule, from which this one must differ."""
    return lambda rows: (rows.targets(other) + 1 + rows.digit(number, name).astype(np.int64)) % total


def in_order(number: int, low: str, high: str, strict: bool, upper: bool) -> Targets:
    """Two digits of a rule are the place of an unordered pair, whose lower key one reference takes and the other the higher.

    Where both may be the same, the pairs are those of one thing more: the higher one moved down by one.
    """

    def find(rows: RowsPort) -> Ordinals:
        relation = rows.runtime.world.entity(rows.name).relation(high)
        things = rows.runtime.total(relation.target) + (not strict)
        made = ("pair", low, high)
        below, above = rows.once(made, lambda: pair_at(rows.digit(number, low), rows.digit(number, high), things))
        rank = above - (not strict) if upper else below
        order = rows.runtime.key_order(relation)
        return rank if order is None else order[rank]

    return find


def pair_in_order(picks: PopularitySplit, bits: Bits, low: str, high: str, strict: bool, upper: bool) -> Targets:
    """Two rows are picked, and one reference goes to the lower key, the other to the higher; the same row where both may."""

    def pair(rows: RowsPort) -> tuple[Ordinals, Ordinals]:
        relation = rows.runtime.world.entity(rows.name).relation(high)
        total = rows.runtime.total(relation.target)
        own = bits
        if rows.attempt and redraw_key(low) in rows.redrawn:  # a check failed: another pair, any as likely
            own = Bits(bits.seed, bits.entity, bits.field, bits.purpose, rows.attempt)
            one = own.for_purpose("again").below(total, rows.ordinals).astype(np.int64)
        else:
            one = picks.owner_of(rows.ordinals)
        further = own.below(total - strict, rows.ordinals).astype(np.int64) + strict
        two = (one + further) % total
        rank = rows.runtime.key_rank(relation)
        if rank is None:
            return np.minimum(one, two), np.maximum(one, two)
        turned = rank[one] > rank[two]
        return np.where(turned, two, one), np.where(turned, one, two)

    return lambda rows: rows.once(("pair", low, high), lambda: pair(rows))[upper]


def through_owner(number: int, name: str, split: ContiguousSplit, bits: Bits) -> Targets:
    """The digit is the target's owner; any of the owner's rows."""

    def find(rows: RowsPort) -> Ordinals:
        owners = rows.digit(number, name).astype(np.int64)
        return split.starts(owners) + bits.below(split.counts(owners).astype(np.uint64), rows.ordinals).astype(np.int64)

    return find


def unlike(bits: Bits, other: str, total: int) -> Targets:
    """The other reference's target moved on by 1 … total-1 places: every target but that one, all equally likely."""

    def find(rows: RowsPort) -> Ordinals:
        moved = bits.below(max(1, total - 1), rows.ordinals).astype(np.int64) + 1
        return (np.maximum(rows.targets(other), 0) + moved) % total

    return find


def by_rank(stride: int, total: int) -> Targets:
    """The rank among the owner's rows counts through the targets, `stride` ranks for each."""
    return lambda rows: rows.owners()[1] // stride % total


def beyond_by_rank(other: str, total: int) -> Targets:
    """The rank is the distance from another reference, from which this one must differ."""
    return lambda rows: (rows.targets(other) + 1 + rows.owners()[1]) % total


def member_by_rank(name: str, apart: bool) -> Targets:
    """The rank among the owner's rows counts through the members that agree with the owner."""

    def find(rows: RowsPort) -> Ordinals:
        members = rows.runtime.members(rows.name, name)
        owner, rank, _ = rows.owners()
        low, high, _ = members.span(members.starting(owner), rows.ordinals)
        if apart:
            rank = (members.place(owner, low, high) + 1 + rank) % np.maximum(high - low, 1)
        return members.at(low + rank)

    return find


# to rows of the entity itself: a row without a parent refers to none, or to itself where it must refer to something


def earlier(bits: Bits, optional: bool, apart: str | None) -> Targets:
    """A row before this one, so that nothing is its own ancestor; not that to which `apart` points."""

    def find(rows: RowsPort) -> Ordinals:
        count = rows.ordinals
        if apart is not None:
            other = rows.targets(apart)
            passed = (other >= 0) & (other < rows.ordinals)
            count = count - passed
        before = bits.below(np.maximum(count, 1).astype(np.uint64), rows.ordinals).astype(np.int64)
        if apart is not None:
            before = before + (passed & (before >= other))
        return np.where(count == 0, -1 if optional else 0, before)

    return find


def just_before(rows: RowsPort) -> Ordinals:
    """The row before this one: a chain, whose first row refers to none."""
    return rows.ordinals - 1


def itself(rows: RowsPort) -> Ordinals:
    return rows.ordinals


def parent_in(levels: Levels, optional: bool) -> Targets:
    """The row's parent in a tree that has levels."""

    def find(rows: RowsPort) -> Ordinals:
        parents = levels.parents(rows.ordinals)
        return parents if optional else np.where(parents < 0, rows.ordinals, parents)

    return find
