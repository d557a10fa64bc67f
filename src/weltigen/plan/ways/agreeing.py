"""Targets that agree with what other references bring, or keep a condition."""

from __future__ import annotations

from dataclasses import dataclass

from ...model import Entity, Favour, Problem, Relation
from ...model.problems import ImpossibleError
from ...randomness import Bits
from ..agreement import Agreement, CandidateFilter
from ..ports import Ordinals, RowsPort
from .way import FavouringWay, ReferenceWay


# what other references bring
@dataclass(frozen=True, slots=True)
class Implied(ReferenceWay):
    """The row to which another reference leads."""

    agreement: Agreement

    def explained(self, entity: Entity) -> str:
        leader = self.agreement.leader
        name = entity.name if leader is None else entity.relation(leader).target
        return f"the one to which its {name} {'refers' if len(self.agreement.from_leader) == 1 else 'leads'}"

    def targets(self, rows: RowsPort) -> Ordinals:
        if self.agreement.leader is None:
            return rows.ordinals
        return rows.follow(self.agreement.leader, self.agreement.from_leader)


@dataclass(frozen=True, slots=True)
class Member(ReferenceWay):
    """One of the rows that agree with other references and keep the reference's condition."""

    bits: Bits
    name: str
    taking: Favour
    candidates: CandidateFilter

    @property
    def satisfied(self) -> frozenset[str]:
        return frozenset({"tree"} if self.candidates.tree else () if self.candidates.earlier else {"favour"})

    @property
    def favour(self) -> Favour | None:
        return None if self.candidates.earlier else self.taking

    def explained(self, entity: Entity) -> str:
        return self.candidates.explained(entity)

    def targets(self, rows: RowsPort) -> Ordinals:
        other = rows.targets(self.candidates.apart) if self.candidates.apart is not None else None
        members = rows.runtime.members(rows.name, self.name)
        return members.pick(self.bits.words(rows.ordinals), rows.follow, rows.ordinals, self.taking, other)


@dataclass(frozen=True, slots=True)
class OfCohort(FavouringWay):
    """One of the rows that a cohort of the rows may refer to; ImpossibleError where there is none."""

    bits: Bits
    relation: Relation
    candidates: CandidateFilter
    taking: Favour
    cohort: str

    def explained(self, entity: Entity) -> str:
        return f"any where {self.candidates.where.expression}" if self.candidates.where is not None else "any"

    def targets(self, rows: RowsPort) -> Ordinals:
        relation, where = self.relation, self.candidates.where
        members = rows.runtime.members_of_cohort(rows.name, relation, self.candidates, self.cohort)
        if members.empty:
            assert where is not None
            asked = f"refer to a {relation.target} where {where.expression}"
            raise ImpossibleError(Problem(
                fact=f"{relation.label} of the cohort {self.cohort} is to {asked}, but there is none", place=where.place,
                hint=f"give {relation.target} a fixed row that is so, or weights by which some rows are",
            ))  # fmt: skip
        return members.pick(self.bits.words(rows.ordinals), rows.follow, rows.ordinals, self.taking)
