"""Changed copies of frozen values, quickly: a large model is read and planned with tens of thousands of them."""

from __future__ import annotations

from dataclasses import fields
from functools import lru_cache
from typing import Any, TypeVar

_T = TypeVar("_T")


@lru_cache(maxsize=64)
def _names(kind: type[Any]) -> tuple[str, ...]:
    return tuple(field.name for field in fields(kind))


def changed(value: _T, **changes: object) -> _T:
    """`dataclasses.replace`, in a third of its time."""
    kind: Any = type(value)
    parts = {name: getattr(value, name) for name in _names(kind)}
    parts.update(changes)
    made: _T = kind(**parts)
    return made
