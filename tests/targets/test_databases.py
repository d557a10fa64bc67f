"""Databases as targets: what is there decides what is done; all or nothing; nothing that matters is ever touched."""

from __future__ import annotations

import re
import sqlite3
import subprocess
import threading
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import create_engine

import weltigen
from weltigen.model.literals import read_span
from weltigen.model.problems import RefusedError, TargetError, WeltigenError
from weltigen.stored.tables import table_reader

from ..conftest import HARBOUR, Done
from ..infer.rewriting import HABITS, MODELS, told
from ..models import make_model
from .databases import KINDS, SERVERS, Place, make_place

__all__ = ["make_place"]
Make = Callable[..., Place]
both = pytest.mark.parametrize("kind", SERVERS)
every = pytest.mark.parametrize("kind", KINDS)

TYPES = {
    "postgresql": """
CREATE TYPE sea AS ENUM ('calm', 'rough', 'it''s "high"');
CREATE DOMAIN knots AS numeric(5, 1) CHECK (VALUE >= 0);
CREATE SCHEMA log;
CREATE TABLE log.entry (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, note text NOT NULL, above bigint REFERENCES log.entry);
CREATE TABLE buoy (
    id serial PRIMARY KEY, small smallint, whole integer NOT NULL, large bigint, exact numeric(12, 3), bare numeric, single real,
    precise double precision, flag boolean DEFAULT true, note text, tag varchar(20), fixed char(4), day date, hour time,
    moment timestamp(0), instant timestamptz, mark uuid, state sea NOT NULL DEFAULT 'calm', speed knots, raw bytea, extra json,
    more jsonb DEFAULT '{}', tags text[], counts integer[], states sea[], wait interval, host inet, net cidr, card macaddr,
    bits bit(4), many bit varying(7), fee money, twice integer GENERATED ALWAYS AS (whole * 2) STORED,
    entry_id bigint REFERENCES log.entry, CHECK (length(note) > 2)
);
CREATE UNIQUE INDEX ON buoy (lower(tag));
""",
    "mariadb": """
CREATE TABLE buoy (
    id bigint unsigned NOT NULL AUTO_INCREMENT, tiny tinyint, flag tinyint(1), utiny tinyint unsigned, med mediumint, small smallint,
    whole int unsigned NOT NULL, exact decimal(12,3), single float, precise double, note text, tag varchar(20), fixed char(4),
    day date, hour time, moment datetime(6), stamp timestamp NULL, y year, state enum('in','out','it''s') NOT NULL DEFAULT 'in',
    sides set('a','b'), raw blob, vb varbinary(16), b binary(4), extra json, bits bit(5), big bigint, lt longtext,
    PRIMARY KEY (id), UNIQUE KEY tagged (tag), KEY (day)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
""",
    "standard": """
CREATE TABLE buoy (
    id bigint PRIMARY KEY, small smallint, whole integer NOT NULL, exact numeric(12, 3), single real, precise double precision,
    flag boolean, note text, tag varchar(20) UNIQUE, fixed char(4), day date, hour time, moment timestamp, instant timestamptz,
    mark uuid, state varchar(9) CHECK (state IN ('in', 'out')), raw bytea, extra json, tags text[], wait interval, host inet,
    bits bit(4)
);
""",
}


def plain(column: Any) -> list[Any]:
    """Values to compare: spans of time by their length, since databases write them in more than one way."""
    return [read_span(v) if isinstance(v, str) and re.match(r"PT\d", v) else v for v in column.to_pylist()]


@pytest.mark.parametrize("dialect", TYPES)
@every
def test_every_value_comes_back_as_it_was_made(kind: str, dialect: str, make_place: Make) -> None:
    place = make_place(kind)
    dataset = weltigen.read_model(TYPES[dialect], dialect=dialect).dataset(rows={"buoy": 400})
    dataset.write(place.into, workers=2)
    report = weltigen.audit(dataset.plan.world, place.into)
    assert (list(map(str, report)), report.unchecked) == ([], ())
    read = table_reader(place.into, dataset.plan.world)
    for name in dataset.counts:
        made, stored = dataset.table(name), read(name)
        for column in made.schema.names:
            if (kind, column) not in {("sqlite", "tags"), ("sqlite", "counts"), ("sqlite", "states"), ("sqlite", "bare")}:
                assert plain(stored[column]) == plain(made[column]), (name, column)


