"""A DuckDB file, opened for reading alone."""

from __future__ import annotations

from pathlib import Path

from ...model import Entity
from ...model.problems import UnreadableError
from ..names import literal, quoted
from .duck_store import DuckStore, Stored


class DuckdbStore(DuckStore):
    def __init__(self, path: Path) -> None:
        import duckdb

        super().__init__(path)
        if not path.is_file():
            raise UnreadableError(f"{path}: no such file or folder")
        try:
            self.connection.execute(f"ATTACH {literal(str(path))} AS stored (READ_ONLY)")
        except duckdb.Error as error:
            raise UnreadableError(f"{path} is not a DuckDB database ({str(error).splitlines()[0][:120]})") from None
        rows = self.connection.execute("SELECT table_name FROM duckdb_tables() WHERE database_name = 'stored'").fetchall()
        self._tables = {name.casefold(): name for (name,) in rows}

    def stored(self, entity: Entity) -> Stored | None:
        table = self._tables.get(entity.name.casefold())
        return Stored(f"stored.main.{quoted(table)}") if table is not None else None
