"""How rows are shown where others refer to them, guessed where the world file does not say."""

from __future__ import annotations

from dataclasses import replace

from ..expression.names import plain_name
from ..model import Entity, KindSource, World
from ..model.changing import changed

_NAMES = ("label", "title", "name", "full_name", "reference", "code", "slug", "email")


def guess_labels(world: World) -> World:
    return replace(world, entities=tuple(e if e.label else changed(e, label=_label(e)) for e in world.entities))


def _label(entity: Entity) -> str | None:
    kinds = {field.source.kind: field.name for field in entity.fields if isinstance(field.source, KindSource)}
    if "given-name" in kinds and "family-name" in kinds:
        given, family = kinds["given-name"], kinds["family-name"]
        return f"{plain_name(given)} || ' ' || {plain_name(family)}"
    named = next((name for name in _NAMES if entity.has(name)), None)
    return plain_name(named) if named else None
