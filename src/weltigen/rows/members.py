"""Members: the rows of a target among which a reference may choose, by what they must have in common with the row.

A reference may have to agree with others: on a column that both hold, or on the row in which ways from both end. Its target
may have to keep a condition, or must leave a choice to a reference that agrees with it in turn. Rows that may be referred to
stand in groups of one code each; a group is a range, of ordinals where owners come in their order, else of an index.
"""

from __future__ import annotations

from functools import lru_cache
from math import log, prod
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..model import EVEN, Favour, Problem, Relation, Tree
from ..model.problems import ImpossibleError
from ..plan.agreement import Agreement, CandidateFilter
from ..plan.entity import EntityPlan
from ..plan.formulas import bind
from ..plan.plan import Plan
from ..plan.ports import Follow, Ordinals
from ..randomness import Bits, ContiguousSplit, Levels
from ..randomness.mixing import below
from ..randomness.quantiles import Table, look_up, table
from ..values.pools import one_array
from .columns import numbered, whole_column
from .ports import PlannedRuntime

_BLOCK = 1 << 18  # rows of a target whose condition is looked at together
_FEW = 1 << 17  # the ranges of this many ancestors are kept: 2 MB
_DENSE = 8  # group ends are kept for every code while there are at most this many codes for each row


class Members:
    """The rows that one reference may point to. 8 bytes for each of them where they do not stand in their owners' order."""

    def __init__(self, runtime: PlannedRuntime, entity_plan: EntityPlan, relation: Relation, candidates: CandidateFilter) -> None:
        self.runtime, self.entity, self.relation, self.filter = runtime, entity_plan, relation, candidates
        self.total = runtime.plan.entities[relation.target].total
        self._parts = [_Coded(runtime, entity_plan, relation, agreement) for agreement in self.filter.agreements]
        self.splits = in_owners_order(runtime.plan, relation, self.filter)
        self.order: Ordinals | None = None
        self._codes: Ordinals | None = None
        self._ends: Ordinals | None = None
        self._levels: dict[int, Levels] = {}
        self._ranges: tuple[Ordinals, Ordinals] | None = None
        if self.splits is None:
            self._index()
        elif self._parts[0].size <= _FEW:
            self._ranges = ranges(self.splits, np.arange(-1, self._parts[0].size - 1, dtype=np.int64))

    def _index(self) -> None:
        code = np.zeros(self.total, np.int64)
        for agreement in self._parts:
            code = code * agreement.size + agreement.of_target
        chosen = np.flatnonzero(self._mask())
        code = code[chosen]
        order = np.argsort(code, kind="stable")
        self.order, self._codes = chosen[order].astype(np.int64), code[order]
        every = prod(agreement.size for agreement in self._parts)
        if every <= _DENSE * len(order) + 1024:
            self._ends = np.searchsorted(self._codes, np.arange(every + 1)).astype(np.int64)

    def _mask(self) -> NDArray[np.bool_]:
        """Rows that keep the condition, and leave a choice to each reference that follows this one."""
        kept = np.ones(self.total, bool)
        if self.filter.where is not None:
            kept &= _where(self.runtime, self.relation, self.filter)
        every = np.arange(self.total, dtype=np.int64) if self.filter.followers else np.zeros(0, np.int64)
        for name in self.filter.followers:
            follower = members_of(self.runtime, self.entity.name, name)
            low, high, known = follower.span(self.starting(every), every)
            kept &= known & (high - low > (follower.filter.apart is not None))
        return kept

    def starting(self, targets: Ordinals) -> Follow:
        """Ways from rows of which the leading reference points to `targets`."""
        return lambda name, way: self.runtime.lead(self.entity.entity.relation(name).target, targets, way)

    def span(self, follow: Follow, ordinals: Ordinals) -> tuple[Ordinals, Ordinals, NDArray[np.bool_]]:
        """For each row where its group begins and ends, and whether the references are there that say which it is."""
        code, known = np.zeros(len(ordinals), np.int64), np.ones(len(ordinals), bool)
        for number, agreement in enumerate(self._parts):
            one, there = agreement.of_rows(follow, ordinals)
            code, known = (code * agreement.size + one, known & there) if number else (one, there)
        low, high = self.span_of(code)
        return low, high if known.all() else np.where(known, high, low), known

    @property
    def empty(self) -> bool:
        """Whether no row at all may be referred to."""
        return self.order is not None and not len(self.order)

    def span_of(self, code: Ordinals) -> tuple[Ordinals, Ordinals]:
        """Where groups begin and end, by their codes; with one ancestor in common, its ordinal and one."""
        if self.splits is not None:
            if self._ranges is None:
                return ranges(self.splits, code - 1)
            return self._ranges[0][code], self._ranges[1][code]
        if self._ends is not None:
            return self._ends[code], self._ends[code + 1]
        assert self._codes is not None
        low, high = (np.searchsorted(self._codes, code, side=side).astype(np.int64) for side in ("left", "right"))
        return low, high

    def code_of(self, members: Ordinals) -> Ordinals:
        """The codes of some rows of the target, which all have one ancestor in common with what refers to them."""
        return self.runtime.lead(self.relation.target, members, self.filter.agreements[0].from_target) + 1

    def rank(self, members: Ordinals, low: Ordinals, high: Ordinals) -> Ordinals:
        """The ranks of rows of the target within their groups."""
        return members - low if self.order is None else _before(self.order, low, high, members)

    def at(self, positions: Ordinals) -> Ordinals:
        """The rows at some positions of the order."""
        if self.order is None:
            return positions
        return self.order[np.clip(positions, 0, max(0, len(self.order) - 1))] if len(self.order) else np.full_like(positions, -1)

    def pick(
        self, words: Any, follow: Follow, ordinals: Ordinals, favour: Favour = EVEN, other: Ordinals | None = None
    ) -> Ordinals:
        """For each row one of those that it may point to, but not `other`; -1 where there is none."""
        low, high, _ = self.span(follow, ordinals)
        if self.filter.earlier:
            return self._earlier(words, low, high, ordinals)
        size = high - low
        if other is not None:  # its rank is left out, so that there is one less
            rank = np.where(size > 0, self.rank(other, low, high), -1)
            inside = (rank >= 0) & (rank < size) & (self.at(low + np.maximum(rank, 0)) == other)
            size = size - inside
        found = size > 0
        if not (sure := bool(found.all())):
            size = np.maximum(size, 1)
        if favour == EVEN:
            step = below(words, size.astype(np.uint64)).astype(np.int64)
        else:
            step = np.minimum((look_up(_popular(favour), words) * size).astype(np.int64), size - 1)
        if other is not None:
            step = step + (inside & (step >= rank))
        picked = self.at(low + step)
        return picked if sure else np.where(found, picked, -1)

    def _earlier(self, words: Any, low: Ordinals, high: Ordinals, ordinals: Ordinals) -> Ordinals:
        """A row of the group before the row itself, just before it in a chain; the first one's is -1, or itself where it must."""
        if self.filter.chain and not self.filter.optional:
            return ordinals
        if self.filter.tree is not None:
            return self._in_trees(self.filter.tree, low, high, ordinals)
        before = np.maximum(self.rank(np.minimum(ordinals, high) if self.order is None else ordinals, low, high), 0)
        if self.filter.chain and self.filter.where is not None and not self._parts:
            # rows that may not be referred to stand between: the first row behind each that may takes it
            before = np.where(self.rank(np.maximum(ordinals - 1, 0), low, high) < before, before, 0)
        step = before - 1 if self.filter.chain else below(words, np.maximum(before, 1).astype(np.uint64)).astype(np.int64)
        first = -1 if self.filter.optional else ordinals
        return np.where(before > 0, self.at(low + np.maximum(step, 0)), first)

    def _in_trees(self, tree: Tree, low: Ordinals, high: Ordinals, ordinals: Ordinals) -> Ordinals:
        """The parent of each row in the tree that its group makes; groups of one size have trees of one form."""
        size, rank = high - low, self.rank(ordinals, low, high)
        out = np.full(len(ordinals), -1, np.int64)
        for rows in np.unique(size[size > 0]).tolist():
            here = np.flatnonzero(size == rows)
            parents = self.levels(rows, tree).parents(rank[here])
            out[here] = np.where(parents < 0, -1, self.at(low[here] + np.maximum(parents, 0)))
        return out if self.filter.optional else np.where(out < 0, ordinals, out)

    def levels(self, rows: int, tree: Tree) -> Levels:
        """The tree of a group of this size; ImpossibleError where they do not fit in it."""
        if rows not in self._levels:
            bits = Bits(self.runtime.plan.stage_seed, self.entity.name, self.relation.name, "levels")
            try:
                self._levels[rows] = Levels.build(rows, tree.roots_of(rows), tree.depth, tree.most, bits)
            except ValueError as error:
                fact = f"{self.relation.label}: in a group of {rows:,} rows, {error}"
                raise ImpossibleError(Problem(fact=fact, place=tree.place, hint="more roots, levels or children")) from None
        return self._levels[rows]

    def check_trees(self) -> None:
        """ImpossibleError where the rows of a group do not fit in its tree."""
        if self.filter.tree is None:
            return
        code = np.arange(prod(agreement.size for agreement in self._parts), dtype=np.int64)
        low, high = self.span_of(code)
        for rows in np.unique((high - low)[high > low]).tolist():
            self.levels(rows, self.filter.tree)


