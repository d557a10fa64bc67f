"""Looking at data, computed or stored, in one way: counts, pages of rows, one row with both ends of its relationships."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

from ...model import Entity, Relation
from ...model import World as ModelWorld
from ...model.problems import UsageError, nearest


@dataclass(frozen=True, slots=True, kw_only=True)
class Referring:
    """The rows of one entity that refer to a row by one relation; `count` None: too many to go through.

    Of a link `ends` are the labels of the first rows at its other end, which are of the entity `other`.
    """

    entity: str
    relation: str
    count: int | None
    other: str | None = None
    ends: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Record:
    """One row: its values, the label of each row it refers to, and what refers to it."""

    entity: str
    ordinal: int
    total: int
    values: dict[str, Any]
    labels: dict[str, str]
    children: list[Referring]


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """Which rows of an entity are looked at, and how: those of cohorts, those that keep an SQL condition
    in the order of a field; with only some fields."""

    cohort: tuple[str, ...] = ()
    where: str | None = None
    order: str | None = None
    columns: tuple[str, ...] = ()

    def check(self, entity: Entity) -> None:
        """UsageError where it names a field that is not there."""
        for name in (*self.columns, *([self.order] if self.order else [])):
            if not entity.has(name):
                raise UsageError(f"{entity.name} has no field '{name}'", hint=nearest(name, entity.field_names))


ALL = Choice()


class Records(Protocol):
    """Rows that can be looked at."""

    world: ModelWorld
    where: str

    def counts(self) -> dict[str, int]: ...
    def page(self, entity: str, start: int, limit: int, choice: Choice = ALL) -> list[dict[str, Any]]: ...
    def size(self, entity: str, choice: Choice = ALL) -> int: ...
    def labels(self, entity: str, start: int, limit: int, choice: Choice = ALL) -> list[dict[str, str]]:
        """For each row of a page, by column, the label of the row that it refers to."""

    def ordinal(self, entity: str, where: str) -> int | None:
        """The first row that keeps a condition."""

    def record(self, entity: str, ordinal: int) -> Record: ...


ENDS = 6  # rows at the other end of a link that are shown


def labels_by_column(entity: Entity, named: list[tuple[Relation, str]]) -> dict[str, str]:
    """The label of each row referred to, at a column which only that reference has, where there is one.

    Of a reference with several columns it says its entity too, unless the column does.
    """
    labels: dict[str, str] = {}
    for relation, label in named:
        shared = {column for other in entity.relations if other is not relation for column in other.columns}
        column = next((column for column in relation.columns if column not in shared), relation.columns[0])
        named_so = len(relation.columns) == 1 or column.lower().startswith(relation.target.lower())
        text = label if named_so else f"{relation.target} {label}"
        labels[column] = f"{labels[column]}, {text}" if column in labels else text
    return labels


def referring(world: ModelWorld, entity: str) -> list[tuple[Entity, Relation]]:
    """The relations that point to an entity."""
    return [(child, relation) for child in world.entities for relation in child.relations if relation.target == entity]


def other_end(link: Entity, relation: Relation) -> Relation | None:
    """The relation at the other end of a many-to-many: with `relation` it makes up a unique rule of the link; None for others."""
    for rule in link.unique_rules:
        for other in link.relations:
            both = set(relation.columns) | set(other.columns)
            parts = set(rule.columns) & set(relation.columns), set(rule.columns) & set(other.columns)
            if other is not relation and set(rule.columns) <= both and all(parts) and parts[0] != parts[1]:
                return other
    return None
