"""What the tests share: the ferry world, the command line in this process, and two small worlds of their own."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from importlib.resources import files
from pathlib import Path
from typing import NamedTuple

import pytest
from sqlalchemy.engine import URL

import weltigen
from weltigen.cli.main import main

from . import servers

FERRY = files("weltigen.demo") / "ferry.yaml"

HARBOUR = """
CREATE TABLE pier (
    pier_id integer PRIMARY KEY,
    name varchar(40) NOT NULL UNIQUE,
    slug varchar(40) NOT NULL UNIQUE,
    length_m numeric(5, 1) NOT NULL CHECK (length_m BETWEEN 5 AND 90)
);
CREATE TABLE boat (
    boat_id uuid PRIMARY KEY,
    pier_id integer NOT NULL REFERENCES pier ON DELETE CASCADE,
    berth smallint NOT NULL CHECK (berth BETWEEN 1 AND 40),
    name varchar(40) NOT NULL,
    built_on date NOT NULL,
    sunk_on date,
    towed_by uuid REFERENCES boat ON DELETE SET NULL,
    UNIQUE (pier_id, berth),
    CHECK (sunk_on > built_on)
);
CREATE TABLE licence (
    boat_id uuid PRIMARY KEY REFERENCES boat,
    issued_at timestamptz NOT NULL,
    fee double precision NOT NULL
);
"""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest first, so that none is left to one process at the end."""
    items.sort(key=lambda item: item.path.name != "test_examples.py")


class Done(NamedTuple):
    """How a command ended: its exit code, what it printed, what it said on stderr."""

    code: int
    out: str
    err: str


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str]) -> Callable[..., Done]:
    """Run a command of weltigen in this process."""

    def call(*arguments: object) -> Done:
        capsys.readouterr()
        with pytest.raises(SystemExit) as ended:
            main([str(argument) for argument in arguments])
        printed = capsys.readouterr()
        return Done(int(ended.value.code or 0), printed.out, printed.err)

    return call


@pytest.fixture(scope="session")
def ferry() -> weltigen.World:
    return weltigen.open_world(FERRY)


@pytest.fixture(scope="session")
def harbour() -> weltigen.Dataset:
    world = weltigen.read_model(HARBOUR)
    return world.dataset(seed=11, rows={"pier": 30, "boat": 700, "licence": 500})


@pytest.fixture
def world_file(tmp_path: Path) -> Callable[[str, str], Path]:
    """Write a world file over an SQL model into a folder of its own; gives the world file's path."""

    def write(yaml: str, sql: str = HARBOUR) -> Path:
        (tmp_path / "harbour.sql").write_text(sql)
        path = tmp_path / "harbour.yaml"
        path.write_text(yaml)
        return path

    return write


@pytest.fixture(scope="session")
def postgresql_server() -> Iterator[URL]:
    with servers.postgresql() as url:
        yield url


@pytest.fixture(scope="session")
def mariadb_server() -> Iterator[URL]:
    with servers.mariadb() as url:
        yield url


@pytest.fixture(scope="module")
def postgresql_database(postgresql_server: URL, request: pytest.FixtureRequest) -> URL:
    """An empty database of the module's own."""
    return servers.fresh_database(postgresql_server)(request.module.__name__.rpartition(".")[2])


@pytest.fixture(scope="module")
def mariadb_database(mariadb_server: URL, request: pytest.FixtureRequest) -> URL:
    return servers.fresh_database(mariadb_server)(request.module.__name__.rpartition(".")[2])
