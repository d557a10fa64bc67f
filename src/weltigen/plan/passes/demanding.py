"""Rows that others demand: where a reference goes only to rows that keep a condition, some of its target are made to keep it.

The condition is read like a check, into limits. Demanded rows take their values within these; all others stay as they were.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...infer import understand_checks
from ...model import Check, Entity, Field, Relation, Source, WeightsSource, World
from ...model.literals import read_literal
from ...model.paths import resolve_path
from ...randomness import Bits
from ..plan import EntityPlan, FieldPlan, Plan
from .fields import prepare_field
from .limits import allowed_values, in_range, read_range
from .picking import digit_of

_SHARE_OF_GROUPS = 0.5  # where rows must agree as well, at most so many of all rows are demanded for their groups


@dataclass(frozen=True, slots=True)
class Demand:
    """Generated rows of an entity whose `fields` keep the condition of `relation`.

    A bijection deals all `of` generated rows to places; the demanded ones are those from `first` on. No two demands on one
    field meet.
    """

    relation: Relation
    fields: Mapping[str, FieldPlan]
    first: int
    rows: int
    of: int
    fixed: int
    bits: Bits

    def chosen(self, ordinals: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which of some rows are demanded."""
        at = ordinals - self.fixed
        place = self.bits.distinct(self.of, np.maximum(at, 0)).astype(np.int64)
        return np.asarray((place >= self.first) & (place < self.first + self.rows) & (at >= 0))


def conditional(world: World) -> dict[str, list[Relation]]:
    """The references with a condition, by their target."""
    out: dict[str, list[Relation]] = {}
    for entity in world.entities:
        for relation in entity.relations:
            if relation.where is not None:
                out.setdefault(relation.target, []).append(relation)
    return out


def demands_on(plan: Plan, entity_plan: EntityPlan, relations: list[Relation]) -> list[Demand]:
    """What references with conditions demand of an entity's rows."""
    out: list[Demand] = []
    for relation in relations:
        assert relation.where is not None
        fields = _narrowed(plan, entity_plan, relation.where)
        first = max((earlier.first + earlier.rows for earlier in out if set(earlier.fields) & set(fields)), default=0)
        rows = min(entity_plan.generated - first, _needed(plan, plan.entities[relation.entity], entity_plan, relation))
        if fields and rows > 0:
            bits = Bits(plan.seed, entity_plan.name, "", "demanded")
            out.append(Demand(relation, fields, first, rows, entity_plan.generated, entity_plan.fixed, bits))
    return out


def _needed(plan: Plan, other: EntityPlan, entity_plan: EntityPlan, relation: Relation) -> int:
    """One row at least; one for each row that refers, where no two may refer to the same; one for each group on average."""
    if not other.total:
        return 0
    if any(set(rule.columns) <= set(relation.columns) for rule in other.entity.unique_rules):
        return other.total
    groups = [plan.entities[tie.ancestor].total for tie in other.ties for way in tie.ways if way[:1] == (relation.name,)]
    return max([1, *(min(number, round(entity_plan.generated * _SHARE_OF_GROUPS)) for number in groups)])


def _narrowed(plan: Plan, entity_plan: EntityPlan, where: Check) -> dict[str, FieldPlan]:
    """The fields whose limits the condition changes, prepared anew; those that could not be made stay out."""
    before = entity_plan.entity
    after = _understood(plan, before, where)
    narrow = replace(entity_plan, entity=after)
    out = {}
    for old, new in zip(before.fields, after.fields, strict=True):
        usual = entity_plan.fields.get(old.name)
        asked = (old.limits, old.present, old.nullable) != (new.limits, new.present, new.nullable)
        if usual is None or usual.prepared is None or not asked or _is_digit(entity_plan, old.name):
            continue
        there = new.nullable and new.present != old.present  # else a null would not keep the condition
        new = replace(new, nullable=there)
        prepared = prepare_field(plan, narrow, replace(new, source=_allowed_source(plan, after, new)), [])
        if prepared.prepared is not None or prepared.constant is not None:
            out[old.name] = prepared
    return out


def _is_digit(entity_plan: EntityPlan, name: str) -> bool:
    tabled = entity_plan.tabled is not None and any(digit.name == name for digit in entity_plan.tabled.fields)
    return tabled or digit_of(entity_plan, name, relation=False) is not None


def _allowed_source(plan: Plan, entity: Entity, field: Field) -> Source | None:
    """The field's source; of weighted values only those within the limits, and where none of them is, nothing but the limits."""
    if not isinstance(field.source, WeightsSource):
        return field.source
    span = read_range(entity, field, partial(resolve_path, plan.world), plan.now)
    values, _ = allowed_values(entity, field, span)
    kept = tuple(
        (text, weight) for text, weight in field.source.weights
        if weight > 0 and in_range(value := read_literal(text, field.type), span) and (values is None or value in values)
    )  # fmt: skip
    return replace(field.source, weights=kept) if kept else None


def _understood(plan: Plan, entity: Entity, where: Check) -> Entity:
    alone = replace(entity, checks=(where,), relations=())
    read = understand_checks(replace(plan.world, entities=(alone,), notices=()))
    return replace(read.entities[0], checks=entity.checks, relations=entity.relations)