TRAPS = ["", "NULL", "null", r"\N", r"\.", "\\.\n\\.", "a,b", 'say "so"', "it's", "two\nlines", "\r\n", "tab\there", "back\\slash\\", "% %s :x",
         "🛟 Fähre – Ærø", " spaces ", "-- no comment", "'; DROP TABLE buoy; --", "x" * 4000]  # fmt: skip
EXTREMES = {
    "small": ["-32768", "32767", "0"], "large": [str(-(2**63)), str(2**63 - 1), "-1"], "day": ["1000-01-01", "9999-12-31", "2024-02-29"],
    "exact": ["-99999999999999.9999", "99999999999999.9999", "0.0001"], "flag": ["true", "false", "true"],
    "hour": ["00:00:00", "23:59:59.999999", "12:00:00"],
    "instant": ["1970-01-01T00:00:00+00:00", "9999-12-31T23:59:59+00:00", "2024-03-31T01:30:00.123456+00:00"],
}  # fmt: skip


@every
def test_texts_and_numbers_that_set_traps_are_kept(kind: str, make_place: Make) -> None:
    place = make_place(kind)
    model = weltigen.read_model("""CREATE TABLE buoy (id integer PRIMARY KEY, note text, small smallint, large bigint, exact numeric(18, 4), day date,
        instant timestamptz, hour time, flag boolean, raw bytea);""").declared
    nulls = dict.fromkeys(model.entity("buoy").field_names)
    rows = [nulls | {"id": "0"}]
    for number, trap in enumerate(TRAPS, 1):
        extremes = {name: values[number % 3] for name, values in EXTREMES.items()}
        rows.append(nulls | extremes | {"id": str(number), "note": trap, "raw": f"\\x{trap.encode().hex()}"})
    buoy = replace(model.entity("buoy"), fixed=tuple(tuple(row.items()) for row in rows))
    world = weltigen.World(replace(model, entities=(buoy,)))
    dataset = world.dataset(rows={"buoy": 0})
    dataset.write(place.into)
    read, made = table_reader(place.into, world.declared)("buoy"), dataset.table("buoy")
    assert made["note"].to_pylist() == [None, *TRAPS] and made["raw"][3].as_py() == b"null"
    for name in made.schema.names:
        if (kind, name) != ("sqlite", "exact"):  # a float there, which has not all these digits
            assert read[name].to_pylist() == made[name].to_pylist(), name


@every
def test_tables_are_made_in_an_empty_database_and_only_when_asked_beside_others(
    kind: str, make_place: Make, harbour: weltigen.Dataset
) -> None:
    place = make_place(kind)
    intent = harbour.intend(place.into)
    assert set(intent.creates) == set(harbour.counts) and intent.writes == harbour.counts and not intent.deletes
    place.ask("CREATE TABLE crane (n integer)", "INSERT INTO crane VALUES (7)")
    with pytest.raises(RefusedError, match=r"(?s)holds other tables \(crane\), but not .*--create"):
        harbour.write(place.into)
    assert place.tables() == {"crane"}
    harbour.write(place.into, create=True)
    assert place.count("crane") == 1 and place.count("boat") == harbour.counts["boat"]
    assert not weltigen.audit(harbour.plan.world, place.into)
    with pytest.raises(RefusedError, match=r"(?s)holds rows; nothing was changed: .*boat 700.*--on-rows keep"):
        harbour.write(place.into)
    place.ask("DROP TABLE licence", "DROP TABLE crane", "UPDATE boat SET towed_by = NULL", "DELETE FROM boat", "DELETE FROM pier")
    with pytest.raises(RefusedError, match=r"(?s)holds only some of the model's tables: licence is missing; .*cut off"):
        harbour.write(place.into)


