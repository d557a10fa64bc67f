"""Passwords that fixed rows give in clear become what an application would have stored."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from ..model import Entity, Field, KindSource, World
from ..model.changing import changed
from ..values import KindError, Request
from ..values.passwords import Password, is_kept, password_of


def keep_passwords(world: World) -> World:
    """The world with the passwords of fixed rows hashed as their fields say; what is a hash already stays. Its salt follows from
    the seed of the world."""
    entities = tuple(_kept(world, entity) if len(entity.fixed) > entity.there else entity for entity in world.entities)
    return world if entities == world.entities else replace(world, entities=entities)


def _kept(world: World, entity: Entity) -> Entity:
    known = {field.name: found for field in entity.fields if (found := _password(world, field)) is not None}
    rows = (
        tuple((name, known[name].stored(text) if name in known and text and not is_kept(text) else text) for name, text in row)
        for row in entity.fixed[entity.there :]
    )
    return changed(entity, fixed=(*entity.fixed[: entity.there], *rows)) if known else entity


def _password(world: World, field: Field) -> Password | None:
    source = field.source
    if not isinstance(source, KindSource) or source.kind != "password":
        return None
    never = datetime.min  # no password depends on the window
    request = Request(
        type=field.type, rows=1, window=(never, never), room=field.room, least=field.limits.min_length or 0,
        parameters=dict(source.parameters), seed=world.seed,
    )  # fmt: skip
    try:
        return password_of(request)
    except KindError:  # which is told of where the field is planned
        return None
