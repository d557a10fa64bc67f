"""One entity planned: how many rows and why, and how each column is made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from ..model import Check, Entity, Relation
from ..model.ties import Tie
from ..values import People
from .agreement import CandidateFilter
from .cohorts import CohortPlan
from .components import Component, Precomputed
from .fields import FieldPlan
from .fillers import Filler
from .formulas import Formula
from .own_checks import OwnCheck
from .owner_counts import Owner
from .reduced import ReducedRule
from .references import ReferencePlan
from .rejection import RejectionGroup


@dataclass(frozen=True, kw_only=True)
class EntityPlan:
    """One entity: how many rows and why, and how each column is made; in parts, each of which one pass writes."""

    # what a plan begins with; an entity of a later stage knows the rows before
    entity: Entity
    earlier: EntityPlan | None = None  # the rows of earlier stages, beside which these are added
    origin: EntityPlan | None = None  # the first stage that had any

    # resolve_references
    ties: tuple[Tie, ...] = ()

    # count_all_rows
    generated: int = 0
    because: str = ""
    owner: Owner | None = None
    cohorts: Mapping[str, CohortPlan] = field(default_factory=dict)

    # prepare_fields
    own_checks: Mapping[str, tuple[OwnCheck, ...]] = field(default_factory=dict)
    fields: Mapping[str, FieldPlan] = field(default_factory=dict)
    people: People | None = None
    reduced: tuple[ReducedRule, ...] = ()  # unique rules over expressions or some of the rows, brought down to columns

    # lay_out_rules
    reference_order: tuple[str, ...] = ()  # all references, each before those that agree with it
    candidate_filters: Mapping[str, CandidateFilter] = field(default_factory=dict)
    components: tuple[Component, ...] = ()
    precomputed: Precomputed | None = None
    conditional: tuple[ReducedRule, ...] = ()  # rules over some of the rows that are kept by their condition

    # choose_targets
    references: Mapping[str, ReferencePlan] = field(default_factory=dict)

    # choose_fillers
    fillers: Mapping[str, Filler] = field(default_factory=dict)

    # settle_checks
    rejection_groups: tuple[RejectionGroup, ...] = ()
    verified_checks: tuple[tuple[Check, Formula], ...] = ()

    @property
    def name(self) -> str:
        return self.entity.name

    @property
    def fixed(self) -> int:
        return len(self.entity.fixed)

    @property
    def total(self) -> int:
        return self.fixed + self.generated

    @property
    def earlier_rows(self) -> int:
        return self.earlier.total if self.earlier is not None else 0

    @cached_property
    def columns(self) -> tuple[str, ...]:
        """The fields that are written, in the order of their declaration."""
        return tuple(f.name for f in self.entity.fields if not f.generated)


def may_refer_to_none(entity: Entity, relation: Relation) -> bool:
    """Whether a row that finds no row before it may refer to none; where its presence is exact, or it must be there, it refers to
    itself."""
    wishes = [relation.present, *(entity.field(column).present for column in relation.columns)]
    exact = any(wish is not None and wish.when is not None and wish.share is None for wish in wishes)
    return not exact and all(entity.field(column).nullable for column in relation.columns)


def may_be_null(entity_plan: EntityPlan, relation: Relation) -> bool:
    """Whether a row may do without: the columns that no other reference brings may all be null."""
    candidates = entity_plan.candidate_filters.get(relation.name)
    brought = candidates.columns if candidates is not None and not relation.match_full else ()
    own = [column for column in relation.columns if column not in brought] or relation.columns
    return all(entity_plan.entity.field(column).nullable for column in own)
