"""Entities to which every way from a row should end in the same row: tenants, operators, accounts."""

from __future__ import annotations

from dataclasses import replace

from ..model import Same, World
from ..model.ties import find_ties
from .references import singular_words

_OWNERS = frozenset(
    "tenant account organisation organization org workspace team company firm client operator guild club school clinic"
    " mandant firma verein organisation compte societe entreprise cuenta empresa organizacion inquilino".split()
)
_LARGE_SHARE = 0.4  # of all entities refer to one that is called anything else


def propose_tenants(world: World) -> list[tuple[str, int]]:
    """Entities that may be meant so, with the number of entities whose rows lead there in more than one way.

    Others refer to such a one by one reference each, which must be there: two of them to one that is called like an owner,
    three to any other, and then a large share of all entities.
    """
    direct: dict[str, list[tuple[str, bool]]] = {}
    for entity in world.entities:
        for relation in entity.relations:
            if relation.target != entity.name and world.has(relation.target):
                needed = not any(entity.has(column) and entity.field(column).nullable for column in relation.columns)
                direct.setdefault(relation.target, []).append((entity.name, needed))
    found = []
    for name, references in direct.items():
        entities = {entity for entity, _ in references}
        required = {entity for entity, needed in references if needed}
        ours = bool(_OWNERS & singular_words(name))
        if len(required) < (2 if ours else 3) or len(entities) < len(references):
            continue
        if not ours and len(entities) < _LARGE_SHARE * len(world.entities):
            continue
        ties, problems = find_ties(replace(world, same=(Same(text=name),)))
        tied = [entity for entity, own in ties.items() if own]
        if not problems and len(tied) > 1:
            found.append((name, len(tied)))
    return sorted(found, key=lambda pair: -pair[1])
