"""How many rows the unique rules of an entity have room for, before anything is laid out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ...model import Entity, Relation, Unique
from ...plan.entity import EntityPlan
from ...plan.fields import FromReference
from ...plan.own_checks import own_checks
from ...plan.plan import Plan
from ..knowledge.reducing import reduce_rules
from ..making.fields import prepare_field

_UNKNOWN = 1 << 62


def rooms_of_rules(plan: Plan, entity_plan: EntityPlan, wish: int) -> Iterator[tuple[Unique, int]]:
    """Each rule over all rows with the most rows that it holds, where what it holds is known and `wish` rows may be too many."""
    entity = entity_plan.entity
    reduced = reduce_rules(entity)[0] if entity.special_rules else []
    rules = (*entity.unique_rules, *(one.rule for one in reduced if one.where is None))
    if not rules:
        return
    wished = replace(entity_plan, generated=wish, own_checks=own_checks(entity), reduced=tuple(reduced))
    for rule in rules:
        space = _of_references(plan, entity, rule.columns)
        held = {column for relation in _covering(entity, rule.columns) for column in relation.columns}
        for column in rule.columns:
            if column not in held and space < wish:
                space *= _of_field(plan, wished, column, -(-wish // max(1, space)))
        if space < wish:
            yield rule, space


def _of_field(plan: Plan, entity_plan: EntityPlan, column: str, needed: int) -> int:
    """How many values a field can have, whatever it is filled from in the end."""
    entity = entity_plan.entity
    field = next((field for field in entity.fields if field.name == column), None)
    if field is None or field.generated is not None:
        return _UNKNOWN
    made = prepare_field(plan, entity_plan, field, [], needed)
    if isinstance(made.way, FromReference):
        return max((_values_of(plan, r, column) for r in entity.relations if column in r.columns), default=_UNKNOWN)
    return made.way.space if made.way.space is not None else _UNKNOWN


def _of_references(plan: Plan, entity: Entity, columns: tuple[str, ...]) -> int:
    """The combinations of rows that the references within a rule can go to."""
    space, brought = 1, set[str]()
    for relation in _covering(entity, columns):
        space *= plan.entities[relation.target].total if relation.target != entity.name else _UNKNOWN
        for column in brought & set(relation.columns):  # it must agree with another reference: only some of the pairs do
            space = max(1, space // max(1, _values_of(plan, relation, column)))
        brought |= set(relation.columns)
    return space


def _values_of(plan: Plan, relation: Relation, column: str, seen: frozenset[str] = frozenset()) -> int:
    """How many different values a column that refers to another one can have: the rows of the entity where it comes from."""
    target, own = plan.entities[relation.target], relation.target_columns[relation.columns.index(column)]
    seen |= {target.name}
    onward = [r for r in target.entity.relations if own in r.columns and r.target not in seen]
    return min((_values_of(plan, r, own, seen) for r in onward), default=target.total)


def _covering(entity: Entity, columns: tuple[str, ...]) -> list[Relation]:
    return [relation for relation in entity.relations if set(relation.columns) <= set(columns)]
