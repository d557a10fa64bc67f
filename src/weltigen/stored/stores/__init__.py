"""Stored data that can be asked in SQL."""

from __future__ import annotations

from pathlib import Path

from ...model.problems import UsageError
from ..locations import Database, Folder, location_of
from .folder_store import FolderStore
from .sqlite_store import SqliteStore
from .store import NotAnswered, Store


def open_store(target: str | Path) -> Store:
    """The data at a folder or in an SQLite file; UsageError for a database server."""
    match location_of(target):
        case Database():
            raise UsageError("the data of a database server cannot be audited yet", hint="name a folder or an SQLite file")
        case Folder(path=path) if path.is_dir():
            return FolderStore(path)
        case location:
            return SqliteStore(location.path)


__all__ = ["FolderStore", "NotAnswered", "SqliteStore", "Store", "open_store"]
