"""A world as JSON and back, for receipts: the model travels with the data made from it."""

from __future__ import annotations

import json
from dataclasses import MISSING, fields, is_dataclass
from enum import Enum
from functools import lru_cache
from typing import Any

from ..model import Place, Problem, World
from ..model.problems import UnreadableError


@lru_cache(maxsize=1)
def _adapter() -> Any:
    from pydantic import TypeAdapter

    return TypeAdapter(World)


def world_to_json(world: World) -> Any:
    """Plain JSON values; what has its default is left out. No adapter writes them: to build one takes longer than most runs."""
    return _plain(world, exact=True)


def _plain(value: Any, *, exact: bool) -> Any:
    """`exact`: a whole number stays one; it was meant as a float elsewhere."""
    if isinstance(value, tuple):
        return [_plain(one, exact=exact) for one in value]
    if isinstance(value, Enum):
        return value.value
    if type(value) is int and not exact:
        return float(value)
    if not is_dataclass(value):
        return value
    kind: Any = type(value)
    told = ((name, getattr(value, name), default, whole) for name, default, whole in _declared(kind))
    return {name: _plain(held, exact=whole) for name, held, default, whole in told if held is not default and held != default}


@lru_cache(maxsize=64)
def _declared(kind: Any) -> tuple[tuple[str, Any, bool], ...]:
    """The fields of a class of the model, each with its default and whether it holds no floats."""
    return tuple(
        (one.name, one.default if one.default_factory is MISSING else one.default_factory(), "float" not in str(one.type))
        for one in fields(kind)
    )


def world_from_receipt(text: str, file: str) -> World:
    """The world under the key `world` of a receipt; UnreadableError where there is none."""
    from pydantic import ValidationError

    try:
        world: World = _adapter().validate_python(json.loads(text)["world"])
    except (ValueError, KeyError, TypeError, ValidationError):
        raise UnreadableError(Problem(fact="this receipt holds no world that can be read", place=Place(file=file))) from None
    return world
