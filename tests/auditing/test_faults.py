"""The audit finds a planted breach of every rule, in every place, and nothing else; each with its rows, keys and values."""

from __future__ import annotations

import csv
import json
import sqlite3
from base64 import b64encode
from collections.abc import Callable
from copy import deepcopy
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as parquet
import pytest

import weltigen
from weltigen.auditing import Finding

SQL = """
CREATE TABLE pier (
    pier_id integer PRIMARY KEY, name varchar(20) NOT NULL UNIQUE, state varchar(8) NOT NULL CHECK (state IN ('open', 'shut')),
    length_m numeric(5, 1) NOT NULL CHECK (length_m BETWEEN 5 AND 90), code varchar(9) NOT NULL CHECK (code ~ '^[A-Z]{2}[0-9]{2}$'),
    opened_on date NOT NULL, closed_on date, lit boolean NOT NULL, grade char(1), noted text, CONSTRAINT pier_days CHECK (closed_on > opened_on),
    CONSTRAINT odd_sum CHECK (length_m + pier_id <> 50)
);
CREATE TABLE boat (
    boat_id integer PRIMARY KEY, pier_id integer NOT NULL REFERENCES pier, berth smallint NOT NULL, papers uuid NOT NULL,
    seen_at timestamp NOT NULL, left_at timestamp, twin_id integer UNIQUE REFERENCES boat, share double precision,
    UNIQUE (pier_id, berth), CHECK ((berth = 1) = (left_at IS NOT NULL))
);
CREATE TABLE sounding (
    sounding_id integer PRIMARY KEY, depth numeric(14, 4) NOT NULL, twice numeric(14, 4) NOT NULL, ticks bigint NOT NULL,
    following bigint NOT NULL, tags text[] NOT NULL, notes jsonb NOT NULL, raw bytea NOT NULL, wait interval NOT NULL, host inet NOT NULL
);
"""
YAML = """
weltigen: 3
model: model.sql
window: [2024-01-01, 2025-01-01]
entities:
  pier:
    rows: 8
    fixed: [{pier_id: 1, name: Old Quay, state: open, length_m: 12.5, code: AB12, opened_on: 2024-02-02, lit: true}]
    checks: ["name <> 'Nowhere'"]
    fields:
      name: {minLength: 3}
      length_m: {multipleOf: 0.5, minimum: 6}
      code: {pattern: "[A-Z]{2}[0-9]{2}"}
      grade: {enum: [a, b]}
      noted: {present: "grade = 'a'"}
  sounding:
    rows: 5
    fields:
      depth: {minimum: 1000000000}
      twice: {compute: depth * 2}
      ticks: {minimum: 100000000000}
      following: {compute: ticks + 1}
  boat:
    rows: {per: pier, least: 2, most: 5}
    fields:
      seen_at: {after: pier.opened_on, within: 90 days}
"""
Rows = dict[str, list[dict[str, Any]]]


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> weltigen.World:
    folder = tmp_path_factory.mktemp("model")
    (folder / "model.sql").write_text(SQL)
    (folder / "world.yaml").write_text(YAML)
    return weltigen.open_world(folder / "world.yaml")


@pytest.fixture(scope="module")
def sound(world: weltigen.World) -> Rows:
    """Rows as texts and numbers, as any of the places would hold them."""
    dataset = world.dataset()
    made = {name: dataset.table(name).to_pylist() for name in dataset.counts}
    return {name: [{column: plain(value) for column, value in row.items()} for row in rows] for name, rows in made.items()}


def plain(value: Any) -> Any:
    if isinstance(value, bytes):
        return b64encode(value).decode()
    return value if value is None or isinstance(value, bool | int | float) else str(value)


def as_csv(rows: Rows, folder: Path) -> Path:
    for name, listed in rows.items():
        with (folder / f"{name}.csv").open("w", newline="") as file:
            writer = csv.writer(file)
            writer.writerow(listed[0])
            writer.writerows(
                [["" if v is None else str(v).lower() if isinstance(v, bool) else v for v in row.values()] for row in listed]
            )
    return folder


