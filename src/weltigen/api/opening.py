"""Worlds opened from a source, and stored data audited against them."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from .. import model
from ..model.collecting import gc_paused
from ..readers.sources import read_source
from ..readers.sql import read_ddl
from .world import World

if TYPE_CHECKING:
    from ..auditing import Report


def open_world(source: Any, *, dialect: str | None = None) -> World:
    """The world of a world file, an SQL file, an SQLite file, a database's URL, or a folder that `fill` wrote; or of SQLAlchemy's
    MetaData or a declarative base, handed over or named as `package.module:NAME`. Guesses are filled in.

    Raises UnreadableError with every problem and its place.
    """
    from ..infer import complete

    with gc_paused():
        return World(read_source(source, dialect, complete))


def read_model(sql: Any, *, dialect: str | None = None) -> World:
    """The world of SQL definitions, as text where it begins with CREATE or holds a line break or a semicolon; any other source
    as `open_world`."""
    from ..infer import complete

    if isinstance(sql, str) and ("\n" in sql or ";" in sql or sql.lstrip().upper().startswith("CREATE ")):
        return World(complete(read_ddl(sql, "SQL", dialect)))
    return open_world(sql, dialect=dialect)


def audit(world: World | model.World | str | Path, target: str | Path, *, reveal: bool = False) -> Report:
    """Whether the data at `target` keeps every rule of `world`: the findings, empty when it does.

    What secret fields hold is shown in them only with `reveal`.

    Raises UsageError and UnreadableError where the one or the other cannot be read.
    """
    from ..auditing import audit as audit_data

    if isinstance(world, str | Path):
        world = open_world(world)
    return audit_data(world.declared if isinstance(world, World) else world, target, reveal=reveal)