def members_of(runtime: PlannedRuntime, entity: str, relation: str) -> Members:
    """The rows that a reference may point to; made once."""

    def make() -> Members:
        entity_plan = runtime.plan.entities[entity]
        return Members(runtime, entity_plan, entity_plan.entity.relation(relation), entity_plan.candidate_filters[relation])

    return runtime.shared(("members", entity, relation), make)


class _Coded:
    """One thing in which a row and its target agree, as numbers: `of_target` by the target's rows, `size` numbers in all."""

    def __init__(self, runtime: PlannedRuntime, entity_plan: EntityPlan, relation: Relation, agreement: Agreement) -> None:
        self.runtime, self.part = runtime, agreement
        entity = entity_plan.entity
        self.leader = entity.relation(agreement.leader).target if agreement.leader is not None else entity.name
        self.relation = relation
        self._numbers: Ordinals | None = None
        self._of_target: Ordinals | None = None
        self._values: Any = None
        if agreement.alike is not None:
            theirs = whole_column(runtime, relation.target, agreement.alike.theirs)
            self._values = pc.unique(theirs.drop_null())
            self._entity = entity.name
            self.size = len(self._values) + 2
            found = self._coded(theirs)
            self._of_target = np.where(found, found, self.size - 1)  # null is what no row looks for
            return
        if agreement.column is None:
            self.size = runtime.plan.entities[agreement.ancestor].total + 1
            return
        theirs = whole_column(runtime, relation.target, relation.target_columns[relation.columns.index(agreement.column)])
        bringer = entity.relation(agreement.leader or "")
        brought = whole_column(runtime, bringer.target, bringer.target_columns[bringer.columns.index(agreement.column)])
        joint = numbered([pa.concat_arrays([theirs, brought.cast(theirs.type)])])
        self.size = int(joint.max(initial=0)) + 1
        self._of_target, self._numbers = joint[: len(theirs)], joint[len(theirs) :]

    @property
    def of_target(self) -> Ordinals:
        if self._of_target is None:
            total = self.runtime.plan.entities[self.relation.target].total
            blocks = [np.arange(start, min(total, start + _BLOCK), dtype=np.int64) for start in range(0, total, _BLOCK)]
            led = [self.runtime.lead(self.relation.target, block, self.part.from_target) + 1 for block in blocks]
            self._of_target = np.concatenate(led) if led else np.zeros(0, np.int64)
        return self._of_target

    def _coded(self, column: Any) -> Ordinals:
        """Numbers of values from 1 on; 0 is a value that no row of the target has."""
        found = pc.index_in(one_array(column), value_set=self._values)
        return np.asarray(pc.add(found, 1).fill_null(0).cast(pa.int64()))

    def of_rows(self, follow: Follow, ordinals: Ordinals) -> tuple[Ordinals, NDArray[np.bool_]]:
        """The number that each row looks for, and whether it is known."""
        if self.part.alike is not None:
            own = self.runtime.rows(self._entity, ordinals).column(self.part.alike.own)
            return self._coded(own.cast(self._values.type)), np.ones(len(ordinals), bool)
        bringer, own = self.part.leader, self.part.from_leader
        at = follow(bringer, own) if bringer is not None else self.runtime.lead(self.leader, ordinals, own)
        if self._numbers is not None:
            return self._numbers[np.maximum(at, 0)] if len(self._numbers) else np.zeros_like(at), at >= 0
        return at + 1, at >= 0


