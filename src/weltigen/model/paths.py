"""Paths: names of cells as they are written, resolved to references and a field."""

from __future__ import annotations

from .entities import Entity
from .fields import Field
from .relations import Relation
from .types import FieldType, TypeName
from .world import World

Cell = tuple[str, str]  # entity and field
Path = tuple[str, ...]  # names of relations, one after the other, and last the name of a field


def resolve_path(world: World, entity: Entity, path: str) -> Path:
    """`booked_at`, or the names of relations and a field for `sailing.vessel.name`; KeyError where there is no such cell.

    SQL folds the case of names: one that is not found as it is written is looked for in any case.
    """
    if "." in path and entity.has(path):  # a name may hold a dot itself
        return (path,)
    *way, last = path.split(".")
    names: list[str] = []
    for word in way:
        relation = _relation(entity, word)
        names.append(relation.name)
        entity = world.entity(relation.target)
    known = entity.has(last) or last in entity.cohort_names
    return (*names, last if known else _in_any_case(entity.field_names, last))


def _in_any_case(names: tuple[str, ...], word: str) -> str:
    for name in names:
        if name.lower() == word.lower():
            return name
    raise KeyError(word)


def _relation(entity: Entity, name: str) -> Relation:
    for relation in entity.relations:
        if name in (relation.name, *relation.columns):
            return relation
    for relation in entity.relations:
        if relation.target == name:
            return relation
    return entity.relation(_in_any_case(tuple(relation.name for relation in entity.relations), name))


def path_end(world: World, entity: Entity, path: Path) -> Cell:
    """The entity and field that a resolved path ends at."""
    for name in path[:-1]:
        entity = world.entity(entity.relation(name).target)
    return entity.name, path[-1]


def field_at(world: World, entity: Entity, path: Path) -> Field:
    """The field that a resolved path ends at; a cohort's name is a truth value, which is stored nowhere."""
    end, name = path_end(world, entity, path)
    if world.entity(end).has(name):
        return world.entity(end).field(name)
    return Field(name=name, type=FieldType(name=TypeName.BOOLEAN), nullable=False)


def may_lead_nowhere(world: World, entity: Entity, path: Path) -> bool:
    """Whether a reference on the way may be null."""
    for name in path[:-1]:
        relation = entity.relation(name)
        if any(entity.field(column).nullable for column in relation.columns):
            return True
        entity = world.entity(relation.target)
    return False


def path_cells(world: World, entity: Entity, path: Path) -> tuple[Cell, ...]:
    """All cells that a resolved path reads: the columns of each reference on its way, and the last.

    What lies beyond a reference to an earlier row of the same entity is not a circle, whatever needs what.
    """
    cells: list[Cell] = []
    for name in path[:-1]:
        relation = entity.relation(name)
        cells += [(entity.name, column) for column in relation.columns]
        if relation.target == entity.name:
            return tuple(cells)
        entity = world.entity(relation.target)
    return (*cells, (entity.name, path[-1]))
