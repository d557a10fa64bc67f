"""Databases as targets, each a place that knows its own words."""

from __future__ import annotations

from typing import Any

from ...model.problems import UsageError
from ...stored.locations import Database, DuckdbFile, SqliteFile, location_of
from ...stored.receipts import Receipt
from .ledger import Ledger
from .place import Place
from .sqlite import SqlitePlace
from .target import DatabaseTarget, refuse_some


def place_at(location: Database | SqliteFile | DuckdbFile) -> Place:
    """The place that a location names."""
    match location:
        case SqliteFile(path=path):
            return SqlitePlace(path)
        case DuckdbFile(path=path):
            from .duckdb import DuckdbPlace

            return DuckdbPlace(path)
        case Database(url=url):
            from ...stored.connections import backend_of

            return _place(backend_of(url), url, None)


def ledger_of(target: Any) -> Receipt | None:
    """The receipt of the last run that a database's ledger tells of; None where there is no ledger, or no such run."""
    location = location_of(target)
    if not isinstance(location, Database | SqliteFile | DuckdbFile) or not is_there(location):
        return None
    place = place_at(location)
    with place.changing(10.0, "reading the ledger"):
        done = [run.receipt for run in Ledger(place).runs() if run.done]
    return done[-1] if done else None


def is_there(location: Database | SqliteFile | DuckdbFile) -> bool:
    return isinstance(location, Database) or location.path.is_file()


def place_of(given: Any) -> Place:
    """The place of an SQLAlchemy engine, or of a connection, in whose transaction it then works; UsageError for anything else."""
    from sqlalchemy import Connection, Engine

    if isinstance(given, Engine):
        url = given.url.render_as_string(hide_password=False)
        if given.dialect.name == "sqlite" and given.url.database not in (None, "", ":memory:"):
            from pathlib import Path

            return SqlitePlace(Path(str(given.url.database)))
        return _place(given.dialect.name, url, None)
    if isinstance(given, Connection):
        return SqlitePlace(connection=given) if given.dialect.name == "sqlite" else _place(given.dialect.name, None, given)
    raise UsageError(f"a {type(given).__name__} is no target", hint="give a path, a URL, an SQLAlchemy engine or a connection")


def _place(backend: str, url: str | None, connection: Any) -> Place:
    match backend:
        case "postgresql":
            from .postgresql import PostgresqlPlace

            return PostgresqlPlace(url, connection)
        case "mysql" | "mariadb":
            from .mariadb import MariadbPlace

            return MariadbPlace(url, connection)
        case _:
            from .general import GeneralPlace

            return GeneralPlace(url, connection)


__all__ = ["DatabaseTarget", "Ledger", "Place", "SqlitePlace", "is_there", "ledger_of", "place_at", "place_of", "refuse_some"]
