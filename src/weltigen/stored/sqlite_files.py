"""SQLite files, opened for reading alone."""

from __future__ import annotations

import sqlite3
from contextlib import closing, suppress
from pathlib import Path


def open_to_read(path: Path) -> sqlite3.Connection:
    """A connection to a file that is there, which writes nothing; what a program that was cut off had begun is undone first."""
    take_back(path)
    return sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)


def take_back(path: Path) -> None:
    """Let SQLite take back a transaction that was cut off, by the journal that it left; not one that is still at work."""
    if path.with_name(f"{path.name}-journal").exists():
        with closing(sqlite3.connect(path)) as connection, suppress(sqlite3.Error):
            connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