@every
def test_tables_that_differ_from_the_model_are_told_before_a_row_is_written(
    kind: str, make_place: Make, harbour: weltigen.Dataset
) -> None:
    place = make_place(kind)
    place.ask(
        "CREATE TABLE pier (pier_id integer PRIMARY KEY, name varchar(10) NOT NULL, slug varchar(40), colour varchar(9) NOT NULL, length_m integer)",
        "CREATE TABLE boat (boat_id varchar(36) PRIMARY KEY, pier_id integer, berth smallint, name varchar(40), built_on date, sunk_on date NOT NULL, towed_by varchar(36))",
        "CREATE TABLE licence (boat_id varchar(36), fee double precision)",
    )
    with pytest.raises(RefusedError) as refused:
        harbour.write(place.into)
    told = str(refused.value).lower().replace("numeric(5, 1)", "numeric(5,1)")
    for words in ("pier.colour must be filled there", "boat.sunk_on may be null in the model", "licence.issued_at is not there"):
        assert words in told
    assert ("pier.length_m is numeric(5,1) in the model, but int" in told) == (kind != "sqlite")
    assert ("pier.name is varchar(40) in the model" in told) == (kind in SERVERS)
    assert place.count("pier") == 0


@every
def test_rows_that_are_there_are_kept_added_to_or_replaced(kind: str, make_place: Make, harbour: weltigen.Dataset) -> None:
    place, world = make_place(kind), weltigen.read_model(HARBOUR)
    harbour.write(place.into)
    before = sorted(place.ask("SELECT pier_id, name FROM pier"))
    place.ask("DELETE FROM licence", "UPDATE boat SET towed_by = NULL", "DELETE FROM boat WHERE berth > 1")
    left = place.count("boat")
    kept = world.beside(place.into)
    receipt = kept.dataset(seed=4).write(place.into, on_rows="keep")
    assert receipt.rows["pier"] == 0 and place.count("boat") == left and place.count("licence") == receipt.rows["licence"] > 0
    assert sorted(place.ask("SELECT pier_id, name FROM pier")) == before
    for seed in (4, 4):  # twice the same is neither the same rows nor a collision
        more = world.beside(place.into).dataset(seed=seed).next_stage(rows={"pier": 20, "boat": 40})
        more.write(place.into, on_rows="append")
    assert place.count("pier") == len(before) + 40 and place.count("boat") == left + 80
    assert set(before) <= set(place.ask("SELECT pier_id, name FROM pier"))
    report = weltigen.audit(world, place.into)
    assert (list(map(str, report)), report.unchecked) == ([], ())
    stale = world.beside(place.into).dataset(seed=4)
    place.ask("DELETE FROM licence")
    with pytest.raises(RefusedError, match="does not hold the rows that were there before"):
        stale.write(place.into, on_rows="keep")

    intent = harbour.intend(place.into, on_rows="replace")
    assert intent.deletes["pier"] == len(before) + 40 and f"--confirm {place.name}" in intent.notes[-1]
    for confirm in (None, "another"):
        with pytest.raises(RefusedError, match=rf"(?s)would delete .*pier.*--confirm {place.name}"):
            harbour.write(place.into, on_rows="replace", confirm=confirm)
    assert place.count("pier") == len(before) + 40
    harbour.write(place.into, on_rows="replace", confirm=place.name)
    assert sorted(place.ask("SELECT pier_id, name FROM pier")) == before and not weltigen.audit(world, place.into)


@every
@pytest.mark.parametrize("ledger", [(), ("--ledger",)])
def test_the_same_command_adds_rows_whoever_wrote_those_there(
    kind: str, ledger: tuple[str, ...], make_place: Make, run: Callable[..., Done], tmp_path: Path
) -> None:
    place, model = make_place(kind), tmp_path / "harbour.sql"
    model.write_text(
        HARBOUR.replace("boat_id uuid PRIMARY KEY REFERENCES boat,", "number uuid PRIMARY KEY,")
    )  # two models apart, so that one may grow
    add = ("fill", model, "--into", place.into, "--on-rows", "append", "--rows", "boat=20", *ledger)
    assert run("fill", model, "--into", place.into, "--rows", "boat=100", "--rows", "pier=30", *ledger).code == 0
    assert re.search(r"boat +20 +120 ", run(*add).out)
    place.ask("INSERT INTO pier VALUES (901, 'by hand', 'by-hand', 12.5)", "DELETE FROM licence")
    for total in (140, 160):  # rows that others wrote are among them now, and some of ours are gone
        done = run(*add)
        assert done.code == 0 and place.count("boat") == total, done.err
    model.write_text(model.read_text().replace("fee double", "paid_by varchar(60), fee double"))
    place.ask("ALTER TABLE licence ADD COLUMN paid_by varchar(60)")
    assert run(*add, "--rows", "licence=5").code == 0 and (place.count("boat"), place.count("licence")) == (180, 5)
    assert run("audit", model, place.into).code == 0
    if ledger:
        assert run("fill", model, "--into", place.into, "--on-rows", "withdraw").code == 0
        assert (place.count("boat"), place.count("licence"), place.count("pier")) == (160, 0, 31)


