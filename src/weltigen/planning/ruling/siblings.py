"""Unique rules that tell the children of a row apart: their rank among them is arithmetic in a tree."""

from __future__ import annotations

from dataclasses import replace
from math import prod

from ...model import Entity, Unique
from ...plan.components import Component, Digit
from ...plan.entity import EntityPlan, may_be_null, may_refer_to_none
from ...plan.plan import Plan
from ...randomness import Bits
from ..knowledge.settled import must_differ
from .settled_checks import Laying


def told_apart_in_trees(entity_plan: EntityPlan, laid: list[Laying]) -> set[str]:
    """References to rows of the entity itself whose rules all tell the children of a row apart, by what no other rule needs."""
    entity, out = entity_plan.entity, set[str]()
    if entity_plan.fixed or entity_plan.earlier is not None:
        return out
    for relation in entity.relations:
        if relation.target != entity.name:
            continue
        least = 1 if may_be_null(entity_plan, relation) and may_refer_to_none(entity, relation) else 2
        held = [(rule, digits, cut) for rule, digits, cut in laid if digits is not None and relation.name in digits]
        wished = relation.where or relation.choice or relation.weights or relation.spread or relation.unlike
        if not held or wished is not None or relation.name in entity_plan.candidate_filters or must_differ(entity_plan, relation):
            continue
        owner = entity_plan.owner.relation if entity_plan.owner is not None else None
        if all(
            cut is None and len(digits) > 1 and _space(digits, relation.name) >= least and rule.nulls_distinct
            and owner not in digits
            and not any(one in entity_plan.candidate_filters or _is_own(entity, one) for one in set(digits) - {relation.name})
            and not any(set(digits) & set(theirs or ()) - {relation.name} for other, theirs, _ in laid if other is not rule)
            for rule, digits, cut in held
        ):  # fmt: skip
            out.add(relation.name)
    return out


def _is_own(entity: Entity, name: str) -> bool:
    return entity.has_relation(name) and entity.relation(name).target == entity.name


def of_siblings(plan: Plan, entity_plan: EntityPlan, rule: Unique, digits: dict[str, Digit], tree: str) -> Component:
    """A rule within the children of one row: their rank among them is arithmetic in a tree."""
    petal = tuple(replace(digit, rising=False) for digit in digits.values() if digit.name != tree)
    bits = Bits(plan.stage_seed, entity_plan.name, "+".join(sorted(rule.columns)), "unique")
    return Component(rules=(str(rule),), within_owner=False, core=(), petals=(petal,), bits=bits, siblings=tree)


def _space(digits: dict[str, Digit], tree: str) -> int:
    """How many children of a row a rule tells apart."""
    return prod(digit.radix for digit in digits.values() if digit.name != tree)
