"""Strata: rules over references that agree. Rows go to the groups in which their references agree, and differ within them.

A group is an owner, or a row of the ancestor in which all ways end. Within it a rule has as many places as the members of the
group in each reference's target make combinations; each row takes one of its own by a keyed bijection. Memory: 8 bytes for
each group, and what the members' indexes take.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..model import Problem
from ..model.problems import ImpossibleError
from ..plan.agreement import Agreement, CandidateFilter
from ..plan.components import Component
from ..plan.entity import EntityPlan, may_be_null
from ..plan.ports import Ordinals
from ..randomness.bijection import shuffle, unshuffle
from ..randomness.mixing import Words, below
from ..randomness.quota import quota
from .members import Members, members_of
from .ports import PlannedRows, PlannedRuntime

_MOST = 1 << 61
_BLOCK = 1 << 18


@dataclass(slots=True)
class Spans:
    """For some rows the group of each in every reference's target: the first member and how many there are."""

    low: dict[str, Ordinals]
    size: dict[str, Ordinals]


class Strata:
    """The groups of one component; made once for all rows."""

    def __init__(self, runtime: PlannedRuntime, entity_plan: EntityPlan, component: Component) -> None:
        self.entity, self.component = entity_plan, component
        self.members = {name: _members(runtime, entity_plan, component, name) for name in component.strata}
        self.leader = component.strata[0]
        self.optional = frozenset(n for n in component.strata if may_be_null(entity_plan, entity_plan.entity.relation(n)))
        if component.within_owner and not self.optional:
            self._check()
        self.starts = np.zeros(0, np.int64) if component.within_owner else self._deal(runtime)

    def _deal(self, runtime: PlannedRuntime) -> Ordinals:
        """The first row of each group and, last, the number of rows: in proportion to the widest reference's members."""
        ancestor = self._ancestor()
        groups = np.arange(runtime.plan.entities[ancestor].total if ancestor else 1, dtype=np.int64)
        spans = self._spans_of(groups)
        room = space_of(self.component, spans)
        widest = np.maximum.reduce(list(spans.size.values()))
        wanted, rows = self.entity.generated, np.zeros(groups.size, np.int64)
        while int(rows.sum()) < wanted and (open_ := rows < room).any():
            rows = np.minimum(rows + quota(wanted - int(rows.sum()), np.where(open_, widest, 0)), room)
        if wanted > int(rows.sum()) and not self.optional:
            entity = self.entity.entity
            same = f"of the same {ancestor}" if ancestor else "that may be referred to"
            raise ImpossibleError(Problem(
                fact=f"{entity.name}: {self.component.rules[0]} has only {int(room.sum()):,} places {same} for {wanted:,} rows",
                place=entity.rows.place if entity.rows else entity.place, hint=f"at most {int(room.sum()):,} rows fit",
                room=(entity.name, int(room.sum())),
            ))  # fmt: skip
        return np.concatenate([[0], np.cumsum(rows)]).astype(np.int64)

    def _check(self) -> None:
        """ImpossibleError where an owner has more rows than its group has places."""
        owner = self.entity.owner
        assert owner is not None
        for start in range(0, owner.split.owners, _BLOCK):
            owners = np.arange(start, min(owner.split.owners, start + _BLOCK), dtype=np.int64)
            counts = owner.split.counts(owners)
            room = space_of(self.component, self._owned(owners, owners))
            if (full := np.flatnonzero(counts > room)).size:
                entity, at = self.entity.entity, int(full[0])
                target = entity.relation(owner.relation).target
                raise ImpossibleError(Problem(
                    fact=f"{entity.name}: {self.component.rules[0]} has only {int(room[at]):,} places of the same"
                         f" {self._ancestor()} for the {int(counts[at]):,} rows of {target}/{owners[at]}",
                    place=entity.rows.place if entity.rows else entity.place, hint=f"at most {int(room[at]):,} rows fit there",
                ))  # fmt: skip

    def _owned(self, owner: Ordinals, ordinals: Ordinals) -> Spans:
        out = Spans({}, {})
        for name, members in self.members.items():
            low, high, _ = members.span(members.starting(owner), ordinals)
            out.low[name], out.size[name] = low, high - low
        return out

    def _ancestor(self) -> str | None:
        """The entity whose rows are the groups; None where all rows make one."""
        agreements = self.members[self.component.strata[-1]].filter.agreements
        return agreements[0].ancestor if agreements else None

    def _spans_of(self, groups: Ordinals) -> Spans:
        out = Spans({}, {})
        codes = groups + 1 if self._ancestor() else groups
        for name, members in self.members.items():
            low, high = members.span_of(codes)
            out.low[name], out.size[name] = low, high - low
        return out

    def spans(self, rows: PlannedRows) -> tuple[Ordinals, Ordinals, Spans]:
        """The group of each row as a number, the row's rank in it, and the members that it may refer to."""
        if self.component.within_owner:
            owner, rank, _ = rows.owners()
            return owner, rank, self._owned(owner, rows.ordinals)
        at = np.maximum(rows.generated(), 0)
        dealt = int(self.starts[-1])
        if dealt < self.entity.generated:
            at = shuffle(at, self.entity.generated, self.component.bits.for_purpose("places").key).astype(np.int64)
        group = np.searchsorted(self.starts, np.minimum(at, max(0, dealt - 1)), side="right") - 1
        rank = at - self.starts[group]
        if (beyond := np.flatnonzero(at >= dealt)).size:  # they find no place, so an optional reference of theirs is null
            words = self.component.bits.for_purpose("beyond").words(rows.ordinals[beyond])
            group[beyond], rank[beyond] = self._group_of_any(words), _MOST
        return group, rank, self._spans_of(group)

    def _group_of_any(self, words: Words) -> Ordinals:
        """The groups of any rows to which the leading reference may point."""
        members = self.members[self.leader]
        count = members.total if members.order is None else len(members.order)
        if not self._ancestor() or not count:
            return np.zeros(words.size, np.int64)
        return members.code_of(members.at(below(words, count).astype(np.int64))) - 1

    def rows_like(self, relation: str, ordinal: int) -> Ordinals:
        """The rows of the group to which a member belongs."""
        group = int(self.members[relation].code_of(np.array([ordinal], np.int64))[0]) - 1 if self._ancestor() else 0
        at = np.arange(self.starts[group], self.starts[group + 1]) if group >= 0 else np.zeros(0, np.int64)
        if int(self.starts[-1]) < self.entity.generated:
            everywhere = np.arange(self.entity.generated, dtype=np.int64)
            if relation not in self.optional:  # rows without a place may refer to it as well
                return everywhere
            at = unshuffle(at, self.entity.generated, self.component.bits.for_purpose("places").key).astype(np.int64)
        return np.sort(at)


