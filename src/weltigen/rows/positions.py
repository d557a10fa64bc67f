"""Positions: what the layout of unique rules means for rows, computed by arithmetic on their ordinals."""

from __future__ import annotations

from collections.abc import Sequence
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..plan.components import Component, Digit, Link, used_digits
from ..plan.entity import EntityPlan
from ..plan.plan import Plan
from ..plan.ways.own_rows import InTree
from ..randomness import Bits, Words
from ..randomness.bijection import shuffle, shuffle_within
from ..randomness.mixing import mix
from ..randomness.windows import LEAST, MOST, within_windows
from .ports import PlannedRows
from .strata import space_of, strata_of


def positions_of(number: int, rows: PlannedRows) -> dict[str, NDArray[np.uint64]]:
    """The position of every digit of a component for these rows."""
    component = rows.plan.components[number]
    bits = component.bits
    if component.strata:
        return _in_strata(number, rows)
    if component.link is not None:
        return _linked(component.link, bits, rows)
    out: dict[str, Any] = {}
    group, rank, count, most = _in_groups(component, rows)
    if component.core:
        space = component.core_space
        rank = _shuffled(bits.for_purpose("order"), rank, count, group)
        turn = rank // np.uint64(space)
        core = (rank - turn * np.uint64(space)).astype(np.uint64)
        core = shuffle(core, space, bits.for_purpose("core").key)
        group = mix(bits.for_purpose("core group").key, core if group is None else core + (group << np.uint64(8)))
        out |= _split(core, component.core)
        rank, count, most = turn, -(-count // space), -(-most // space)
    for nth, petal in enumerate(component.petals):
        own = bits.for_purpose(f"petal {nth}")
        used, free = used_digits(petal, most)
        space = prod(digit.radix for digit in used)
        if len(used) == 1 and used[0].counting and group is not None:
            position = rank.astype(np.uint64)
        elif len(used) == 1 and used[0].rising:
            position = _rising(own, rank, count, space, rows)
        elif group is None:
            position = own.distinct(space, rank.astype(np.uint64))
        elif LEAST <= space <= MOST:
            position = within_windows(rank, space, mix(own.key, group), own.key)
        else:
            position = shuffle_within(rank, np.full(len(rank), space, np.uint64), *_keys(own, group))
        out |= _split(position, used)
        for digit in free:
            out[digit.name] = own.for_purpose(f"free {digit.name}").below(digit.radix, rows.ordinals + component.position_offset)
    return out


def _in_groups(component: Component, rows: PlannedRows) -> tuple[Words | None, Any, Any, int]:
    """The group of each row, its rank there, the rows of its group, and the most that any group has."""
    plan, bits = rows.plan, component.bits
    group: Words | None = None  # what tells groups apart, as a word; None: there is one group
    rank: Any
    count: Any
    if component.ancestors:
        group, rank = _within_ancestor(component, rows)
        count, most = None, most_in_group(rows.runtime.plan, plan, component)
    elif component.siblings is not None:
        way = plan.references[component.siblings].way
        assert isinstance(way, InTree)
        parent, rank, count = way.levels.locate(rows.ordinals)
        if not way.optional:  # a root is its own first child
            rank = np.where(parent < 0, 0, rank + (parent < int(way.levels.starts[1])))
            parent, count = np.where(parent < 0, rows.ordinals, parent), count + 1
        group = mix(bits.key, parent)
        rank = np.where(parent < 0, rank % min(component.petal_space, 1 << 62), rank)  # roots may be equal: their parent is null
        most = way.levels.most_children
    elif component.within_owner:
        owner, rank, count = rows.owners()
        group = mix(bits.key, owner)
        most = plan.owner.split.most if plan.owner else 1
    else:
        rank, count, most = rows.generated(), plan.generated, plan.generated
        rank = np.where(rank < 0, plan.generated + plan.fixed + rank, rank)  # fixed rows take positions past the end
        if plan.fixed:
            count, most = plan.generated + plan.fixed, plan.generated + plan.fixed
        if component.position_offset:
            rank, most = rank + component.position_offset, most + component.position_offset
    return group, rank, count, most


def most_in_group(whole: Plan, plan: EntityPlan, component: Component) -> int:
    """The most rows that any group of a component can have, where groups are owners or owners of owners."""
    assert plan.owner is not None
    most = plan.owner.split.most
    for name in component.ancestors[:-1]:
        owner = whole.entities[name].owner
        assert owner is not None
        most *= owner.split.most
    return most


def _within_ancestor(component: Component, rows: PlannedRows) -> tuple[Words, Any]:
    """A word for each row's ancestor, and the row's rank among all of that ancestor's rows: owners' rows are contiguous."""
    splits = [rows.plan.owner] + [rows.runtime.plan.entities[name].owner for name in component.ancestors[:-1]]
    assert rows.plan.owner is not None
    at, back = rows.targets(rows.plan.owner.relation), None
    low, high = (int(at.min()), int(at.max())) if at.size else (0, 0)
    if at.size > 1 and high - low < at.size:  # owners of several rows each are worked out once
        at, back = np.arange(low, high + 1, dtype=np.int64), at - low
    first = at
    for owner in splits[1:]:
        assert owner is not None
        above, rank, _ = owner.split.locate(at)
        first = at - rank
        at = above
    for owner in reversed(splits[:-1]):  # the ancestor's first row at each level down again
        assert owner is not None
        first = owner.split.starts(first)
    word = mix(component.bits.key, at)
    if back is not None:
        word, first = word[back], first[back]
    return word, rows.generated() - first


def _linked(link: Link, bits: Bits, rows: PlannedRows) -> dict[str, Words]:
    """The owner of each row, by arithmetic where there is none, and one of the owner's different picks."""
    owner, rank, count = rows.owners() if link.split is None else link.split.locate(rows.generated())
    picked = link.picks.pick(mix(bits.key, owner), rank, count).astype(np.uint64)
    return {link.second: picked} | ({link.first: owner.astype(np.uint64)} if link.split is not None else {})


def _in_strata(number: int, rows: PlannedRows) -> dict[str, Words]:
    """References that agree go to the members of one group; their positions are ordinals of the target."""
    component = rows.plan.components[number]
    bits, petal = component.bits, component.petals[0] if component.petals else ()
    strata = strata_of(rows.runtime, rows.plan.name, number)
    group, rank, spans = strata.spans(rows)
    word = mix(bits.key, group)
    space = np.maximum(space_of(component, spans), 1).astype(np.uint64)
    position = shuffle_within(np.minimum(rank.astype(np.uint64), space - np.uint64(1)), space, *_keys(bits, word))
    beyond = rank.astype(np.uint64) >= space
    position = np.where(beyond, bits.for_purpose("beyond place").below(space, rows.ordinals), position)
    out: dict[str, Any] = {}
    radix = prod(digit.radix for digit in petal)
    if petal:
        out |= _split(position % np.uint64(radix), petal)
        position //= np.uint64(radix)
    leader = component.strata[0]
    first: Any = None  # the leading reference's rank in its group
    if component.within_owner and component.apart:
        name = next(iter(component.apart))
        low = spans.low[name]
        first = strata.members[name].rank(group, low, low + spans.size[name])
    for name in component.strata:
        apart = name in component.apart
        size = np.maximum(spans.size[name] - apart, 1).astype(np.uint64)
        at = (position % size).astype(np.int64)
        position //= size
        if apart:
            at = (first + 1 + at) % np.maximum(spans.size[name], 1)
        elif name == leader:
            first = at
        none = spans.size[name] <= apart
        if name in strata.optional:
            none |= beyond
        out[name] = np.where(none, -1, strata.members[name].at(spans.low[name] + at)).astype(np.uint64)
    return out


def _keys(bits: Bits, group: Words) -> tuple[Words, Words]:
    return mix(bits.key, group), mix(bits.for_purpose("second key").key, group)


def _shuffled(bits: Bits, rank: Any, count: Any, group: Words | None) -> Words:
    if group is None:
        return shuffle(rank, int(count), bits.key)
    return shuffle_within(rank, count, *_keys(bits, group))


def _rising(bits: Bits, rank: Any, count: Any, space: int, rows: PlannedRows) -> Words:
    """Row r of m takes a position within the r-th of m equal parts of the space, so positions rise and differ."""
    whole = np.asarray(count, np.int64)
    rank = rank.astype(np.int64)
    # in two steps, since r·space may pass 2^63
    quotient, remainder = space // whole, space % whole
    start = rank * quotient + rank * remainder // whole
    end = (rank + 1) * quotient + (rank + 1) * remainder // whole
    return np.asarray(start.astype(np.uint64) + bits.below((end - start).astype(np.uint64), rows.ordinals), np.uint64)


def _split(position: Words, digits: Sequence[Digit]) -> dict[str, Words]:
    out = {}
    for digit in digits[:-1]:
        quotient = position // np.uint64(digit.radix)
        out[digit.name] = position - quotient * np.uint64(digit.radix)
        position = quotient
    if digits:
        out[digits[-1].name] = position
    return out
