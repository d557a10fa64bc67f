"""Fields of rules over several columns: where all of them together have too few values, guesses give way to wider ones."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from math import prod

from ...model import Unique
from ...plan.components import Digit
from ...plan.entity import EntityPlan
from ...plan.fields import Converted, FieldPlan
from ...plan.plan import Plan
from ..knowledge.digits import digit_of_field, digits_of

Prepare = Callable[[EntityPlan, str, int], FieldPlan]
_MOST = 1 << 62


def widened(plan: Plan, entity_plan: EntityPlan, planned: Mapping[str, FieldPlan], prepare: Prepare) -> dict[str, FieldPlan]:
    """The fields, of which those that nobody spoke of are prepared again where a rule needs more of their values to differ.

    `prepare` makes a field of that name beside those of the entity, with at least so many values that differ, or with as many
    as there can be.
    """
    out = dict(planned)
    for rule in (*entity_plan.entity.unique_rules, *(reduced.rule for reduced in entity_plan.reduced)):
        if rule.where is not None or not any(_is_free(out, column) for column in rule.columns):
            continue
        if len(rule.columns) < 2 and not isinstance(out[rule.columns[0]].way, Converted):
            continue  # it was tried alone, but not against what it is made from
        held = replace(entity_plan, fields=out)
        if digits_of(plan, held, rule, [])[0] is not None and _room(plan, held, rule, out, None) >= 1:
            continue
        for column in sorted((c for c in rule.columns if _is_free(out, c)), key=lambda c: out[c].way.space or 0):
            held = replace(entity_plan, fields=out)
            room = _room(plan, held, rule, out, column)
            needed = max(2, -(-_rows(entity_plan, rule) // max(1, int(room))))
            made = prepare(held, column, needed)
            if (made.way.space or _MOST) > (out[column].way.space or 0) or not _is_digit(held, column, rule):
                out[column] = made
            if _room(plan, replace(entity_plan, fields=out), rule, out, None) >= 1:
                break
    return out


def _is_free(planned: Mapping[str, FieldPlan], column: str) -> bool:
    return column in planned and planned[column].field.free and planned[column].way.chosen


def _is_digit(entity_plan: EntityPlan, column: str, rule: Unique) -> bool:
    return not isinstance(digit_of_field(entity_plan, column, rule), str)


def _rows(entity_plan: EntityPlan, rule: Unique) -> int:
    """The rows that a rule must tell apart: of all, or of one owner."""
    owner = entity_plan.owner
    if owner is not None and set(entity_plan.entity.relation(owner.relation).columns) <= set(rule.columns):
        return max(1, owner.split.most)
    return max(1, entity_plan.total + entity_plan.earlier_rows)


def _room(plan: Plan, entity_plan: EntityPlan, rule: Unique, planned: Mapping[str, FieldPlan], without: str | None) -> float:
    """The combinations that a rule has but for one field; without any, for each row that it must tell apart."""
    entity, owner = entity_plan.entity, entity_plan.owner
    space, left = 1, [column for column in rule.columns if column != without]
    for relation in entity.relations:
        if set(relation.columns) <= set(left):
            left = [column for column in left if column not in relation.columns]
            if owner is None or owner.relation != relation.name:
                space *= max(1, plan.entities[relation.target].total)
    spaces = [digit_of_field(entity_plan, column, rule) for column in left if column in planned]
    space *= prod(digit.radix for digit in spaces if isinstance(digit, Digit))
    if any(digit is None and column in planned for digit, column in zip(spaces, left, strict=False)):
        space = _MOST
    return space if without is not None else space / _rows(entity_plan, rule)