@every
def test_what_fails_leaves_the_old_rows_and_no_table_of_its_own(kind: str, make_place: Make, harbour: weltigen.Dataset) -> None:
    place = make_place(kind)
    licence = "boat_id varchar(36), issued_at timestamp, fee double precision, CONSTRAINT dear CHECK (fee > 1e12)"
    place.ask(f"CREATE TABLE licence ({licence.replace('varchar(36)', 'uuid') if kind in ('postgresql', 'duckdb') else licence})")
    with pytest.raises(TargetError, match=r"(?s)licence.*nothing was kept.*the model does not declare"):
        harbour.write(place.into, create=True)
    assert place.tables() == {"licence"}
    place.ask("DROP TABLE licence")
    harbour.write(place.into)
    old = sorted(place.ask("SELECT name FROM boat"))

    def fails(entity: str, rows: int) -> None:
        if entity == "licence":
            raise RuntimeError("the power went")

    with pytest.raises(RuntimeError):
        harbour.write(place.into, on_rows="replace", confirm=place.name, progress=fails)
    assert sorted(place.ask("SELECT name FROM boat")) == old


@every
def test_a_database_that_looks_like_production_is_never_written_to(
    kind: str, make_place: Make, harbour: weltigen.Dataset
) -> None:
    for name in ("ferry_prod", "harbourlive"):
        place = make_place(kind, name)
        with pytest.raises(RefusedError, match="looks like production"):
            harbour.write(place.into, on_rows="replace", confirm=place.name, remote=True, create=True)
        assert kind in SERVERS or not Path(place.into).exists()
    place = make_place(kind, "deliveries")
    place.ask("CREATE TABLE weltigen_protected (n integer)")
    with pytest.raises(RefusedError, match="is protected by its table weltigen_protected"):
        harbour.write(place.into, on_rows="replace", confirm=place.name, create=True)
    place.ask("DROP TABLE weltigen_protected")
    harbour.write(place.into)
    assert place.count("boat") == harbour.counts["boat"]


def test_a_comment_protects_and_no_password_is_shown(make_place: Make, harbour: weltigen.Dataset) -> None:
    place = make_place("postgresql")
    place.ask("COMMENT ON DATABASE harbour_dev IS 'weltigen_protected: the pilots use it'")
    with_password = place.into.replace("tester@", "tester:s3cret@")
    with pytest.raises(RefusedError, match="protected by its comment") as refused:
        harbour.write(with_password)
    place.ask("COMMENT ON DATABASE harbour_dev IS NULL")
    receipt = harbour.write(with_password)
    report = weltigen.audit(harbour.plan.world, with_password)
    assert "s3cret" not in "".join([str(refused.value), receipt.to_json(), report.target, *receipt.notes])


@both
def test_a_connection_is_used_and_left_to_whoever_opened_it(kind: str, make_place: Make, harbour: weltigen.Dataset) -> None:
    place = make_place(kind)
    engine = create_engine(place.sqlalchemy)
    if kind == "mariadb":
        harbour.write(engine)  # definitions would end the transaction
        with engine.begin() as connection:
            connection.exec_driver_sql("DELETE FROM licence")
            connection.exec_driver_sql("UPDATE boat SET towed_by = NULL")
            connection.exec_driver_sql("DELETE FROM boat")
            connection.exec_driver_sql("DELETE FROM pier")
    with engine.connect() as connection:
        zone = connection.exec_driver_sql(
            "SELECT current_setting('TimeZone')" if kind == "postgresql" else "SELECT @@time_zone"
        ).scalar()
        if kind == "mariadb":
            weltigen.read_model(HARBOUR).beside(connection)
            assert connection.exec_driver_sql("SELECT @@foreign_key_checks").scalar() == 1
        harbour.write(connection)
        assert connection.exec_driver_sql("SELECT count(*) FROM boat").scalar() == harbour.counts["boat"]
        again = connection.exec_driver_sql(
            "SELECT current_setting('TimeZone')" if kind == "postgresql" else "SELECT @@time_zone"
        ).scalar()
        assert again == zone and connection.in_transaction()
        connection.rollback()
    assert "boat" not in place.tables() or place.count("boat") == 0
    with engine.begin() as connection:
        harbour.write(connection)
    assert place.count("boat") == harbour.counts["boat"]
    engine.dispose()


