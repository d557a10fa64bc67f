"""Digits: the free parts of unique rules, each a reference or a field with a known number of different values."""

from __future__ import annotations

from math import prod

import numpy as np
import pyarrow.compute as pc

from ...model import Entity, Problem, Relation, Unique
from ...plan.components import SLACK, Digit
from ...plan.entity import EntityPlan
from ...plan.fields import (
    Cases,
    Computed,
    Constant,
    Converted,
    Counting,
    Drawn,
    FromReference,
    Impossible,
    OfPerson,
    RankWithinOwner,
    Shaped,
    Spaced,
    Walked,
)
from ...plan.plan import Plan
from .agreeing import is_chain, per_pair

_SAMPLE = 256  # texts of which the lengths are looked at
MANY = 4_096  # values beside which a null is not left to chance: the first row of each group may have it


def digits_of(
    plan: Plan, entity_plan: EntityPlan, rule: Unique, problems: list[Problem]
) -> tuple[dict[str, Digit] | None, str | None]:
    """The digits of a rule by name, None where one of its columns alone keeps it; and a reference that it cuts through."""
    entity = entity_plan.entity
    digits: dict[str, Digit] = {}
    if any(is_chain(entity, r) and set(rule.columns) <= set(r.columns) for r in entity.relations):
        return None, None  # each row refers to the one before it
    pair = per_pair(entity)
    if pair and all(set(entity.relation(name).columns) <= set(rule.columns) for name in pair):
        return None, None  # each combination has one row
    left = list(rule.columns)
    cut: str | None = None
    for relation in sorted(entity.relations, key=lambda r: not set(r.columns) <= set(rule.columns)):
        covered = [column for column in relation.columns if column in left]
        if not covered:
            continue
        left = [column for column in left if column not in covered]
        if (owners := _owners_held(plan, entity_plan, relation, covered)) is not None:
            digits[relation.name] = Digit(name=relation.name, relation=True, radix=owners, through=True)
            continue
        apart = plan.entities[relation.target].entity.tells_apart(relation.target_columns)
        if not set(relation.columns) <= set(rule.columns) or not apart:
            cut = relation.name
        radix = plan.entities[relation.target].total if relation.target != entity.name else entity_plan.total
        if relation.unlike is not None and set(entity.relation(relation.unlike).columns) <= set(rule.columns):
            radix -= 1  # the digit is the distance from the other reference, which is never 0
        digits[relation.name] = Digit(name=relation.name, relation=True, radix=max(1, radix))
    own = [name for name, digit in digits.items() if digit.relation and entity.relation(name).target == entity.name]
    unfit: list[tuple[str, str]] = []
    for column in left:
        found = digit_of_field(entity_plan, column, rule)
        if isinstance(found, Digit):
            digits[column] = found
        elif found is not None:
            unfit.append((column, found))
        else:
            return None, None
    if unfit and prod(digit.radix for digit in digits.values()) < max(2, entity_plan.total + entity_plan.earlier_rows):
        problems += [_not_distinct(entity, column, rule, why) for column, why in unfit]
        return None, None
    free = prod(digit.radix for digit in digits.values() if not digit.relation and not digit.counting)
    if cut is None and free >= SLACK * (entity_plan.total + entity_plan.earlier_rows):
        for name in own:  # what refers to rows of the same entity is a hierarchy, which dealt positions would tie into circles
            del digits[name]
    return digits, cut  # where some of its columns keep the rule alone, the others may be equal


def digit_of_field(entity_plan: EntityPlan, column: str, rule: Unique) -> Digit | str | None:
    """The digit of a field; else why its values cannot tell rows apart; None where they always do, or another pass says it."""
    field, entity = entity_plan.fields.get(column), entity_plan.entity
    space, distinct_folded, rising = 1, False, False
    if field is None:
        return None
    match field.way:
        case Counting() | FromReference() | Walked() | Impossible():
            return None
        case Spaced():
            owner = entity.relation(entity_plan.owner.relation) if entity_plan.owner else None
            held = owner is not None and set(owner.columns) <= set(rule.columns)
            return None if held else "each owner's rows have the same times"
        case Computed():
            return "it is computed, and its values may be the same"
        case Cases():
            return "its values differ by case"
        case OfPerson(part=part):
            return None if part.distinct else "people's names repeat"
        case Converted(of=of):
            told_apart = of.apart and is_unique(entity_plan, of.field)
            if of.numbered or told_apart or folds_apart(entity_plan, of.field, field.field.room):
                return None
            return f"it is made from {of.field}, and different values of that may give the same"
        case Drawn(values=values) | Shaped(values=values):
            space, distinct_folded, rising = values.space, values.distinct_folded, values.rising
        case Constant():
            pass
    if field.field.limits.casing is not None and not distinct_folded:
        return f"in {field.field.limits.casing} case its values may be the same"
    if field.cell_bounds or isinstance(field.way, Shaped) or field.field.follows:
        return "its values follow other cells, or a shape"
    null = not rule.nulls_distinct and field.field.nullable and space <= MANY
    counting = isinstance(field.way, Drawn) and isinstance(field.way.of, RankWithinOwner)
    return Digit(name=column, relation=False, radix=space + null, rising=rising and not null, counting=counting, null=null)


def _owners_held(plan: Plan, entity_plan: EntityPlan, relation: Relation, covered: list[str]) -> int | None:
    """How many owners there are where a rule holds just the part of a reference that names the owner of its target.

    None where it holds anything else, and where an owner may be without rows.
    """
    target = plan.entities[relation.target]
    settled = relation.name in entity_plan.candidate_filters or (
        entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    )
    if len(covered) == len(relation.columns) or target.owner is None or target.fixed or settled:
        return None
    above = target.entity.relation(target.owner.relation)
    held = {relation.target_columns[relation.columns.index(column)] for column in covered}
    if held != set(above.columns) or not target.owner.split.least:
        return None
    return target.owner.split.owners


def is_unique(entity_plan: EntityPlan, column: str) -> bool:
    """Whether a column by itself differs in each row."""
    return any(rule.columns == (column,) for rule in entity_plan.entity.unique_rules)


def folds_apart(entity_plan: EntityPlan, source: str, room: int | None) -> bool:
    """Whether a text column holds values that stay different when folded, and are not cut off at `room` characters."""
    field = entity_plan.fields.get(source)
    if (
        not is_unique(entity_plan, source)
        or field is None
        or not isinstance(field.way, Drawn)
        or not field.way.values.distinct_folded
    ):
        return False
    if room is None or (field.field.room is not None and field.field.room <= room):
        return True
    values = field.way.values
    some = np.unique(np.linspace(0, values.space - 1, min(values.space, _SAMPLE)).astype(np.uint64))
    return bool(pc.max(pc.utf8_length(values.decode(some))).as_py() <= room)


def _not_distinct(entity: Entity, column: str, rule: Unique, why: str) -> Problem:
    hint = "another column of the rule must differ, or give this one a kind or a pattern of its own"
    return Problem(fact=f"{entity.name}: {rule} cannot be kept by {column}: {why}", place=rule.place, hint=hint)
