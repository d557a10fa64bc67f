"""A DuckDB file, opened for reading alone."""

from __future__ import annotations

from pathlib import Path

from ...model import Entity
from ...model.problems import UnreadableError
from ..names import literal, quoted
from .duck_store import DuckStore, Stored


def unreadable(said: str) -> str:
    """Why a DuckDB file cannot be read, in words; `said` is DuckDB's own message."""
    if "valid DuckDB" in said:
        return "is not a DuckDB database"
    return "is in use by another program" if "lock" in said.lower() else f"cannot be read ({said.splitlines()[0][:120]})"


class DuckdbStore(DuckStore):
    def __init__(self, path: Path) -> None:
        import duckdb

        super().__init__(path)
        if not path.is_file():
            raise UnreadableError(f"{path}: no such file or folder")
        try:
            self.connection.execute(f"ATTACH {literal(str(path))} AS stored (READ_ONLY)")
        except duckdb.Error as error:
            raise UnreadableError(f"{path} {unreadable(str(error))}", hint="was another file meant?") from None
        rows = self.connection.execute("SELECT table_name FROM duckdb_tables() WHERE database_name = 'stored'").fetchall()
        self._tables = {name.casefold(): name for (name,) in rows}

    def stored(self, entity: Entity) -> Stored | None:
        table = self._tables.get(entity.name.casefold())
        return Stored(f"stored.main.{quoted(table)}") if table is not None else None
