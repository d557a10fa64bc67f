"""Columns that others refer to: a row whose key is null cannot be referred to, so such keys are filled, or asked for."""

from __future__ import annotations

from dataclasses import replace

from ..expression.names import plain_name
from ..model import Check, Entity, Field, Present, Relation, World
from ..model.changing import changed
from ..model.origins import Origin

_ALWAYS = Present(share=1.0, origin=Origin.GUESSED)


def fill_referenced(world: World) -> World:
    """The world with keys that are always there, where nobody says when."""
    asked: dict[str, set[str]] = {}
    for entity in world.entities:
        for relation in entity.relations:
            if world.has(relation.target):
                target = world.entity(relation.target)
                columns = {c for c in relation.target_columns if target.has(c) and target.field(c).nullable}
                asked.setdefault(relation.target, set()).update(columns - set(target.key))
    if not any(asked.values()):
        return world
    return replace(world, entities=tuple(_filled(entity, asked.get(entity.name, set())) for entity in world.entities))


def ask_for_keys(world: World) -> World:
    """The world with references that go to rows which have a key, where that is not always there."""
    entities = {entity.name: entity for entity in world.entities}
    return replace(world, entities=tuple(_asking(entity, entities) for entity in entities.values()))


def _filled(entity: Entity, columns: set[str]) -> Entity:
    if not columns:
        return entity
    brought = {column for relation in entity.relations for column in relation.columns}
    fields = tuple(
        changed(f, present=_ALWAYS) if f.name in columns - brought and _is_open(f.present) and f.generated is None else f
        for f in entity.fields
    )
    relations = tuple(
        replace(r, present=_ALWAYS) if columns & set(r.columns) and _is_open(r.present) else r for r in entity.relations
    )
    return changed(entity, fields=fields, relations=relations)


def _is_open(present: Present | None) -> bool:
    return present is None or (present.origin is Origin.GUESSED and present.when is None)


def _asking(entity: Entity, entities: dict[str, Entity]) -> Entity:
    """The entity, whose references go to rows that have a key."""
    relations = []
    for relation in entity.relations:
        target = entities.get(relation.target)
        lacking = [c for c in relation.target_columns if target is not None and _may_lack(target, c)]
        text = " AND ".join(f"{plain_name(column)} IS NOT NULL" for column in lacking)
        if lacking and text not in (relation.where.expression if relation.where is not None else ""):
            said = f"({relation.where.expression}) AND {text}" if relation.where is not None else text
            where = (
                replace(relation.where, expression=said)
                if relation.where is not None
                else Check(expression=said, place=relation.place)
            )
            relation = replace(relation, where=where)
        relations.append(relation)
    return replace(entity, relations=tuple(relations)) if entity.relations else entity


def _may_lack(target: Entity, column: str) -> bool:
    """Whether a row of the target may be without that part of its key, by what is declared or said."""
    if not target.has(column):
        return False
    field: Field = target.field(column)
    if not field.nullable or field.generated is not None or column in target.key:
        return False
    relations: list[Relation] = [r for r in target.relations if column in r.columns]
    if relations:
        return not any(r.present is not None and r.present.share == 1 and r.present.when is None for r in relations)
    present = field.present
    return present is None or present.share != 1 or present.when is not None
