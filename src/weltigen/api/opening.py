"""Worlds opened from a source, and stored data audited against them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from .. import model
from ..auditing import Report
from ..auditing import audit as audit_data
from ..infer import relate_undeclared
from ..planning import gc_paused
from ..readers import read_ddl, read_source
from .world import World


def open_world(source: Any, *, dialect: str | None = None) -> World:
    """The world of a world file, an SQL file, an SQLite file, a database's URL, or a folder that `fill` wrote; or of SQLAlchemy's
    MetaData or a declarative base, handed over or named as `package.module:NAME`. Guesses are filled in.

    Raises UnreadableError with every problem and its place.
    """
    with gc_paused():
        return World(read_source(source, dialect, relate_undeclared))


def read_model(sql: Any, *, dialect: str | None = None) -> World:
    """The world of SQL definitions, as text where it holds a line break or a semicolon; any other source as `open_world`."""
    if isinstance(sql, str) and ("\n" in sql or ";" in sql):
        return World(relate_undeclared(read_ddl(sql, "SQL", dialect)))
    return open_world(sql, dialect=dialect)


def audit(world: World | model.World | str | Path, target: str | Path) -> Report:
    """Whether the data at `target` keeps every rule of `world`: the findings, empty when it does.

    Raises UsageError and UnreadableError where the one or the other cannot be read.
    """
    if isinstance(world, str | Path):
        world = open_world(world)
    return audit_data(world.declared if isinstance(world, World) else world, target)
