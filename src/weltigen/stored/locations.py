"""Where data lies: a folder, an SQLite file, a database by its URL. A word that names one is understood here."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from pathlib import Path

from ..model.problems import UsageError, nearest

SQLITE_ENDINGS = (".sqlite", ".sqlite3", ".db")
DUCKDB_ENDING = ".duckdb"
_SQLITE_MAGIC = b"SQLite format 3\x00"


@dataclass(frozen=True, slots=True)
class Folder:
    """A folder, which may not be there yet."""

    path: Path


@dataclass(frozen=True, slots=True)
class SqliteFile:
    """A file that holds an SQLite database, or is to hold one: by its ending, or by how it begins."""

    path: Path


@dataclass(frozen=True, slots=True)
class DuckdbFile:
    """A file that holds a DuckDB database, or is to hold one."""

    path: Path


@dataclass(frozen=True, slots=True)
class OtherFile:
    """Any other file that is there."""

    path: Path


@dataclass(frozen=True, slots=True)
class Database:
    """A database server."""

    url: str


Location = Folder | SqliteFile | DuckdbFile | OtherFile | Database


def location_of(name: str | Path) -> Location:
    """What a path, a URL or `env:NAME` means; UsageError where such a variable is not set."""
    text = named_by_environment(str(name))
    if text.startswith("sqlite://"):
        return SqliteFile(Path(text.partition(":///")[2]))
    if text.startswith("duckdb://"):
        return DuckdbFile(Path(text.partition(":///")[2]))
    if is_url(text):
        return Database(text)
    path = Path(text)
    if path.is_dir():
        return Folder(path)
    if path.suffix.lower() in SQLITE_ENDINGS or begins_as_sqlite(path):
        return SqliteFile(path)
    if path.suffix.lower() == DUCKDB_ENDING:
        return DuckdbFile(path)
    return OtherFile(path) if path.is_file() else Folder(path)


def shown_location(name: str | Path) -> str:
    """A target as it is shown: a URL without its password, anything else as it was given."""
    if not is_url(str(name)):
        return str(name)
    from .connections import without_password

    return without_password(str(name))


def is_url(source: str) -> bool:
    return re.match(r"[A-Za-z][A-Za-z0-9+_.-]*://", source) is not None


def named_by_environment(source: str) -> str:
    """What `env:NAME` stands for; anything else as it is. UsageError where the variable is not set."""
    if not source.startswith("env:"):
        return source
    name = source[4:]
    value = os.environ.get(name)
    if not value:
        alike = nearest(name, tuple(key for key in os.environ if key.endswith(("_URL", "_DSN")) or "DATABASE" in key))
        raise UsageError(
            f"the environment variable {name} is {'empty' if value == '' else 'not set'}, so {source} stands for nothing",
            hint=alike or f"set it: export {name}=postgresql://user@host/database",
        )
    return value


def begins_as_sqlite(path: Path) -> bool:
    try:
        with path.open("rb") as data:
            return data.read(16) == _SQLITE_MAGIC
    except OSError:
        return False
