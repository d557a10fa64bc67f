"""Which rows a function over children is about."""

from __future__ import annotations

from ..model import Entity, Relation, World
from .meaning import NotEvaluableError


def child_of(world: World, entity: Entity, name: str, text: str) -> tuple[Entity, Relation]:
    """The child entity that an aggregate names, and the reference by which its rows belong to a row.

    NotEvaluableError where there is none, or more than one.
    """
    if not world.has(name):
        raise NotEvaluableError(f"'{text}': there is no entity '{name}'")
    child = world.entity(name)
    fitting = [relation for relation in child.relations if relation.target == entity.name]
    owning = [relation for relation in fitting if getattr(child.rows, "per", None) == relation.name]
    if not fitting:
        raise NotEvaluableError(f"'{text}': {name} does not refer to {entity.name}, so these have no rows of it")
    if len(fitting) > 1 and not owning:
        names = ", ".join(relation.name for relation in fitting)
        raise NotEvaluableError(f"'{text}': {name} refers to {entity.name} in more than one way ({names})")
    return child, (owning or fitting)[0]
