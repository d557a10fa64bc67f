"""How rows are shown where others refer to them, guessed where the world file does not say."""

from __future__ import annotations

import re
from dataclasses import replace

from ..model import Entity, KindSource, World

_NAMES = ("label", "title", "name", "full_name", "reference", "code", "slug", "email")


def guess_labels(world: World) -> World:
    return replace(world, entities=tuple(e if e.label else replace(e, label=_label(e)) for e in world.entities))


def _label(entity: Entity) -> str | None:
    kinds = {field.source.kind: field.name for field in entity.fields if isinstance(field.source, KindSource)}
    if "given-name" in kinds and "family-name" in kinds:
        given, family = kinds["given-name"], kinds["family-name"]
        return f"{_quoted(given)} || ' ' || {_quoted(family)}"
    named = next((name for name in _NAMES if entity.has(name)), None)
    return _quoted(named) if named else None


def _quoted(name: str) -> str:
    """A name as SQL needs it: plain where it is one word in lower case that SQL does not use itself."""
    return name if re.fullmatch(r"[a-z][a-z0-9_]*", name) and name not in ("order", "user", "group", "table") else f'"{name}"'
