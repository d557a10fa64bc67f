"""Rows that others demand: where a reference goes only to rows that keep a condition, some of its target are made to keep it.

The condition is read like a check, into limits. Demanded rows take their values within these; all others stay as they were.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from ...infer import understand_checks
from ...model import Check, Entity, Relation, World
from ...plan.entity import EntityPlan
from ...plan.fields import Constant, FieldPlan
from ...plan.plan import Plan
from ...randomness import ExactSubset, key
from ..knowledge.settled import digit_of
from .fields import allowed_source, prepare_field

_SHARE_OF_GROUPS = 0.5  # where rows must agree as well, at most this share of all rows are demanded for their groups


@dataclass(frozen=True, slots=True)
class Demand:
    """Generated rows of an entity whose `fields` keep the condition of `relation`. No two demands on one field meet."""

    relation: Relation
    fields: Mapping[str, FieldPlan]
    subset: ExactSubset


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
        fields = narrowed(plan, entity_plan, relation.where)
        first = max((d.subset.first + d.subset.rows for d in out if set(d.fields) & set(fields)), default=0)
        rows = min(entity_plan.generated - first, _needed(plan, plan.entities[relation.entity], entity_plan, relation))
        if fields and rows > 0:
            bits = key(plan.stage_seed, entity_plan.name, "", "demanded")
            dealt = ExactSubset(of=entity_plan.generated, first=first, rows=rows, key=bits, fixed=entity_plan.fixed)
            out.append(Demand(relation, fields, dealt))
    return out


def _needed(plan: Plan, other: EntityPlan, entity_plan: EntityPlan, relation: Relation) -> int:
    """One row at least; one for each row that refers, where no two may refer to the same; one for each group on average."""
    if not other.total:
        return 0
    if any(set(rule.columns) <= set(relation.columns) for rule in other.entity.unique_rules):
        return other.total
    groups = [plan.entities[tie.ancestor].total for tie in other.ties for way in tie.ways if way[:1] == (relation.name,)]
    return max([1, *(min(number, round(entity_plan.generated * _SHARE_OF_GROUPS)) for number in groups)])


def narrowed(plan: Plan, entity_plan: EntityPlan, where: Check) -> dict[str, FieldPlan]:
    """The fields whose limits the condition changes, prepared anew; those that could not be made stay out."""
    before = entity_plan.entity
    after = _understood(plan, before, where)
    narrow = replace(entity_plan, entity=after)
    out = {}
    for old, new in zip(before.fields, after.fields, strict=True):
        usual = entity_plan.fields.get(old.name)
        asked = (old.limits, old.present, old.nullable) != (new.limits, new.present, new.nullable)
        if usual is None or not usual.way.chosen or not asked or _is_digit(entity_plan, old.name):
            continue
        there = new.nullable and new.present != old.present  # else a null would not keep the condition
        new = replace(new, nullable=there)
        prepared = prepare_field(plan, narrow, allowed_source(plan, after, new), [])
        if prepared.way.chosen or isinstance(prepared.way, Constant):
            out[old.name] = prepared
    return out


def _is_digit(entity_plan: EntityPlan, name: str) -> bool:
    precomputed = entity_plan.precomputed is not None and any(digit.name == name for digit in entity_plan.precomputed.fields)
    return precomputed or digit_of(entity_plan, name, relation=False) is not None


def _understood(plan: Plan, entity: Entity, where: Check) -> Entity:
    alone = replace(entity, checks=(where,), relations=())
    read = understand_checks(replace(plan.world, entities=(alone,), notices=()))
    return replace(read.entities[0], checks=entity.checks, relations=entity.relations)
