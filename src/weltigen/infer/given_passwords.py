"""Passwords that fixed rows give in clear become what an application would have stored."""

from __future__ import annotations

from dataclasses import replace

from ..model import Entity, World
from ..model.changing import changed
from ..values.passwords import is_kept, password_in


def keep_passwords(world: World) -> World:
    """The world with the passwords of fixed rows hashed as their fields say; what is a hash already stays. Its salt follows from
    the seed of the world."""
    entities = tuple(_kept(world, entity) if len(entity.fixed) > entity.there else entity for entity in world.entities)
    return world if entities == world.entities else replace(world, entities=entities)


def _kept(world: World, entity: Entity) -> Entity:
    known = {field.name: found for field in entity.fields if (found := password_in(field, world.seed)) is not None}
    rows = (
        tuple((name, known[name].stored(text) if name in known and text and not is_kept(text) else text) for name, text in row)
        for row in entity.fixed[entity.there :]
    )
    return changed(entity, fixed=(*entity.fixed[: entity.there], *rows)) if known else entity
