"""Structured values as their default is: a list where that is one, and of its shape where it has any."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from typing import Any

from ..model import Field, KindSource, TypeName
from ..values.structured import list_shapes
from .around import Guessed, default_of
from .naming.values import family_of
from .offers import of_named_kind


def as_by_default(field: Field, found: Iterable[Guessed]) -> Iterator[Guessed]:
    """The guesses of a structured field that its default leaves, or one of its shape."""
    default = default_of(field) if field.type.name is TypeName.JSON else None
    try:
        value = None if default is None else json.loads(default)
    except ValueError:
        value = None
    if not isinstance(value, dict | list):
        yield from found
        return
    if value:
        yield of_named_kind("json", "the shape of its default", 0.95, schema=json.dumps(shape_of(value)))
    left = [one for one in found if _is_list(one) == isinstance(value, list)]
    yield from left
    if not left and not value:
        yield of_named_kind("json", "its default", 0.5, **{"for": "things" if isinstance(value, list) else "thing"})


def _is_list(one: Guessed) -> bool:
    told = dict(one.source.parameters) if isinstance(one.source, KindSource) else {}
    if "schema" in told:
        return bool(json.loads(told["schema"]).get("type") == "array")
    return told.get("for", "metadata") in list_shapes()


def shape_of(value: Any) -> dict[str, Any]:
    """A shape in words of JSON Schema that values like a given one have: its keys, and values near those that stand there."""
    match value:
        case bool():
            return {"type": "boolean"}
        case int():
            return {"type": "integer", "minimum": str(min(0, 2 * value)), "maximum": str(max(3, 2 * value))}
        case float():
            return {"type": "number", "minimum": str(min(0.0, 2 * value)), "maximum": str(max(1.0, 2 * value))}
        case str():
            return {"type": "string", "enum": list(family_of(value)) or [value]}
        case list():
            items = shape_of(value[0]) if value else {"type": "string", "enum": ["standard"]}
            return {"type": "array", "items": items, "minItems": str(min(1, len(value))), "maxItems": str(max(3, len(value)))}
        case dict() if value:
            return {"type": "object", "properties": {key: shape_of(one) for key, one in value.items()}, "required": list(value)}
    return {"enum": [value]}
