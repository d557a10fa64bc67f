"""The whole ferry model arrives as the same world from every kind of source, apart from what a form cannot say."""

from __future__ import annotations

import re
import shutil
import sqlite3
import subprocess
from copy import deepcopy
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import MetaData, create_engine
from sqlalchemy.engine import URL

from weltigen.expression import parse
from weltigen.infer import understand_checks
from weltigen.model import Entity, Field, TypeName, World
from weltigen.model.origins import Status
from weltigen.readers.sources import read_source
from weltigen.readers.sql import read_ddl

from ..conftest import FERRY as WORLD
from ..models import make_model
from . import declared

FERRY = WORLD.with_name("ferry.sql").read_text()


def plain(sql: str) -> str:
    """Without quotes, and without the casts of texts to text that a catalogue adds."""
    return re.sub(r"CAST\((\w+) AS TEXT\)", r"\1", sql.replace(chr(34), ""))


def essence(world: World) -> dict[str, Any]:
    """What counts of a world: tables, types, rules as they were understood; not places, nor names that a database made up."""
    entities = understand_checks(world).entities
    return {entity.name: _entity(entity) for entity in entities}


def _entity(entity: Entity) -> dict[str, Any]:
    return {
        "fields": [_field(field) for field in sorted(entity.fields, key=lambda f: f.name)],
        "key": entity.key,
        "unique": sorted(rule.columns for rule in entity.unique_rules),
        "indexes": sorted({i.columns for i in entity.indexes} - {r.columns for r in entity.relations}),
        "checks": sorted(
            check.met_by
            or (
                check.status
                if check.status is Status.UNREADABLE
                else plain(parse(check.expression, check.dialect).sql("postgres"))
            )
            for check in entity.checks
        ),
        "relations": sorted(
            (r.columns, r.target, r.target_columns, r.on_delete, r.on_update, r.deferrable, r.match_full, r.name)
            for r in entity.relations
        ),
    }


def _field(field: Field) -> tuple[Any, ...]:
    kind = field.type
    if kind.name is TypeName.BIGINT:  # SQLite's integers have 64 bits, whatever they are called
        kind = replace(kind, name=TypeName.INTEGER)
    limits = sorted(str(bound) for bound in field.limits.bounds), [sorted(allowed.values) for allowed in field.limits.allowed]
    default = (
        None
        if field.default is None
        else re.sub(r"::[a-z]+", "", field.default).strip("'").removesuffix(".0").removesuffix(".00").lower()
    )
    when = field.present.when.replace('"', "").replace("`", "") if field.present and field.present.when else None
    return field.name, str(kind), field.nullable, default, limits, when


def _loaded(url: URL, script: str) -> URL:
    engine = create_engine(url, execution_options={"no_parameters": True})  # a % in a check is not a placeholder
    with engine.begin() as connection:
        for statement in filter(str.strip, re.sub(r"--.*", "", script).split(";")):
            connection.exec_driver_sql(statement)
    engine.dispose()
    return url


@pytest.fixture(scope="module")
def expected() -> dict[str, Any]:
    return essence(read_ddl(FERRY, "ferry.sql", "postgresql"))


@pytest.fixture(scope="module")
def in_postgresql(postgresql_database: URL) -> URL:
    return _loaded(postgresql_database, FERRY)


@pytest.fixture(scope="module")
def in_mariadb(mariadb_database: URL) -> URL:
    return _loaded(mariadb_database, FERRY)