def as_parquet(rows: Rows, folder: Path) -> Path:
    for name, listed in rows.items():
        columns = {}
        for column in listed[0]:
            values = [row[column] for row in listed]
            kinds = {type(value) for value in values if value is not None}
            columns[column] = pa.array([None if v is None else str(v) for v in values]) if len(kinds) > 1 else pa.array(values)
        parquet.write_table(pa.table(columns), folder / f"{name}.parquet")
    return folder


def as_sqlite(rows: Rows, folder: Path) -> Path:
    """Tables without constraints, which would refuse the faults."""
    with sqlite3.connect(folder / "data.sqlite") as connection:
        for name, listed in rows.items():
            numeric = {"length_m", "share", "depth", "twice"}
            columns = ", ".join(f'"{c}" {"numeric" if c in numeric else ""}' for c in listed[0])
            connection.execute(f'CREATE TABLE "{name}" ({columns})')
            connection.executemany(
                f'INSERT INTO "{name}" VALUES ({", ".join("?" * len(listed[0]))})', [tuple(row.values()) for row in listed]
            )
    connection.close()
    return folder / "data.sqlite"


PLACES: dict[str, Callable[[Rows, Path], Path]] = {"csv": as_csv, "parquet": as_parquet, "sqlite": as_sqlite}


def planted(entity: str, row: int, **values: Any) -> Callable[[Rows], None]:
    return lambda rows: rows[entity][row].update(values)


def without(entity: str, row: int) -> Callable[[Rows], None]:
    return lambda rows: rows[entity].pop(row) and None


def copied(entity: str, source: int, target: int, *columns: str) -> Callable[[Rows], None]:
    return lambda rows: rows[entity][target].update({column: rows[entity][source][column] for column in columns})


def only_one_boat(rows: Rows) -> None:
    first = [boat for boat in rows["boat"] if boat["pier_id"] == 3]
    for boat in first[1:]:
        rows["boat"].remove(boat)


