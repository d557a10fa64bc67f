"""Rows that others demand: where a reference goes only to rows that keep a condition, some of its target are made to keep it.

The condition is read like a check, into limits. Demanded rows take their values within these; all others stay as they were.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlglot import exp

from ...expression import NotEvaluableError, condition_tree
from ...infer import understand_checks
from ...infer.conditions import conjuncts
from ...model import Check, Entity, Relation, World
from ...model.origins import Origin
from ...plan.entity import EntityPlan
from ...plan.fields import Constant, Converted, FieldPlan, OfPerson
from ...plan.plan import Plan
from ...randomness import ExactSubset, key
from ..knowledge.agreeing import per_pair
from ..knowledge.settled import digit_of, is_settled, must_differ
from .fields import allowed_source, prepare_field

_DEEPEST = 4  # references one behind the other over which a condition is followed
_SHARE_OF_GROUPS = 0.5  # where rows must agree as well, at most this share of all rows are demanded for their groups


@dataclass(frozen=True, slots=True)
class Demand:
    """Generated rows of an entity whose `fields` keep the condition of `relation`. No two demands on one field meet.

    `ways`: references of these rows, with the condition that what they refer to must keep.
    """

    relation: Relation
    fields: Mapping[str, FieldPlan]
    subset: ExactSubset
    ways: Mapping[str, Check]


def conditional(world: World) -> dict[str, list[Relation]]:
    """The references with a condition, by their target."""
    out: dict[str, list[Relation]] = {}
    waiting = [relation for entity in world.entities for relation in entity.relations if relation.where is not None]
    for _ in range(_DEEPEST):
        further: list[Relation] = []
        for relation in waiting:
            out.setdefault(relation.target, []).append(relation)
            target = world.entity(relation.target)
            if relation.where is not None:
                further += [
                    replace(target.relation(name), where=asked) for name, asked in over_ways(target, relation.where).items()
                ]
        waiting = further
    return out


def over_ways(entity: Entity, where: Check) -> dict[str, Check]:
    """What a condition asks of rows that a row refers to, by the reference: `vessel_class.code = 'PB'` asks `code = 'PB'`."""
    try:
        parts = conjuncts(condition_tree(where.expression, where.dialect))
    except NotEvaluableError:
        return {}
    asked: dict[str, list[Any]] = {}
    for part in parts:
        first = {column.table.partition(".")[0] for column in part.find_all(exp.Column)}
        name = next(iter(first), "")
        if len(first) != 1 or not entity.has_relation(name):
            continue
        inner = exp.Paren(this=part.copy())
        for column in inner.find_all(exp.Column):
            way = column.table.partition(".")[2]
            column.set("table", exp.to_identifier(way, quoted=True) if way else None)
        asked.setdefault(name, []).append(inner.this)
    return {
        name: replace(where, expression=" AND ".join(part.sql(dialect=where.dialect) for part in found))
        for name, found in asked.items()
    }


def demands_on(plan: Plan, entity_plan: EntityPlan, relations: list[Relation]) -> list[Demand]:
    """What references with conditions demand of an entity's rows."""
    out: list[Demand] = []
    for relation in relations:
        assert relation.where is not None
        fields = narrowed(plan, entity_plan, relation.where)
        ways = {
            name: asked for name, asked in over_ways(entity_plan.entity, relation.where).items() if _is_free(entity_plan, name)
        }
        asked_for = {*fields, *ways}
        first = max((d.subset.first + d.subset.rows for d in out if asked_for & {*d.fields, *d.ways}), default=0)
        rows = min(entity_plan.generated - first, _needed(plan, plan.entities[relation.entity], entity_plan, relation))
        if asked_for and rows > 0:
            bits = key(plan.stage_seed, entity_plan.name, "", "demanded")
            dealt = ExactSubset(of=entity_plan.generated, first=first, rows=rows, key=bits, fixed=entity_plan.fixed)
            out.append(Demand(relation, fields, dealt, ways))
    return out


def _is_free(entity_plan: EntityPlan, name: str) -> bool:
    """Whether a reference may go elsewhere in some rows."""
    relation = entity_plan.entity.relation(name)
    bound = (
        name in entity_plan.candidate_filters or is_settled(entity_plan, name) or must_differ(entity_plan, relation) is not None
    )
    return not bound and relation.target != entity_plan.name and name not in per_pair(entity_plan.entity)


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
        if (
            old.present is not None
            and old.present.origin is Origin.CHECK
            and (old.nullable, old.present) != (new.nullable, new.present)
        ):
            continue  # a check says when it is there
        there = new.nullable and new.present != old.present  # else a null would not keep the condition
        new = replace(new, nullable=there)
        prepared = prepare_field(plan, narrow, allowed_source(plan, after, new), [])
        if prepared.way.chosen or isinstance(prepared.way, Constant):
            out[old.name] = prepared
    return out


def _is_digit(entity_plan: EntityPlan, name: str) -> bool:
    """Whether a rule keeps the values of a field apart, as its layout does or because they are read off persons."""
    if isinstance(entity_plan.fields[name].way, OfPerson | Converted):
        return any(name in rule.columns for rule in entity_plan.entity.unique_rules)
    precomputed = entity_plan.precomputed is not None and any(digit.name == name for digit in entity_plan.precomputed.fields)
    return precomputed or digit_of(entity_plan, name, relation=False) is not None


def _understood(plan: Plan, entity: Entity, where: Check) -> Entity:
    alone = replace(entity, checks=(where,), relations=())
    read = understand_checks(replace(plan.world, entities=(alone,), notices=()))
    return replace(read.entities[0], checks=entity.checks, relations=entity.relations)
