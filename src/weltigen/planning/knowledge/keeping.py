"""What keeps rows that a later stage adds apart from earlier ones."""

from __future__ import annotations

from ...model import Entity, Relation, Unique
from ...plan.plan import Plan
from ...plan.stages import first_row


def is_apart(plan: Plan, entity: Entity, rule: Unique) -> bool:
    """Whether rows that a stage adds keep a rule against all earlier ones, since they refer to rows that it adds."""
    if not first_row(plan, entity.name):
        return True
    for relation in entity.relations:
        held = [column for column in relation.columns if column in rule.columns]
        there = rule.nulls_distinct or not any(entity.field(column).nullable for column in held)
        if held and there and _is_new(plan, relation, held):
            return True
    return False


def _is_new(plan: Plan, relation: Relation, held: list[str]) -> bool:
    """Whether some columns of a reference hold what no row of an earlier stage has there."""
    if relation.target in plan.kept:
        return False
    target = plan.entities[relation.target].entity
    theirs = {relation.target_columns[relation.columns.index(column)] for column in held}
    if any(set(rule.columns) <= theirs for rule in target.unique_rules):
        return True
    if relation.target == relation.entity:
        return False
    further = [(one, [column for column in one.columns if column in theirs]) for one in target.relations]
    return any(own and one.target != target.name and _is_new(plan, one, own) for one, own in further)