# the kinds of finding that a fault must give, no more and no fewer
FAULTS: list[tuple[str, Callable[[Rows], None], set[tuple[str, str]]]] = [
    ("a text where a number belongs", planted("boat", 3, share="much"), {("boat", "type")}),
    ("a half where a whole number belongs", planted("boat", 3, berth=100.5, left_at=None), {("boat", "type")}),
    ("a third decimal", planted("pier", 3, length_m=20.004), {("pier", "type")}),
    ("a day that is none", planted("pier", 3, opened_on="2024-02-30", closed_on=None), {("pier", "type")}),
    ("an identifier that is none", planted("boat", 3, papers="1234"), {("boat", "type")}),
    ("a truth value that is none", planted("pier", 3, lit=7), {("pier", "type")}),
    ("an array that is none", planted("sounding", 3, tags="{a"), {("sounding", "type")}),
    ("a broken JSON", planted("sounding", 3, notes='{"a"'), {("sounding", "type")}),
    ("a span of time that is none", planted("sounding", 3, wait="soon"), {("sounding", "type")}),
    ("an address that is none", planted("sounding", 3, host="quay"), {("sounding", "type")}),
    ("a computed decimal that is off by its last digit", lambda rows: rows["sounding"][3].update(twice=str(Decimal(rows["sounding"][3]["twice"]) + Decimal("0.0001"))), {("sounding", "computed")}),
    ("a computed number that is off by one", lambda rows: rows["sounding"][3].update(following=rows["sounding"][3]["ticks"] + 2), {("sounding", "computed")}),
    ("a null", planted("pier", 3, state=None), {("pier", "not null")}),
    ("a text that is too long", planted("pier", 3, name="N" * 21), {("pier", "length")}),
    ("a text that is too short", planted("pier", 3, name="No"), {("pier", "length")}),
    ("a number out of range", planted("pier", 3, length_m=90.5), {("pier", "check")}),
    ("no multiple", planted("pier", 3, length_m=20.3), {("pier", "range")}),
    ("a value that is not in the list", planted("pier", 3, state="ajar"), {("pier", "check")}),
    ("a text that does not match", planted("pier", 3, code="A1"), {("pier", "check"), ("pier", "pattern")}),
    ("a number below the world file's", planted("pier", 3, length_m=5.5), {("pier", "range")}),
    ("a value that is not in the world file's list", planted("pier", 3, grade="c", noted=None), {("pier", "enum")}),
    ("a value that the world file does not want there", planted("pier", 3, grade="b", noted="x"), {("pier", "presence")}),
    ("days in the wrong order", planted("pier", 3, closed_on="2023-01-01"), {("pier", "check")}),
    ("a check over two columns", planted("pier", 3, length_m=46.0), {("pier", "check")}),
    ("a check of the world file", planted("pier", 3, name="Nowhere"), {("pier", "check")}),
    ("a time before its owner's", planted("boat", 3, seen_at="2023-01-01 00:00:00"), {("boat", "range")}),
    ("a time too far from its owner's", planted("boat", 3, seen_at="2026-12-31 00:00:00"), {("boat", "range")}),
    ("a value that should not be there", planted("boat", 3, berth=777, left_at="2024-12-30 00:00:00"), {("boat", "check")}),
    ("a unique value twice", copied("pier", 4, 3, "name"), {("pier", "unique")}),
    ("a unique pair twice", lambda rows: rows["boat"][1].update({**rows["boat"][0], "boat_id": 2, "twin_id": None}), {("boat", "unique")}),
    ("a key twice", copied("boat", 4, 3, "boat_id"), {("boat", "primary key")}),
    ("a reference to nothing", planted("boat", 3, twin_id=404), {("boat", "foreign key")}),
    ("a one-to-one reference twice", lambda rows: [rows["boat"][i].update(twin_id=2) for i in range(len(rows["boat"])) if i in (3, 5) or rows["boat"][i]["twin_id"] == 2] and None, {("boat", "one-to-one")}),
    ("an owner with too few rows", only_one_boat, {("boat", "count")}),
    ("a fixed row that is gone", planted("pier", 0, code="ZZ99"), {("pier", "fixed row")}),
    ("a column that is gone", lambda rows: [row.pop("lit") for row in rows["pier"]] and None, {("pier", "missing")}),
    ("an entity that is gone", lambda rows: rows.pop("boat") and None, {("boat", "missing")}),
]  # fmt: skip


# what else may be found: the fault breaks that rule too where the place keeps the value as it is, or by what refers to the row
ALSO = {
    "a third decimal": ("pier", "range"),
    "a day that is none": ("boat", "range"),
    "a key twice": ("boat", "foreign key"),
    "an owner with too few rows": ("boat", "foreign key"),
}


@pytest.mark.parametrize("store", PLACES)
def test_sound_data_gives_no_findings(store: str, world: weltigen.World, sound: Rows, tmp_path: Path) -> None:
    report = weltigen.audit(world, PLACES[store](sound, tmp_path))
    assert (list(map(str, report)), report.unchecked) == ([], ())
    assert report.rows == sum(map(len, sound.values())) and report.rules > 40


@pytest.mark.parametrize("store", PLACES)
@pytest.mark.parametrize(("fault", "plant", "expected"), FAULTS, ids=[name for name, _, _ in FAULTS])
def test_a_planted_fault_is_found(
    store: str,
    fault: str,
    plant: Callable[[Rows], None],
    expected: set[tuple[str, str]],
    world: weltigen.World,
    sound: Rows,
    tmp_path: Path,
) -> None:
    rows = deepcopy(sound)
    plant(rows)
    report = weltigen.audit(world, PLACES[store](rows, tmp_path))
    found = {(finding.entity, finding.kind) for finding in report}
    assert expected <= found <= expected | {ALSO.get(fault, ("", ""))}, list(map(str, report))
    for finding in report:
        if finding.kind not in ("missing", "fixed row"):
            assert finding.rows >= 1 and finding.examples and finding.examples[0].key


def find(report: weltigen.Report, kind: str) -> Finding:
    return next(finding for finding in report if finding.kind == kind)


