"""CREATE TABLE and what adds to it: everything declared arrives in the world, and what is not understood is listed."""

from __future__ import annotations

import pytest

import weltigen
from weltigen.model import Field, OnDelete, TypeName, World
from weltigen.model.problems import UnreadableError
from weltigen.readers.sql import read_ddl

YARD = """
CREATE TYPE tide AS ENUM ('ebb', 'flood');
CREATE TABLE dock (
    code char(4), basin smallint, title varchar(60) NOT NULL DEFAULT 'new' CHECK (length(title) > 2),
    depth numeric(6, 2) CONSTRAINT deep CHECK (depth > 1.5), tide tide, opened timestamp with time zone DEFAULT now(),
    PRIMARY KEY (code, basin), CONSTRAINT dock_title UNIQUE (title)
);
COMMENT ON TABLE dock IS 'where ships lie';
COMMENT ON COLUMN dock.depth IS 'in metres at low water';
CREATE TABLE ship (
    ship_id serial PRIMARY KEY, "Flag" varchar(2) UNIQUE, tons double precision, twice double precision GENERATED ALWAYS AS (tons * 2) STORED,
    dock_code char(4), dock_basin smallint, built_at char(4), built_basin smallint,
    sister_id integer REFERENCES ship ON DELETE SET NULL DEFERRABLE INITIALLY DEFERRED,
    CONSTRAINT lies_in FOREIGN KEY (dock_code, dock_basin) REFERENCES dock (code, basin) MATCH FULL ON DELETE CASCADE ON UPDATE RESTRICT,
    FOREIGN KEY (built_at, built_basin) REFERENCES dock
);
ALTER TABLE ship ADD COLUMN captain_id uuid NOT NULL;
ALTER TABLE ship ADD CONSTRAINT one_ship UNIQUE (captain_id), ADD CONSTRAINT heavy CHECK (tons > 10);
CREATE UNIQUE INDEX one_flag ON ship (lower("Flag")) WHERE tons > 100;
CREATE INDEX slow ON ship (tons);
CREATE VIEW heavy AS SELECT * FROM ship;
CREATE FUNCTION draught_ok(integer) RETURNS boolean AS $$ SELECT $1 > 3 $$ LANGUAGE sql;
INSERT INTO dock VALUES ('AAAA', 1);
"""


@pytest.fixture(scope="module")
def yard() -> World:
    return read_ddl(YARD, "yard.sql")


def field(world: World, path: str) -> Field:
    entity, _, name = path.partition(".")
    return world.entity(entity).field(name)


def test_columns_have_their_types_defaults_and_comments(yard: World) -> None:
    assert str(field(yard, "dock.depth").type) == "numeric(6,2)"
    assert field(yard, "dock.depth").comment == "in metres at low water"
    assert field(yard, "dock.title").default == "'new'"
    assert field(yard, "dock.tide").type.values == ("ebb", "flood")
    assert field(yard, "dock.opened").type.name is TypeName.TIMESTAMPTZ
    assert field(yard, "ship.ship_id").identity and not field(yard, "ship.ship_id").nullable
    assert field(yard, "ship.twice").generated == "tons * 2"
    assert yard.entity("dock").comment == "where ships lie"


def test_keys_and_unique_rules_are_read_at_every_level(yard: World) -> None:
    assert yard.entity("dock").key == ("code", "basin")
    assert not field(yard, "dock.code").nullable
    assert [rule.columns for rule in yard.entity("ship").unique_rules] == [("ship_id",), ("Flag",), ("captain_id",)]
    assert [str(rule) for rule in yard.entity("ship").special_rules] == ['unique (lower("Flag")) where tons > 100']
    assert [(index.name, index.columns) for index in yard.entity("ship").indexes] == [("slow", ("tons",))]
    partial = next(rule for rule in yard.entity("ship").uniques if rule.where)
    assert (partial.expressions, partial.where) == (('lower("Flag")',), "tons > 100")


def test_references_keep_their_columns_and_what_a_delete_does(yard: World) -> None:
    sister, lies_in, built = yard.entity("ship").relations
    assert (sister.name, sister.on_delete, sister.deferrable, sister.initially_deferred) == (
        "sister",
        OnDelete.SET_NULL,
        True,
        True,
    )
    assert (lies_in.constraint, lies_in.columns, lies_in.target_columns) == (
        "lies_in",
        ("dock_code", "dock_basin"),
        ("code", "basin"),
    )
    assert (lies_in.on_delete, lies_in.on_update, lies_in.match_full) == (OnDelete.CASCADE, OnDelete.RESTRICT, True)
    assert (built.target_columns, built.on_delete) == (("code", "basin"), OnDelete.NO_ACTION)


def test_checks_keep_their_names_and_places(yard: World) -> None:
    checks = {check.name: check for entity in yard.entities for check in entity.checks}
    assert set(checks) == {None, "deep", "heavy"}
    assert checks["deep"].place is not None and checks["deep"].place.line == 5


def test_what_is_stepped_over_is_listed_with_its_place(yard: World) -> None:
    assert [(note.what.split()[1], note.place and note.place.line) for note in yard.notices] == [
        ("VIEW", 21),
        ("FUNCTION", 22),
    ]


