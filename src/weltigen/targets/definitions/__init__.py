"""The definitions of tables, in the dialect of the database where they are created."""

from __future__ import annotations

from ...model import World
from .definition import Definer, Definition, Extra


def definer_for(dialect: str, world: World) -> Definer:
    """What writes definitions for PostgreSQL, MySQL (and MariaDB) or DuckDB."""
    match dialect:
        case "mysql":
            from .mysql import MysqlDefiner

            return MysqlDefiner(world)
        case "duckdb":
            from .duckdb import DuckdbDefiner

            return DuckdbDefiner(world)
        case _:
            from .postgresql import PostgresqlDefiner

            return PostgresqlDefiner(world)


__all__ = ["Definer", "Definition", "Extra", "definer_for"]
