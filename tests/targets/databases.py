"""Databases that the tests fill: one of each kind, empty when it is asked for, each with its own way of running a statement."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import duckdb
import pytest
from sqlalchemy import create_engine

from .. import servers

KINDS = ("postgresql", "mariadb", "sqlite", "duckdb")
SERVERS = ("postgresql", "mariadb")


@dataclass(frozen=True)
class Place:
    """`into` names it as a target; `name` is what somebody confirms."""

    kind: str
    into: str
    name: str

    @property
    def sqlalchemy(self) -> str:
        return f"sqlite:///{self.into}" if self.kind == "sqlite" else self.into

    def ask(self, *statements: str) -> list[tuple[Any, ...]]:
        """Run statements, in standard SQL; the rows of the last one."""
        if self.kind == "duckdb":
            with closing(duckdb.connect(self.into)) as connection:
                rows = [connection.execute(statement).fetchall() for statement in statements][-1]
            return [tuple(row) for row in rows]
        engine = create_engine(self.sqlalchemy)
        with engine.begin() as connection:
            if self.kind == "mariadb":
                connection.exec_driver_sql("SET sql_mode = 'ANSI_QUOTES'")
            found = [connection.exec_driver_sql(statement) for statement in statements][-1]
            rows = [tuple(row) for row in found.all()] if found.returns_rows else []
        engine.dispose()
        return rows

    def count(self, table: str) -> int:
        return int(self.ask(f'SELECT count(*) FROM "{table}"')[0][0])

    def tables(self) -> set[str]:
        if self.kind == "sqlite":
            return {name for (name,) in self.ask("SELECT name FROM sqlite_master WHERE type = 'table'")}
        schema = {"postgresql": "'public'", "mariadb": "database()", "duckdb": "'main'"}[self.kind]
        return {name for (name,) in self.ask(f"SELECT table_name FROM information_schema.tables WHERE table_schema = {schema}")}


@pytest.fixture
def make_place(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Callable[..., Place]]:
    """A function that makes an empty database of a kind."""

    def make(kind: str, name: str = "harbour_dev") -> Place:
        if kind in SERVERS:
            server = request.getfixturevalue(f"{kind}_server")
            url = servers.fresh_database(server)(name).render_as_string(hide_password=False)
            return Place(kind, url, name)
        path = tmp_path / f"{name}.{kind}"
        return Place(kind, str(path), path.name)

    yield make
