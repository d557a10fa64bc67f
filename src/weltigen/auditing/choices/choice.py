"""Rules about ways of choosing targets that a world file names; each registers here what it requires of the data."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from ...model import Entity, Relation, World
from ...stored.stores.store import Store
from ..rule import SetRule

Ask = Callable[[World, Entity, Relation, Store], Iterator[SetRule]]

_ASKED: dict[str, Ask] = {}


def register(way: str, ask: Ask) -> None:
    """Make the rules of a way known."""
    _ASKED[way] = ask


def choice_rules(world: World, entity: Entity, store: Store, stages: Mapping[str, int]) -> Iterator[SetRule]:
    """The rules of all references that choose in a way of their own; none over tables that are not there.

    Where several `stages` made rows of a target, rows of each were chosen among those of their own.
    """
    for relation in entity.relations:
        there = store.columns(world.entity(relation.target)) is not None
        if relation.choice is not None and there and stages.get(relation.target, 1) == 1:
            yield from _ASKED[relation.choice.way](world, entity, relation, store)
