"""A live database as a world: its catalogue is turned into definitions, which the grammar of scripts reads.

Catalogues give constraints, defaults, domains and indexes as SQL in full (deferrability, partial and expression indexes, MATCH),
where a general inspector leaves some out. Databases other than the three that we know go through SQLAlchemy's reflection.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from ...model import Problem, World
from ...model.problems import Place, UnreadableError
from ...stored.connections import connected, shown_url
from ...stored.names import LEDGER
from ..metadata import read_metadata
from ..sql import read_ddl
from .mariadb import mariadb_definitions, mariadb_rows
from .postgresql import postgresql_definitions, postgresql_rows

Definitions = Callable[[Any], str]
Rows = Callable[[Any], Mapping[str, int]]
_KNOWN: dict[str, tuple[str, Definitions, Rows]] = {
    "postgresql": ("postgresql", postgresql_definitions, postgresql_rows),
    "mysql": ("mysql", mariadb_definitions, mariadb_rows),
    "mariadb": ("mariadb", mariadb_definitions, mariadb_rows),
}


def read_database(url: str) -> World:
    """The world of the tables that a database holds, with how many rows each has; reads, never writes."""
    from sqlalchemy.exc import SQLAlchemyError

    name = shown_url(url)
    with connected(url) as connection:
        try:
            if connection.dialect.name == "postgresql":
                connection.exec_driver_sql("SET TRANSACTION READ ONLY")
            world = world_there(connection, name)
        except SQLAlchemyError as error:
            fact = f"the catalogue cannot be read: {str(getattr(error, 'orig', error)).splitlines()[0]}"
            raise UnreadableError(Problem(fact=fact, place=Place(file=name))) from None
    if world is None:
        raise UnreadableError(Problem(fact="no table is declared here", place=Place(file=name), hint="is it the right database?"))
    return world


def world_there(connection: Any, name: str) -> World | None:
    """The world of the tables that an open SQLAlchemy connection sees; None where there are none."""
    from sqlalchemy import MetaData

    known = _KNOWN.get(connection.dialect.name)
    if known is None:
        metadata = MetaData()
        metadata.reflect(connection)
        return read_metadata(metadata, name) if metadata.tables else None
    dialect, definitions, rows = known
    sql = definitions(connection)
    if not any(statement.startswith("CREATE TABLE") for statement in sql.split(";\n")):
        return None
    held = rows(connection)
    world = read_ddl(sql, name, dialect, lines=False)
    entities = (entity for entity in world.entities if entity.name != LEDGER)
    return replace(world, entities=tuple(replace(e, held=held.get(e.name)) for e in entities))
