"""What an entity refers to, what refers to it, and what a delete of a row does, in words."""

from __future__ import annotations

from ...model import OnDelete, Relation
from ...model.phrases import about, all_of
from ...plan import EntityPlan, Plan
from .wording import reference_in_words


def place_in_order(plan: Plan, entity_plan: EntityPlan) -> str:
    """What had to come first, and what was not waited for since a circle was broken there."""
    broken = {cycle.broken_at.label for cycle in plan.cycles if cycle.broken_at}
    relations = [r for r in entity_plan.entity.relations if r.target != entity_plan.name]
    first = dict.fromkeys(r.target for r in relations if r.label not in broken)
    later = dict.fromkeys(r.target for r in relations if r.label in broken)
    text = (
        f", after {all_of(tuple(first))}, to which it refers" if first else ", in the order of declaration: it refers to nothing"
    )
    return text + (f"; {all_of(tuple(later))} comes later (a cycle, broken here)" if later else "")


def references_in_words(entity_plan: EntityPlan) -> list[str]:
    texts = []
    for relation in entity_plan.entity.relations:
        if (reference := entity_plan.references.get(relation.name)) is not None:
            by = f"{relation.target} by {', '.join(relation.columns)}"
            texts.append(f"{by}: {reference_in_words(entity_plan, reference)}; on delete {relation.on_delete}")
    return texts


def referred_to_in_words(plan: Plan, name: str) -> list[str]:
    return [
        f"{e.name} by {', '.join(r.columns)}: {delete_in_words(plan, r)}"
        for e in plan.world.entities
        for r in e.relations
        if r.target == name
    ]


def delete_in_words(plan: Plan, relation: Relation) -> str:
    """What a delete of a row referred to does to the rows that refer to it, and how many those are on average."""
    rows, targets = plan.entities[relation.entity].total, plan.entities[relation.target].total
    entity = plan.entities[relation.entity].entity
    optional = all(entity.field(column).nullable for column in relation.columns)
    mean = rows / targets if targets else 0.0
    many = f"{'up to ' if optional else ''}{about(mean)} on average"
    match relation.on_delete:
        case OnDelete.CASCADE:
            return f"ON DELETE CASCADE deletes them too, {many}{_further(plan, relation.entity)}"
        case OnDelete.SET_NULL:
            return f"a delete sets them to null, {many}"
        case OnDelete.SET_DEFAULT:
            return f"a delete sets them to their default, {many}"
        case _:
            return f"they prevent the delete, {many}"


def _further(plan: Plan, name: str) -> str:
    """What goes along in turn, by name."""
    seen, waiting = [name], [name]
    while waiting:
        at = waiting.pop(0)
        for entity in plan.world.entities:
            falls = any(r.target == at and r.on_delete is OnDelete.CASCADE for r in entity.relations)
            if falls and entity.name not in seen:
                seen.append(entity.name)
                waiting.append(entity.name)
    return f", and their {', '.join(seen[1:])}" if len(seen) > 1 else ""