@both
def test_a_lock_that_does_not_come_names_who_holds_it(kind: str, make_place: Make, harbour: weltigen.Dataset) -> None:
    place = make_place(kind)
    harbour.write(place.into)
    engine = create_engine(place.sqlalchemy)
    with engine.begin() as other:
        other.exec_driver_sql("UPDATE pier SET length_m = 10")
        if kind == "postgresql":
            other.exec_driver_sql("LOCK TABLE pier IN ACCESS EXCLUSIVE MODE")
        began = time.monotonic()
        with pytest.raises(RefusedError, match=r"(?s)a lock did not come in time: \w+ holds one"):
            harbour.write(place.into, on_rows="replace", confirm=place.name, wait=1)
        assert time.monotonic() - began < 30
    engine.dispose()
    assert place.count("boat") == harbour.counts["boat"]


CIRCLES = """
CREATE TABLE crew (crew_id integer PRIMARY KEY, name text NOT NULL, chief_id integer NOT NULL REFERENCES crew, vessel_id integer);
CREATE TABLE vessel (vessel_id integer PRIMARY KEY, master_id integer NOT NULL REFERENCES crew);
ALTER TABLE crew ADD FOREIGN KEY (vessel_id) REFERENCES vessel;
"""


@both
def test_circles_are_closed_in_tables_that_are_there(kind: str, make_place: Make, tmp_path: Path) -> None:
    place = make_place(kind)
    sql = CIRCLES.replace("text NOT NULL", "varchar(60) NOT NULL").replace("REFERENCES crew", "REFERENCES crew (crew_id)")
    sql = sql.replace("REFERENCES vessel", "REFERENCES vessel (vessel_id)")
    place.ask(*(statement for statement in sql.split(";\n") if statement.strip()))
    world = weltigen.open_world(place.into)
    dataset = world.dataset(rows={"crew": 400, "vessel": 60})
    dataset.write(place.into)
    report = weltigen.audit(world, place.into)
    assert list(map(str, report)) == [] and report.rows == 460
    assert place.ask("SELECT count(*) FROM crew WHERE vessel_id IS NOT NULL")[0][0] > 0
    if kind == "postgresql":
        assert place.ask("SELECT count(*) FROM pg_constraint WHERE condeferrable")[0][0] == 0
        place.ask("TRUNCATE crew, vessel")
        dataset.write(tmp_path / "rows.sql", ddl=False)
        client = place.into.replace("postgresql+psycopg", "postgresql")
        subprocess.run(["psql", "-q", "-v", "ON_ERROR_STOP=1", "-f", tmp_path / "rows.sql", client], check=True)
        assert list(weltigen.audit(world, place.into)) == [] and place.count("vessel") == 60
        assert place.ask("SELECT count(*) FROM pg_constraint WHERE condeferrable")[0][0] == 0


BUILT = {
    "postgresql": """SELECT indexdef FROM pg_indexes WHERE schemaname = 'public' UNION ALL
        SELECT conrelid::regclass || conname || pg_get_constraintdef(oid) FROM pg_constraint WHERE conrelid <> 0 ORDER BY 1""",
    "sqlite": "SELECT sql FROM sqlite_master ORDER BY 1",
}


@every
def test_indexes_and_constraints_are_built_again_behind_the_rows(kind: str, make_place: Make) -> None:
    place = make_place(kind)
    sql = (
        CIRCLES.replace("text NOT NULL", "varchar(60) NOT NULL")
        .split("ALTER")[0]
        .replace("master_id integer NOT NULL", "master_id integer UNIQUE")
    )
    sql = (
        sql.replace("REFERENCES crew", "REFERENCES crew (crew_id)")
        + "CREATE INDEX by_name ON crew (name, chief_id);\nCREATE TABLE log (crew_id integer NOT NULL REFERENCES crew (crew_id))"
    )
    place.ask(*(statement for statement in sql.split(";\n") if statement.strip()))
    dataset = weltigen.open_world(place.into).dataset(rows={"crew": 400, "vessel": 60, "log": 100})
    if kind not in BUILT:
        with pytest.raises(WeltigenError, match="builds no indexes anew"):
            dataset.write(place.into, indexes_last=True)
        assert place.count("crew") == 0
        return
    before = place.ask(BUILT[kind])
    dataset.write(place.into, indexes_last=True)
    assert place.ask(BUILT[kind]) == before and place.count("crew") == 400 and len(before) > 3
    assert list(weltigen.audit(weltigen.open_world(place.into), place.into)) == []