def in_owners_order(plan: Plan, relation: Relation, candidates: CandidateFilter) -> list[ContiguousSplit] | None:
    """The splits by which an ancestor's rows of the target are one range of ordinals; None where they are not."""
    if (
        len(candidates.agreements) != 1
        or candidates.where is not None
        or candidates.followers
        or not candidates.agreements[0].from_target
    ):
        return None
    splits: list[ContiguousSplit] = []
    at = plan.entities[relation.target]
    for name in candidates.agreements[0].from_target:
        if at.owner is None or at.owner.relation != name or at.fixed:
            return None
        splits.insert(0, at.owner.split)
        at = plan.entities[at.entity.relation(name).target]
    return splits


def indexes_of(plan: Plan, entity_plan: EntityPlan) -> list[tuple[Relation, int]]:
    """The references of an entity for which an index of their target is kept, and its bytes."""
    return [
        (relation, 16 * plan.entities[relation.target].total)
        for name, candidates in entity_plan.candidate_filters.items()
        if candidates.implied is None and in_owners_order(plan, relation := entity_plan.entity.relation(name), candidates) is None
    ]


def ranges(splits: list[ContiguousSplit], ancestors: Ordinals) -> tuple[Ordinals, Ordinals]:
    """The first row and the one after the last of each ancestor, down through owners of owners."""
    low = np.maximum(ancestors, 0)
    high = np.where(ancestors < 0, low, low + 1)
    for split in splits:
        last = max(0, split.owners - 1)
        first, final = np.minimum(low, last), np.clip(high - 1, 0, last)
        empty = high <= low
        low, end = split.starts(first), split.starts(final) + split.counts(final)
        high = np.where(empty, low, end)
    return low, high