@pytest.fixture(scope="module")
def in_sqlite(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("ferry") / "ferry.sqlite"
    with sqlite3.connect(path) as connection:
        connection.executescript(FERRY)
    connection.close()
    return path


def _blurred(world: dict[str, Any]) -> dict[str, Any]:
    """MariaDB knows one way of refusing a delete, which it does not write down."""
    for entity in world.values():
        entity["relations"] = [
            tuple("no action" if part == "restrict" else part for part in relation) for relation in entity["relations"]
        ]
    return world


def _tell_apart(found: dict[str, Any], expected: dict[str, Any]) -> None:
    assert sorted(found) == sorted(expected)
    for name in expected:
        assert found[name] == expected[name], name


@pytest.mark.parametrize("dialect", ["postgresql", "mariadb", "mysql", "sqlite", "standard"])
def test_every_dialect_reads_it_alike(dialect: str, expected: dict[str, Any]) -> None:
    _tell_apart(essence(read_ddl(FERRY, "ferry.sql", dialect)), expected)


def test_declared_in_python(expected: dict[str, Any]) -> None:
    for source in (declared.Base, declared.Base.metadata, "tests.readers.declared:Base"):
        _tell_apart(essence(read_source(source)), expected)


def test_in_postgresql(in_postgresql: URL, expected: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    _tell_apart(essence(read_source(in_postgresql.render_as_string(hide_password=False))), expected)
    monkeypatch.setenv("FERRY_URL", str(in_postgresql.set(drivername="postgres")))
    world = read_source("env:FERRY_URL")
    assert essence(world) == expected
    assert world.name == "test_one_world@127.0.0.1" and {entity.held for entity in world.entities} == {0}


def test_in_mariadb(in_mariadb: URL, expected: dict[str, Any]) -> None:
    _tell_apart(essence(read_source(str(in_mariadb))), _blurred(deepcopy(expected)))


def test_in_sqlite(in_sqlite: Path, expected: dict[str, Any]) -> None:
    _tell_apart(essence(read_source(in_sqlite)), expected)
    assert essence(read_source(f"sqlite:///{in_sqlite}")) == expected


def test_in_a_dump_of_postgresql(in_postgresql: URL, expected: dict[str, Any]) -> None:
    found = shutil.which("pg_dump") or next(iter(map(str, Path("/usr/lib/postgresql").glob("*/bin/pg_dump"))))
    url = in_postgresql.set(drivername="postgresql").render_as_string()
    dump = subprocess.run([found, "--no-owner", url], check=True, capture_output=True, text=True).stdout
    world = read_ddl(dump, "dump.sql")
    assert world.dialect == "postgresql" and not world.notices
    _tell_apart(essence(world), expected)


def test_in_a_dump_of_mariadb(in_mariadb: URL, expected: dict[str, Any]) -> None:
    found = shutil.which("mariadb-dump") or pytest.skip("mariadb-dump is not installed")
    where = ["-h", "127.0.0.1", "-P", str(in_mariadb.port), "-u", "root", str(in_mariadb.database)]
    dump = subprocess.run([found, *where], check=True, capture_output=True, text=True).stdout
    world = read_ddl(dump, "dump.sql")
    assert world.dialect == "mysql" and not world.notices
    _tell_apart(essence(world), _blurred(deepcopy(expected)))


@pytest.mark.parametrize("seed", range(300, 318))
@pytest.mark.parametrize("server", ["postgresql_database", "mariadb_database", "sqlite"])
def test_any_model_is_read_alike_from_its_script_and_from_the_database(
    server: str, seed: int, request: pytest.FixtureRequest, tmp_path: Path
) -> None:
    url = URL.create("sqlite", database=str(tmp_path / "any.sqlite")) if server == "sqlite" else request.getfixturevalue(server)
    script = re.sub(r"\bt(\d+)(_log)?\b", rf"s{seed}t\1\2", make_model(seed).sql)  # beside the tables of other models
    if server != "postgresql_database":
        script = re.sub(r" CHECK \(\w+ ~ '[^']*'\)", "", script).replace("timestamptz", "timestamp")
    _loaded(url, script)
    found = read_source(url.render_as_string(hide_password=False))
    found = replace(found, entities=tuple(entity for entity in found.entities if entity.name.startswith(f"s{seed}t")))
    expected = essence(read_ddl(script, "any.sql", url.get_backend_name()))
    _tell_apart(*map(_blurred, (essence(found), expected)) if server == "mariadb_database" else (essence(found), expected))


@pytest.mark.parametrize("server", ["in_postgresql", "in_mariadb"])
def test_reflected_by_sqlalchemy(server: str, expected: dict[str, Any], request: pytest.FixtureRequest) -> None:
    """Reflection leaves some checks out, so those are taken from elsewhere; all else must be there."""
    engine = create_engine(request.getfixturevalue(server))
    metadata = MetaData()
    metadata.reflect(engine)
    engine.dispose()
    found = _blurred(essence(read_source(metadata)))
    for name, entity in _blurred(deepcopy(expected)).items():
        for part in ("key", "unique"):
            assert found[name][part] == entity[part], name
        assert [row[:7] for row in found[name]["relations"]] == [row[:7] for row in entity["relations"]], name
        assert [f[:3] for f in found[name]["fields"]] == [f[:3] for f in entity["fields"]], name
