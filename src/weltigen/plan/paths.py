"""Paths: names of cells as they are written, resolved to fields and relations."""

from __future__ import annotations

from ..model import Entity, Relation
from .plan import Cell, EntityPlan


def resolve_path(entity: Entity, path: str) -> tuple[str, ...]:
    """`booked_at`, or the names of a relation and a field for `sailing.departs_at`."""
    head, _, rest = path.rpartition(".")
    return (_relation(entity, head).name, rest) if head else (rest,)


def _relation(entity: Entity, name: str) -> Relation:
    for relation in entity.relations:
        if name in (relation.name, *relation.columns):
            return relation
    return next(relation for relation in entity.relations if relation.target == name)


def path_cell(entity_plan: EntityPlan, path: tuple[str, ...]) -> Cell:
    """The entity and field that a resolved path reads."""
    if len(path) == 1:
        return entity_plan.name, path[0]
    return entity_plan.entity.relation(path[0]).target, path[1]