def test_numbers_of_the_application_go_on_behind_ours_and_partitions_take_their_rows(make_place: Make) -> None:
    place = make_place("postgresql")
    place.ask(
        "CREATE SEQUENCE lamps START 5",
        "CREATE TABLE lamp (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, number bigint NOT NULL DEFAULT nextval('lamps') UNIQUE, note text)",
        "CREATE TABLE reading (id serial, at timestamptz NOT NULL, lamp_id bigint NOT NULL REFERENCES lamp, PRIMARY KEY (id, at)) PARTITION BY RANGE (at)",
        "CREATE TABLE reading_a PARTITION OF reading FOR VALUES FROM ('2024-01-01') TO ('2024-07-01')",
        "CREATE TABLE reading_b PARTITION OF reading FOR VALUES FROM ('2024-07-01') TO ('2025-01-01')",
        "CREATE FUNCTION touched() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.note = 'touched'; RETURN NEW; END $$",
        "CREATE TRIGGER touch BEFORE INSERT ON lamp FOR EACH ROW EXECUTE FUNCTION touched()",
    )
    world = weltigen.open_world(place.into)
    receipt = world.dataset(rows={"lamp": 50, "reading": 900}).write(place.into)
    assert receipt.notes == ("trigger touch of lamp did not run on these rows",)
    assert place.count("reading_a") + place.count("reading_b") == 900 and place.count("reading_b")
    assert place.ask("SELECT count(*) FROM lamp WHERE note = 'touched'") == [(0,)]
    world.dataset(rows={"lamp": 5, "reading": 9}).write(place.into, on_rows="replace", confirm=place.name, run_triggers=True)
    assert place.ask("SELECT count(*) FROM lamp WHERE note = 'touched'") == [(5,)]
    place.ask("INSERT INTO lamp (note) SELECT 'new' FROM generate_series(1, 9)")
    place.ask("INSERT INTO reading (at, lamp_id) SELECT '2024-03-01', min(id) FROM lamp")
    assert place.ask("SELECT count(*) FROM pg_stats WHERE tablename = 'lamp'")[0][0] > 0  # it was analyzed


def test_any_other_database_is_filled_by_plain_inserts(make_place: Make, harbour: weltigen.Dataset) -> None:
    from weltigen.targets.databases import DatabaseTarget
    from weltigen.targets.databases.general import GeneralPlace
    from weltigen.targets.handling import Handling
    from weltigen.targets.run import fill

    for kind in SERVERS:
        place = make_place(kind)
        receipt = fill(harbour.plan, DatabaseTarget(GeneralPlace(place.into), Handling()))
        assert "slower" in receipt.notes[-1] and not weltigen.audit(harbour.plan.world, place.into)
        with pytest.raises(WeltigenError, match="holds rows"):
            fill(harbour.plan, DatabaseTarget(GeneralPlace(place.into), Handling()))


