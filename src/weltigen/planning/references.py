"""Pass: every reference finds its target, and its columns agree with it in type."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from itertools import combinations

import pyarrow as pa

from ..expression import NotEvaluableError
from ..model import Entity, PerOwner, Problem, Relation, World
from ..model.problems import nearest
from ..model.ties import Tie, find_ties
from ..model.types import INTEGERS, NUMBERS, TEXTS, FieldType, TypeName
from ..plan.entity import EntityPlan
from ..plan.formulas import bind, tried_on_nothing
from ..plan.plan import Plan


def resolve_references(plan: Plan) -> Plan:
    world, notes = plan.world, list(plan.notes)
    problems: list[Problem] = []
    for entity in world.entities:
        for relation in entity.relations:
            found = _problem(world, entity, relation) or _senseless(world, relation)
            if found:
                problems.append(found)
            elif (said := _loose(world, relation)) is not None:
                notes.append(said)
    ties, untied = find_ties(world) if not problems else ({}, [])
    problems += [*untied, *_at_odds(world, ties)]
    entities = {e.name: EntityPlan(entity=_give_way(e), ties=ties.get(e.name, ())) for e in world.entities}
    return replace(plan, entities=entities, notes=tuple(notes)).with_problems(problems)


def _senseless(world: World, relation: Relation) -> Problem | None:
    """A condition on the target that makes no sense of its fields."""
    if relation.where is None:
        return None
    try:
        formula = bind(world, world.entity(relation.target), relation.where.expression, relation.where.dialect)
        arrow = tried_on_nothing(world, formula)
        if pa.types.is_boolean(arrow) or pa.types.is_null(arrow):
            return None
        said = f"'{relation.where.expression}' is not a condition"
    except NotEvaluableError as error:
        said = str(error)
    return Problem(fact=f"{relation.label}: {said}", place=relation.where.place or relation.place)


def _at_odds(world: World, ties: Mapping[str, tuple[Tie, ...]]) -> Iterator[Problem]:
    """References of which one rule says that they go to the same row, and another that they do not."""
    for name, own in ties.items():
        entity = world.entity(name)
        for tie in own:
            direct = [entity.relation(way[0]) for way in tie.ways if len(way) == 1]
            for one, other in combinations(direct, 2):
                if one.unlike == other.name or other.unlike == one.name:
                    asked = f"`same` asks both for the same {tie.ancestor}"
                    yield Problem(fact=f"{name}: {one.name} and {other.name} must differ, but {asked}", place=tie.place,
                                  hint=f"leave {tie.ancestor} out of `same`, or drop the rule that they differ")  # fmt: skip


def _give_way(entity: Entity) -> Entity:
    """Of two references that must differ, the one that fewer unique rules hold gives way; never the owner's."""
    relations = {relation.name: relation for relation in entity.relations}
    for relation in entity.relations:
        if relation.unlike is None or relation.unlike not in relations:
            continue
        other = relations[relation.unlike]
        if _bound(entity, relation) > _bound(entity, other):
            relations[relation.name] = replace(relation, unlike=None)
            relations[other.name] = replace(other, unlike=relation.name)
    return replace(entity, relations=tuple(relations.values()))


def _bound(entity: Entity, relation: Relation) -> int:
    """How much else decides where a reference goes; one that chooses in a way of its own keeps itself apart."""
    owned = isinstance(entity.rows, PerOwner) and entity.rows.per == relation.name
    ruled = sum(1 for rule in entity.unique_rules if set(relation.columns) <= set(rule.columns))
    return 1000 * owned + ruled - (relation.choice is not None)


def _problem(world: World, entity: Entity, relation: Relation) -> Problem | None:
    label = relation.label
    if not world.has(relation.target):
        hint = nearest(relation.target, world.entity_names)
        return Problem(fact=f"{label} refers to '{relation.target}', which is not an entity", place=relation.place, hint=hint)
    target = world.entity(relation.target)
    if len(relation.target_columns) != len(relation.columns):
        return Problem(fact=f"{label} does not say which columns of {target.name} it refers to", place=relation.place)
    for column, target_column in zip(relation.columns, relation.target_columns, strict=True):
        for owner, name in ((entity, column), (target, target_column)):
            if not owner.has(name):
                hint = nearest(name, owner.field_names)
                return Problem(fact=f"{label}: {owner.name} has no field '{name}'", place=relation.place, hint=hint)
        own, other = entity.field(column).type, target.field(target_column).type
        if not _comparable(own, other, loose=world.dialect == "sqlite"):
            fact = f"{entity.name}.{column} is {own}, but {target.name}.{target_column}, to which it refers, is {other}"
            return Problem(fact=fact, place=relation.place)
    return None


def _loose(world: World, relation: Relation) -> str | None:
    """What is said of a reference to columns that are not unique: databases that ask for an index alone take it."""
    target = world.entity(relation.target)
    if target.tells_apart(relation.target_columns):
        return None
    said = f"{relation.label} refers to {target.name} ({', '.join(relation.target_columns)}), which is not unique"
    return f"{said}: it holds what some row there has"


def _comparable(one: FieldType, other: FieldType, loose: bool) -> bool:
    """Whether a column can hold what the other has. `loose` is as SQLite is: there a text may refer to a number."""
    if TypeName.OTHER in (one.name, other.name):
        return True
    families = (INTEGERS, NUMBERS, TEXTS | {TypeName.UUID, TypeName.ENUM}, *((NUMBERS | TEXTS,) if loose else ()))
    return one.name == other.name or any(one.name in family and other.name in family for family in families)