def require_members(runtime: PlannedRuntime, entity_plan: EntityPlan, relation: Relation) -> None:
    """ImpossibleError where a row must refer to one of its group, and that is empty, or does not fit in its tree."""
    if entity_plan.candidate_filters[relation.name].implied is not None:
        return
    members = members_of(runtime, entity_plan.name, relation.name)
    for follower in members.filter.followers if members.empty else ():  # for whose sake there may be none
        require_members(runtime, entity_plan, entity_plan.entity.relation(follower))
    members.check_trees()
    hopeless = members.empty and members.total and entity_plan.total
    said = members.filter.where is not None and members.filter.where.dialect is None  # not by a check of the model
    if hopeless and not members.filter.earlier and (not members.filter.optional or said):
        where = members.filter.where
        found = f"where {where.expression}" if where is not None else "that leaves a choice"
        raise ImpossibleError(Problem(
            fact=f"{relation.label} is to refer to a {relation.target} {found}, but there is none",
            place=(where.place if where is not None else None) or relation.place,
            hint=f"give {relation.target} a fixed row that is so, or weights by which some rows are",
        ))  # fmt: skip
    if members.filter.earlier and members.filter.where is not None and not members.filter.optional and entity_plan.total:
        _require_earlier(members, entity_plan, relation)
    agreement = members.filter.agreements[0] if len(members.filter.agreements) == 1 else None
    if agreement is None or agreement.leader is not None or members.filter.optional:
        return  # owners get no rows that find nothing, and what picks freely passes over such rows
    every = np.arange(entity_plan.total, dtype=np.int64)
    low, high, known = members.span(members.starting(every), every)
    lost = every[known & (high <= low)]
    if lost.size:
        raise ImpossibleError(Problem(
            fact=f"{relation.label} must refer to a {relation.target} "
                 f"{agreement.alike or f'of its own {agreement.ancestor}'}, but {lost.size:,} of"
                 f" {every.size:,} have none (the first: {entity_plan.name}/{lost[0]})",
            place=relation.wished or relation.place,
            hint=f"let {agreement.alike.own} be what some {relation.target} has" if agreement.alike else
                 f"give each {agreement.ancestor} some {relation.target}: rows: {{per: {agreement.ancestor}, least: 1, …}}",
        ))  # fmt: skip


def _require_earlier(members: Members, entity_plan: EntityPlan, relation: Relation) -> None:
    """ImpossibleError where rows must refer to one of their own entity that keeps a condition, and there is none before them."""
    assert members.order is not None and members.filter.where is not None
    first = int(members.order.min()) if len(members.order) else entity_plan.total
    if first > 0:
        where = members.filter.where
        raise ImpossibleError(Problem(
            fact=f"{relation.label} must refer to an earlier {relation.target} where {where.expression}, but there is none before"
                 f" row {first}", place=where.place or relation.place, hint="let it be null, or let the first row be so",
        ))  # fmt: skip


def _where(runtime: PlannedRuntime, relation: Relation, candidates: CandidateFilter) -> NDArray[np.bool_]:
    assert candidates.where is not None
    target = runtime.plan.entities[relation.target]
    condition = bind(runtime.plan.world, target.entity, candidates.where.expression, candidates.where.dialect)
    out = np.zeros(target.total, bool)
    for start in range(0, target.total, _BLOCK):
        rows = runtime.rows(target.name, np.arange(start, min(target.total, start + _BLOCK), dtype=np.int64))
        out[start : start + _BLOCK] = condition.truth(rows)
    return out


def _before(order: Ordinals, low: Ordinals, high: Ordinals, ordinals: Ordinals) -> Ordinals:
    """How many rows of each group, which rise in it, come before the row itself: a search within each range, all at once."""
    left, right = low.copy(), high.copy()
    while (open_ := left < right).any():
        middle = (left + right) // 2
        less = open_ & (order[np.minimum(middle, len(order) - 1)] < ordinals)
        left = np.where(less, middle + 1, left)
        right = np.where(open_ & ~less, middle, right)
    return left - low


@lru_cache(maxsize=256)
def _popular(favour: Favour) -> Table:
    """Where among its group a reference points: the first `few` of the group take `take`, falling off as a power."""
    if not 0 < favour.few < favour.take < 1:
        return table(lambda u: u)
    exponent = log(favour.few) / log(favour.take)
    return table(lambda u: u**exponent)
