"""Ways of choosing targets as a world file sets them: each has keys of its own in the section of a reference.

A way is a file of this folder that registers its keys, and how these become a `Choice` of the model.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from ...model import Choice, Entity, Relation
from ..sections import Section
from ..yaml_tree import Path, Tree


class Told(Protocol):
    """Where what is wrong in a world file is reported."""

    @property
    def tree(self) -> Tree:
        """The file, with the place of each key."""

    def problem(self, path: Path, fact: str, hint: str | None = None, *, value: bool = False) -> None: ...


Read = Callable[[Told, Entity, Relation, Any, Path], Choice | None]

KEYS: list[type[Section]] = []
READERS: list[Read] = []


def register(keys: type[Section], read: Read) -> None:
    """Make a way of choosing known: `read` gets the section of a reference, and gives None where that does not ask for it."""
    KEYS.append(keys)
    READERS.append(read)