@pytest.mark.parametrize("store", PLACES)
def test_a_finding_shows_the_key_and_the_offending_value(store: str, world: weltigen.World, sound: Rows, tmp_path: Path) -> None:
    rows = deepcopy(sound)
    for number in range(2, 7):
        rows["pier"][number]["state"] = "ajar"
    rows["boat"][3]["twin_id"] = 404
    rows["pier"][5]["name"] = rows["pier"][4]["name"]
    report = weltigen.audit(world, PLACES[store](rows, tmp_path))
    check, lost, twice = find(report, "check"), find(report, "foreign key"), find(report, "unique")
    assert [one.key["pier_id"] for one in twice.examples] == [rows["pier"][at]["pier_id"] for at in (4, 5)] and twice.rows == 2
    assert {one.values["name"] for one in twice.examples} == {rows["pier"][4]["name"]}
    assert (check.rows, len(check.examples)) == (5, 3)
    assert check.examples[0].key == {"pier_id": rows["pier"][2]["pier_id"]} and check.examples[0].values == {"state": "ajar"}
    assert str(lost) == f"boat: twin_id refers to boat: 1 row: boat_id {rows['boat'][3]['boat_id']} (twin_id 404)"


def test_counts_that_a_run_gave_up_are_not_held_against_it(world: weltigen.World, tmp_path: Path) -> None:
    world.dataset(rows={"boat": 3}).write(tmp_path / "out")
    report = weltigen.audit(world, tmp_path / "out")
    assert not report and report.unchecked == ("boat: rows for each owner (the run set its rows)",)
    told = json.loads((tmp_path / "out" / "receipt.json").read_text())
    (tmp_path / "out" / "receipt.json").write_text(json.dumps({**told, "asked": {}}))
    assert {finding.kind for finding in weltigen.audit(world, tmp_path / "out")} == {"count"}


def test_a_rule_that_cannot_be_kept_is_named_before_and_looked_at_after(tmp_path: Path) -> None:
    sql = "CREATE TABLE t (id integer PRIMARY KEY, s text NOT NULL);\nCREATE UNIQUE INDEX one_s ON t (left(s, 1));\n"
    world = weltigen.read_model(sql)
    assert "is not kept" in world.plan().notes[0] and "left(s, 1)" in world.plan().notes[0]
    world.dataset().write(tmp_path / "out")
    (found,) = weltigen.audit(world, tmp_path / "out")
    assert (found.kind, found.rule) == ("unique", "unique (left(s, 1))") and found.rows > 5


def test_a_check_that_the_place_cannot_answer_is_named(tmp_path: Path) -> None:
    world = weltigen.read_model("CREATE TABLE t (id integer PRIMARY KEY, d integer CHECK (draught_ok(d)));\n")
    world.dataset().write(tmp_path / "out")
    (unchecked,) = weltigen.audit(world, tmp_path / "out").unchecked
    assert "draught_ok" in unchecked


def test_a_formula_that_lies_in_the_middle_is_rounded_either_way_and_a_cent_beside_it_is_a_fault(tmp_path: Path) -> None:
    ddl = "CREATE TABLE bill (id serial PRIMARY KEY, total numeric(8,2) NOT NULL, vat numeric(8,2) NOT NULL);"
    bills = weltigen.read_model(ddl)
    bills.dataset(rows={"bill": 4000}).write(tmp_path / "out")
    assert (
        "total * 0.2 / (1 + 0.2)" in bills.entity("bill").field("vat").source.expression
        and not weltigen.audit(bills, tmp_path / "out").findings
    )
    lines = (tmp_path / "out" / "bill.csv").read_text().splitlines()
    number, total, vat = lines[7].split(",")
    lines[7] = f"{number},{total},{Decimal(vat) + Decimal('0.01')}"
    (tmp_path / "out" / "bill.csv").write_text("\n".join([*lines, ""]))
    assert [finding.kind for finding in weltigen.audit(bills, tmp_path / "out").findings if finding.kind == "computed"] == [
        "computed"
    ]