def test_an_odd_statement_does_not_hide_the_tables() -> None:
    world = read_ddl("CREATE TABLE a (b int PRIMARY KEY);\nCREATE OR REPLACE ODD VIEW 1 ( ) x;\nCREATE TABLE c (d int);", "x.sql")
    assert world.entity_names == ("a", "c")
    assert world.notices[0].place is not None and world.notices[0].place.line == 2


@pytest.mark.parametrize("dialect", ["mysql", "sqlite"])
def test_other_dialects_are_guessed_by_their_signs(dialect: str) -> None:
    sign = "`a` int AUTO_INCREMENT PRIMARY KEY" if dialect == "mysql" else "a integer PRIMARY KEY AUTOINCREMENT"
    world = read_ddl(f"CREATE TABLE x ({sign}, b int UNIQUE, c varchar(9));", "x.sql")
    assert world.dialect == dialect
    assert world.entity("x").field("a").identity
    assert world.entity("x").unique_rules[1].columns == ("b",)


@pytest.mark.parametrize(
    ("sql", "place", "said"),
    [
        ("CREATE TABLE a (b int REFERENCES c);", "x.sql:1:17", "refers to 'c', which is declared nowhere"),
        ("CREATE TABLE a (b int,\n UNIQUE (bb));", "x.sql:2:2", "did you mean 'b'?"),
        ("CREATE TABLE a (b int PRIMARY KEY,\n c int REFERENCES a (d));", "x.sql:2:2", "refers to a.d, which is not there"),
        ("CREATE TABLE a (b int, c int, FOREIGN KEY (b, c) REFERENCES a (b));", "x.sql:1:31", "2 to 1 columns"),
        ("CREATE TABLE a (b int);\nCREATE TABLE A (b int);", "x.sql:2:14", "declared twice"),
        ("CREATE TABLE a (b int, b text);", "x.sql:1:24", "a.b is declared twice"),
        ("CREATE TABLE a (b int,\n c int", "x.sql:1:16", "a parenthesis is not closed"),
        ("CREATE TABLE a (b int,\n 7 int);", "x.sql:2:2", "SQL that cannot be read, at '7': a name should stand there"),
        ("CREATE TABLE a (b text DEFAULT 'x);", "x.sql:1:32", "the quote ' is not closed"),
        ("CREATE TABEL a (b int);", "x.sql:1", "no table is declared here; only this: CREATE TABEL"),
        ("CREATE TABLE a (b int);\nCREATE INDEX i ON a (c);", "x.sql:2:14", "the index i names a column 'c' that is not there"),
        ("", "x.sql", "no table is declared here"),
        ("ALTER TABLE a ADD COLUMN b int;", "x.sql:1:13", "no table 'a' is declared before this"),
    ],
)
def test_sql_that_does_not_hold_together_is_told_with_its_place(sql: str, place: str, said: str) -> None:
    with pytest.raises(UnreadableError) as error:
        read_ddl(sql, "x.sql")
    assert str(error.value).startswith(place)
    assert said in str(error.value)


def test_what_databases_accept_is_read() -> None:
    """Search paths, columns of geometry added by a call, keys of H2's type IDENTITY, MySQL's index names, names in quotes in SQLite,
    numbered keys that an INSERT leaves out, columns without a type."""
    path = (
        "SET search_path = yard, pg_catalog; CREATE TABLE dock (id integer PRIMARY KEY); SET search_path TO crew, yard;"
        " CREATE TABLE dock (id integer PRIMARY KEY); CREATE TABLE hand (id integer PRIMARY KEY, dock_id integer REFERENCES dock, yard_id integer"
        " REFERENCES yard.dock); SELECT AddGeometryColumn('hand', 'seat', 4326, 'POINT', 2); CREATE INDEX ON hand USING gist (seat);"
    )
    world = weltigen.read_model(path)
    assert world.declared.entity_names == ("yard.dock", "crew.dock", "crew.hand")
    assert [r.target for r in world.entity("crew.hand").relations] == ["crew.dock", "yard.dock"]
    seats = world.dataset().frame("crew.hand")["seat"].dropna()
    assert seats.str.fullmatch(r"SRID=4326;POINT\(-?\d+\.\d+ \d+\.\d+\)").all() and seats.nunique() > 50
    h2 = weltigen.read_model(
        "CREATE TABLE a (id IDENTITY(1), `b` int AUTO_INCREMENT, PRIMARY KEY (id));"
        " CREATE TABLE c (a_id int, CONSTRAINT one FOREIGN KEY a_of_c (a_id) REFERENCES a (id));"
    )
    assert h2.entity("a").field("id").identity and h2.entity("c").relations[0].constraint == "one"
    lite = weltigen.read_model(
        "CREATE TABLE a ('a_id' INTEGER PRIMARY KEY ASC, t NUMERIC DEFAULT (datetime('now')));"
        " INSERT INTO a (t) VALUES (NULL); CREATE TABLE b (a_id REFERENCES a, c TEXT REFERENCES a);"
    )
    rows = lite.dataset(rows={"b": 40})
    assert rows.frame("a")["a_id"].tolist() == [1] and set(rows.frame("b")["c"].dropna()) == {"1"}
    assert str(lite.entity("a").field("t").type) == "timestamp" and str(lite.entity("b").field("a_id").type) == "bigint"
