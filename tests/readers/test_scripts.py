"""Scripts with everything in them that the three databases accept: what is read is what the database itself then holds."""

from __future__ import annotations

import shutil
import sqlite3
import subprocess
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy.engine import URL

import weltigen
from weltigen.model import TypeName, World
from weltigen.readers.sources import read_source
from weltigen.readers.sql import read_ddl

from .test_one_world import essence

SCRIPTS = Path(__file__).parent / "scripts"
DIALECTS = ["postgresql", "mariadb", "sqlite"]


def script(dialect: str) -> str:
    return (SCRIPTS / f"{dialect}.sql").read_text()


def client(command: list[str], **options: Any) -> None:
    if shutil.which(command[0]) is None:
        pytest.skip(f"{command[0]} is not installed")
    done = subprocess.run(command, capture_output=True, text=True, check=False, **options)
    assert done.returncode == 0, done.stderr


@pytest.fixture(scope="module")
def loaded(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Any:
    """A database into which its own client has loaded the script of a dialect."""

    def load(dialect: str) -> str:
        if dialect == "sqlite":
            path = tmp_path_factory.mktemp("scripts") / "odd.sqlite"
            connection = sqlite3.connect(path)
            connection.executescript(script(dialect))
            connection.close()
            return str(path)
        url: URL = request.getfixturevalue(f"{dialect}_database")
        if dialect == "postgresql":
            plain = url.set(drivername="postgresql").render_as_string()
            client(["psql", "-q", "-v", "ON_ERROR_STOP=1", "-f", str(SCRIPTS / "postgresql.sql"), plain])
        else:
            where = ["-h", "127.0.0.1", "-P", str(url.port), "-u", "root", str(url.database)]
            client(["mariadb", *where], input=script(dialect))
        return url.render_as_string(hide_password=False)

    return load


@pytest.mark.parametrize("dialect", DIALECTS)
def test_what_is_read_is_what_the_database_holds_in_the_end(dialect: str, loaded: Any) -> None:
    read, held = read_ddl(script(dialect), "odd.sql"), read_source(loaded(dialect))
    assert read.dialect == dialect.replace("mariadb", "mysql")
    found, expected = essence(read), essence(held)
    assert sorted(found) == sorted(expected)
    for name in expected:
        assert found[name] == expected[name], name
    for entity in held.entities:
        comments = {f.name: f.comment for f in entity.fields}
        assert {f.name: f.comment for f in read.entity(entity.name).fields} == comments
        assert (
            sorted(map(str, read.entity(entity.name).special_rules)) == sorted(map(str, entity.special_rules))
            or dialect == "mariadb"
        )
        assert entity.held is None or entity.held == len(read.entity(entity.name).fixed)


@pytest.mark.parametrize("dialect", DIALECTS)
def test_every_table_is_filled_within_every_rule_that_was_understood(dialect: str, tmp_path: Path) -> None:
    world = weltigen.read_model(script(dialect))
    dataset = world.dataset()
    assert dataset.write(tmp_path / "out.sqlite").total >= 18
    assert not weltigen.audit(world, tmp_path / "out.sqlite")
    for entity in world.entities:
        table = dataset.table(entity.name)
        assert table.num_rows and all(
            table[f.name].null_count < table.num_rows for f in entity.fields if not f.nullable and not f.generated
        )


@pytest.mark.parametrize("dialect", DIALECTS)
def test_what_shapes_no_row_is_stepped_over_and_listed_by_line(dialect: str) -> None:
    notices = read_ddl(script(dialect), "odd.sql").notices
    assert {"VIEW", "TRIGGER"} <= {word for note in notices for word in note.what.split() if note.stepped_over}
    lines = script(dialect).splitlines()
    for note in notices:
        assert note.place is not None and note.place.line is not None
        assert note.what.split()[0].strip(":") in ("CREATE", "GRANT", "INSERT", "lighthouse") and lines[note.place.line - 1]
        assert note.stepped_over == (note.what.split()[0] in ("CREATE", "GRANT"))


def test_rows_in_a_script_are_fixed_rows_completed_as_the_database_would() -> None:
    keeper, second = (dict(row) for row in read_ddl(script("postgresql"), "odd.sql").entity("keeper_of_light").fixed)
    assert (keeper["GivenName"], keeper["born"], keeper["order"], keeper["note"]) == ("Ines", "1980-02-03", "3", "a, b) c")
    assert (second["GivenName"], second["born"]) == ("O'Marl", None) and "keeper_id" not in keeper
    light = dict(read_ddl(script("postgresql"), "odd.sql").entity("lighthouse").fixed[1])
    assert (light["colour"], light["raw"], light["lit"]) == ("it's green", None, "true")
    assert dict(read_ddl(script("mariadb"), "odd.sql").entity("keeper").fixed[1])["given name"] == 'Ines; "x"'
    assert dict(read_ddl(script("sqlite"), "odd.sql").entity("keeper").fixed[0])["raw"] == "\\x00FF"


def field_type(world: World, path: str) -> str:
    entity, _, name = path.partition(".")
    return str(world.entity(entity).field(name).type)


def test_types_that_only_one_database_has_keep_their_name() -> None:
    world = read_ddl(script("postgresql"), "odd.sql")
    kinds = {
        name: field_type(world, f"lighthouse.{name}")
        for name in "position_ mac net flags vflags body span price xml_ flash".split()
    }
    assert kinds == {"position_": "point", "mac": "macaddr", "net": "cidr", "flags": "bit(4)", "vflags": "bit(6)", "body": "tsvector",
                     "span": "tstzrange", "price": "numeric(15,2)", "xml_": "xml", "flash": "interval"}  # fmt: skip
    assert world.entity("keeper_of_light").field("tags").type.name is TypeName.ARRAY
    maria = read_ddl(script("mariadb"), "odd.sql")
    assert field_type(maria, "keeper.active") == "boolean" and field_type(maria, "keeper.doc") == "json"
    assert maria.entity("keeper").field("flags").type.values == ("north", "south", "it's")
    limits = {name: maria.entity("keeper").field(name).type for name in ("order", "mid")}
    assert {name: (kind.least, kind.most) for name, kind in limits.items()} == {"order": (-128, 127), "mid": (0, 16_777_215)}
