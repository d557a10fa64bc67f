"""A world as JSON and back, for receipts: the model travels with the data made from it."""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

from ..model import Place, Problem, World
from ..model.problems import UnreadableError


@lru_cache(maxsize=1)
def _adapter() -> Any:
    from pydantic import TypeAdapter

    return TypeAdapter(World)


def world_to_json(world: World) -> Any:
    """Plain JSON values; what has its default is left out."""
    return _adapter().dump_python(world, mode="json", exclude_defaults=True)


def world_from_receipt(text: str, file: str) -> World:
    """The world under the key `world` of a receipt; UnreadableError where there is none."""
    from pydantic import ValidationError

    try:
        world: World = _adapter().validate_python(json.loads(text)["world"])
    except (ValueError, KeyError, TypeError, ValidationError):
        raise UnreadableError(Problem(fact="this receipt holds no world that can be read", place=Place(file=file))) from None
    return world
