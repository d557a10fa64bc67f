"""A DuckDB file as a world: it says of each table how it was made, in words that are PostgreSQL's."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from ...model import Place, Problem, World
from ...model.problems import UnreadableError
from ...stored.names import LEDGER
from ...stored.stores.duckdb_store import unreadable
from ..sql import read_ddl


def read_duckdb(path: Path) -> World:
    """The world of the tables in a DuckDB file; reads, never writes."""
    import duckdb

    if not path.is_file():
        raise UnreadableError(Problem(fact="no such file", place=Place(file=str(path))))
    try:
        with duckdb.connect(str(path), read_only=True) as connection:
            world = duckdb_world(connection, str(path))
    except duckdb.Error as error:
        problem = Problem(fact=f"this {unreadable(str(error))}", place=Place(file=str(path)), hint="was another file meant?")
        raise UnreadableError(problem) from None
    if world is None:
        raise UnreadableError(Problem(fact="no table is declared here", place=Place(file=str(path))))
    return world


def duckdb_world(connection: Any, name: str) -> World | None:
    """The world of the tables that an open DuckDB connection sees; None where there are none."""
    rows = connection.execute(
        "SELECT schema_name, table_name, sql, estimated_size FROM duckdb_tables() WHERE NOT internal AND NOT temporary"
        " AND database_name = current_database()"
    ).fetchall()
    if not rows:
        return None
    world = read_ddl(";\n".join(sql.rstrip(";") for _, _, sql, _ in rows), name, "postgresql", lines=False)
    held = {(table if schema == "main" else f"{schema}.{table}"): size for schema, table, _, size in rows}
    return replace(
        world, dialect="duckdb", entities=tuple(replace(e, held=held.get(e.name)) for e in world.entities if e.name != LEDGER)
    )
