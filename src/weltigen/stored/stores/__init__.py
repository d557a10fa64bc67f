"""Stored data that can be asked in SQL."""

from __future__ import annotations

from pathlib import Path

from ...model.problems import UsageError
from ..connections import backend_of, shown_url
from ..locations import Database, DuckdbFile, Folder, location_of
from .folder_store import FolderStore
from .sqlite_store import SqliteStore
from .store import NotAnswered, Store


def open_store(target: str | Path) -> Store:
    """The data in a folder, an SQLite or DuckDB file, or a database by its URL; UsageError for one that is not asked in its
    SQL."""
    match location_of(target):
        case Database(url=url):
            from .server_store import MariadbStore, PostgresqlStore

            match backend_of(url):
                case "postgresql":
                    return PostgresqlStore(url)
                case "mysql" | "mariadb":
                    return MariadbStore(url)
                case other:
                    raise UsageError(f"{shown_url(url)}: what {other} holds cannot be looked at yet",
                                     hint="PostgreSQL, MariaDB, MySQL, SQLite and DuckDB can")  # fmt: skip
        case Folder(path=path) if path.is_dir():
            return FolderStore(path)
        case DuckdbFile(path=path):
            from .duckdb_store import DuckdbStore

            return DuckdbStore(path)
        case location:
            return SqliteStore(location.path)


__all__ = ["FolderStore", "NotAnswered", "SqliteStore", "Store", "open_store"]