@both
def test_two_runs_at_once_leave_one_of_them_whole(kind: str, make_place: Make, harbour: weltigen.Dataset) -> None:
    place, ends = make_place(kind), list[object]()
    harbour.write(place.into)

    def run() -> None:
        try:
            ends.append(harbour.write(place.into, on_rows="replace", confirm=place.name, wait=20).digest)
        except WeltigenError as error:
            ends.append(error)

    threads = [threading.Thread(target=run) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert any(isinstance(end, str) for end in ends), ends
    assert place.count("boat") == harbour.counts["boat"] and not weltigen.audit(harbour.plan.world, place.into)


@every
def test_a_ledger_lets_rows_be_added_and_taken_away_again(kind: str, make_place: Make, harbour: weltigen.Dataset) -> None:
    place, world = make_place(kind), weltigen.read_model(HARBOUR)
    harbour.write(place.into, ledger=True)
    first = {name: place.count(name) for name in harbour.counts}
    grown = weltigen.open_run(place.into).next_stage(rows={"boat": 30})
    assert grown.write(place.into, on_rows="append", ledger=True).rows["boat"] == first["boat"] + 30
    assert place.count("boat") == first["boat"] + 30 and not weltigen.audit(world, place.into)
    added = {name: place.count(name) - first[name] for name in ("licence", "boat")}
    assert weltigen.withdraw(place.into, dry_run=True).rows == added and place.count("boat") == first["boat"] + 30
    assert weltigen.withdraw(place.into).rows == added
    assert {name: place.count(name) for name in first} == first
    assert "weltigen_ledger" not in weltigen.open_world(place.into).declared.entity_names
    place.ask(
        "CREATE TABLE mooring (pier_id integer REFERENCES pier (pier_id))", "INSERT INTO mooring SELECT min(pier_id) FROM pier"
    )
    with pytest.raises(RefusedError, match="1 rows of mooring that others wrote refer to pier"):
        weltigen.withdraw(place.into)
    place.ask("DROP TABLE mooring")
    weltigen.withdraw(place.into)
    assert {place.count(name) for name in first} == {0}
    with pytest.raises(WeltigenError, match="has no ledger of runs"):
        weltigen.withdraw(place.into)

    beside = make_place(kind, "harbour_two")
    harbour.write(beside.into)
    beside.ask("DELETE FROM licence")
    world.beside(beside.into).dataset(seed=5).write(beside.into, on_rows="keep", ledger=True)
    weltigen.withdraw(beside.into)
    assert beside.count("licence") == 0 and beside.count("boat") == first["boat"]


@every
def test_a_column_that_was_added_is_filled_where_it_is_null(
    kind: str, make_place: Make, harbour: weltigen.Dataset, tmp_path: Path
) -> None:
    place, world = (
        make_place(kind),
        weltigen.read_model(HARBOUR.replace("berth smallint", "call_sign varchar(12) UNIQUE, berth smallint")),
    )
    harbour.write(place.into)
    # DuckDB changes no table that others refer to
    place.ask(*(["DROP TABLE licence"] if kind == "duckdb" else []), "ALTER TABLE boat ADD call_sign varchar(12)")
    first = place.ask("SELECT boat_id, name, pier_id FROM boat ORDER BY boat_id")
    place.ask("UPDATE boat SET call_sign = 'KEPT' WHERE berth = 1")
    kept = place.ask("SELECT count(*) FROM boat WHERE call_sign = 'KEPT'")[0][0]
    script = tmp_path / "more.sql"
    told = weltigen.complete(world, place.into, ["boat.call_sign"], script=script)
    assert place.ask("SELECT count(*) FROM boat WHERE call_sign IS NULL")[0][0] == len(first) - kept
    assert script.read_text().count("UPDATE") == told.rows["boat.call_sign"] > 0
    assert weltigen.complete(world, place.into, ["boat.call_sign"]).rows == told.rows
    given = place.ask("SELECT count(call_sign), count(DISTINCT call_sign) FROM boat WHERE call_sign <> 'KEPT'")[0]
    assert given[0] == given[1] == told.rows["boat.call_sign"]
    assert place.ask("SELECT count(*) FROM boat WHERE call_sign = 'KEPT'")[0][0] == kept
    assert place.ask("SELECT boat_id, name, pier_id FROM boat ORDER BY boat_id") == first
    place.ask(
        "UPDATE boat SET call_sign = NULL WHERE call_sign <> 'KEPT'", *script.read_text().replace("`", '"').split(";\n")[:-1]
    )
    assert tuple(place.ask("SELECT count(call_sign), count(DISTINCT call_sign) FROM boat WHERE call_sign <> 'KEPT'")[0]) == tuple(
        given
    )


LOOSE = [
    "CREATE TABLE pier (pier_id integer, name varchar(40), slug varchar(40), length_m numeric(5, 1))",
    "CREATE TABLE boat (boat_id varchar(36), pier_id integer, berth smallint, name varchar(40), built_on date, sunk_on date, towed_by varchar(36))",
    "CREATE TABLE licence (boat_id varchar(36), issued_at timestamp, fee double precision)",
]
FAULTS = {
    "UPDATE pier SET length_m = 91 WHERE pier_id = 2": ("pier", "length_m BETWEEN 5 AND 90 (check)"),
    "UPDATE pier SET slug = 'same' WHERE pier_id IN (3, 4)": ("pier", "unique (slug)"),
    "UPDATE pier SET name = NULL WHERE pier_id = 5": ("pier", "name is not null"),
    "UPDATE boat SET berth = 41 WHERE pier_id = 6": ("boat", "berth BETWEEN 1 AND 40 (check)"),
    "UPDATE boat SET pier_id = 999 WHERE pier_id = 7": ("boat", "pier_id refers to pier"),
    "UPDATE boat SET sunk_on = built_on WHERE pier_id = 8": ("boat", "sunk_on > built_on (check)"),
    "DELETE FROM boat WHERE boat_id IN (SELECT min(boat_id) FROM licence)": ("licence", "boat_id refers to boat"),
}


@every
def test_the_audit_finds_the_same_faults_everywhere(kind: str, make_place: Make, harbour: weltigen.Dataset) -> None:
    place = make_place(kind)
    place.ask(*LOOSE)
    harbour.write(place.into)
    assert not weltigen.audit(harbour.plan.world, place.into)
    place.ask(*FAULTS)
    found = {(finding.entity, finding.rule): finding for finding in weltigen.audit(harbour.plan.world, place.into)}
    assert set(FAULTS.values()) <= set(found)
    assert set(found) - set(FAULTS.values()) <= {("boat", "unique (pier_id, berth)"), ("boat", "towed_by refers to boat")}
    assert found["pier", "length_m BETWEEN 5 AND 90 (check)"].examples[0].key == {"pier_id": 2}


@both
def test_random_models_load_with_every_constraint(kind: str, make_place: Make, tmp_path: Path) -> None:
    for seed in range(60, 66):
        made = make_model(seed)
        (tmp_path / "model.sql").write_text(made.sql + made.special)
        (tmp_path / "world.yaml").write_text(made.yaml)
        world, place = weltigen.open_world(tmp_path / "world.yaml"), make_place(kind)
        world.dataset(seed=seed).write(place.into)
        report = weltigen.audit(world, place.into)
        assert (list(map(str, report)), report.unchecked) == ([], ()), seed


@pytest.mark.parametrize("path", MODELS, ids=lambda path: path.stem)
def test_rows_that_are_guessed_are_taken_by_every_database(path: Path, make_place: Make) -> None:
    """A bare model of some trade, as its own script declares it: each value as the database keeps it, and read again the same.
    Each model goes into two of the databases, by turns."""
    world = weltigen.read_model(
        told(weltigen.read_model(path.read_text("utf-8")).declared, HABITS["snake"]), dialect="postgresql"
    )
    dataset = world.dataset(rows={e.name: 25 for e in world.declared.entities})
    counts = ", ".join(f'(SELECT count(*) FROM "{entity.name}")' for entity in world.declared.entities)
    for kind in KINDS[MODELS.index(path) % 2 :: 2]:
        dataset.write((place := make_place(kind, path.stem)).into)
        report = weltigen.audit(world, place.into)
        assert (list(map(str, report)), report.unchecked) == ([], ()), kind
        assert set(*place.ask(f"SELECT {counts}")) == {25}, kind


@pytest.mark.parametrize("dialect", ["postgresql", "sqlite"])
def test_numbers_with_a_point_are_as_short_in_sqlite_as_they_were_made(dialect: str, tmp_path: Path) -> None:
    """Four bytes as eight are 9.09000015258789 where nobody sees to it."""
    world = weltigen.read_model("CREATE TABLE catch (catch_id integer PRIMARY KEY, weight_kg real NOT NULL)", dialect=dialect)
    dataset = world.dataset(rows={"catch": 300})
    dataset.write(tmp_path / "catch.sqlite")
    with closing(sqlite3.connect(tmp_path / "catch.sqlite")) as there:
        stored = [weight for (weight,) in there.execute("SELECT weight_kg FROM catch ORDER BY catch_id")]
    assert len({*stored}) > 200 and max(len(repr(weight)) for weight in stored) < 9
    assert [dataset.row("catch", at)["weight_kg"] for at in range(300)] == stored