def strata_of(runtime: PlannedRuntime, entity: str, component: int) -> Strata:
    """The groups of a component whose references agree; made once."""

    def make() -> Strata:
        entity_plan = runtime.plan.entities[entity]
        return Strata(runtime, entity_plan, entity_plan.components[component])

    return runtime.shared(("strata", entity, component), make)


def _members(runtime: PlannedRuntime, entity_plan: EntityPlan, component: Component, name: str) -> Members:
    """A follower's own members; of the leader, which follows nothing, those that its followers' way groups."""
    leader, follower = component.strata[0], component.strata[-1]
    if name != leader or component.within_owner:
        return members_of(runtime, entity_plan.name, name)
    candidates = entity_plan.candidate_filters.get(leader, CandidateFilter())
    if not entity_plan.candidate_filters[follower].agreements:
        return members_of(runtime, entity_plan.name, name)
    agreement = entity_plan.candidate_filters[follower].agreements[0]
    grouped = replace(
        candidates, agreements=(Agreement(leader=None, ancestor=agreement.ancestor, from_target=agreement.from_leader),)
    )
    return Members(runtime, entity_plan, entity_plan.entity.relation(name), grouped)


def space_of(component: Component, spans: Spans) -> Ordinals:
    """How many rows each group's combinations hold."""
    sizes = list(spans.size.values())
    space = np.ones_like(sizes[0])
    for name, size in spans.size.items():
        space = space * np.maximum(size - (name in component.apart), 0)
    for digit in component.petals[0] if component.petals else ():
        space = np.where(space > _MOST // digit.radix, _MOST, space * digit.radix)
    return space
