"""What no rows can meet is proven while planning: which rule, where, and one way out; all of it together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import weltigen

BASE = "weltigen: 3\nmodel: harbour.sql\nentities:\n"
IMPOSSIBLE = [
    (
        "  pier: {rows: 9, fields: {name: {weights: {a: 1, b: 1}}}}\n",
        "unique (name) has only 2 values of name for 9 rows",
        "at most 2 rows fit",
    ),
    (
        "  pier: {fields: {name: {pattern: '[ab]x'}}, rows: 5}\n",
        "unique (name) has only 2 values of name for 5 rows",
        "at most 2 rows fit",
    ),
    ("  boat: {rows: {per: pier, least: 41, most: 50}}\n", "has only 40 values of berth for up to", "at most 40 rows fit"),
    (
        "  boat: {rows: {per: pier, each: 41}}\n",
        "has only 40 values of berth for up to 41 rows for each pier",
        "at most 40 rows fit",
    ),
    ("  licence: {rows: 700}\n  boat: {rows: 600}\n", "has only 600 rows of boat for 700 rows", "at most 600 rows fit"),
    ("  licence: {rows: {per: boat, most: 2, mean: 1}}\n", "allows one row for each boat, not up to 2", "most: 1"),
    ("  pier: {fields: {length_m: {minimum: 60, maximum: 50}}}\n", "nothing is >= 60 and <= 50", "minimum 60"),
    ("  pier: {fields: {length_m: {minimum: 95}}}\n", "nothing is >= 95 and <= 90", "check"),
    ("  pier: {fields: {length_m: {weights: {2: 1, 50: 1}}}}\n", "weights give '2', which >= 5 and <= 90 does not allow", ""),
    ("  boat: {fields: {berth: {enum: [90, 95]}}}\n", "boat.berth: no value is left", "enum allows 90, 95"),
    (
        "  boat: {rows: {per: pier, mean: 9, most: 4}}\n",
        "a mean of 9 with 0% without any requires 9",
        "mean, least, most or none",
    ),
    ("  pier: {rows: 0}\n  boat: {rows: 3}\n", "boat.pier_id must refer to a row of pier, which has none", "give pier rows"),
    ("  boat: {fields: {built_on: {after: sunk_on}}}\n", "must be > sunk_on and < sunk_on, which leaves no room", "widen"),
    ("  pier: {fields: {name: {pattern: '(?=a)b'}}}\n", "which no text can be made for", ""),
    ("  pier: {fields: {name: {kind: uuid}, slug: {maxLength: 5, kind: uuid}}}\n", "a UUID takes 36 characters", ""),
    ("  pier: {fixed: [{pier_id: 1}, {pier_id: 1}]}\n", "fixed rows 1 and 2 break unique (pier_id)", ""),
    (
        "  boat: {fixed: [{pier_id: 77}]}\n  pier: {rows: 5}\n",
        "fixed row 1 refers to pier 77, which is not there",
        "fixed row of pier",
    ),
    ("  pier: {fixed: [{pier_id: 1, length_m: 500}]}\n", "fixed row 1 breaks check (length_m BETWEEN 5 AND 90)", "harbour.sql:6"),
    (
        "  pier: {fixed: [{name: Oak}], fields: {name: {minLength: 5}}}\n",
        "gives name Oak, which 5 characters at least does not allow",
        "",
    ),
    (
        "  pier: {fixed: [{pier_id: 1, length_m: 9}]}\n  boat: {fixed: [{pier_id: 1}], references: {pier: {where: length_m > 10}}}\n",
        "fixed row 1 refers to pier 1, where not length_m > 10",
        "",
    ),
    ("  pier: {rows: 2}\n  boat: {fixed: [{berth: 1}], rows: 95}\n", "has only 80 values for 96 rows", "at most 80 rows fit"),
    ("  boat: {rows: {per: towed_by, each: 2}}\n", "boat cannot own its own rows", "a number of rows"),
    (
        "  pier: {rows: count(boat)}\n  boat: {rows: count(licence) + 1}\n  licence: {rows: count(pier)}\n",
        "follows from itself: pier, which follows from boat, which follows from licence, which follows from pier",
        "a plain number",
    ),
    ("  pier: {rows: 3}\n  boat: {rows: 10 / (count(pier) - 3)}\n", "is null here (a division by zero gives null)", ""),
    ("  pier: {rows: 3}\n  boat: {rows: 2 - count(pier)}\n", "gives -1, which is not a number of rows", ""),
]


@pytest.mark.parametrize(("yaml", "fact", "hint"), IMPOSSIBLE, ids=[fact[:50] for _, fact, _ in IMPOSSIBLE])
def test_a_contradiction_is_proven_and_told(world_file: Callable[..., Path], yaml: str, fact: str, hint: str) -> None:
    with pytest.raises(weltigen.WeltigenError) as error:
        weltigen.open_world(world_file(BASE + yaml)).dataset()
    assert error.value.exit_code == 4
    problem = next((p for p in error.value.problems if fact in p.fact.replace("primary key", "unique (pier_id)")), None)
    assert problem is not None, str(error.value)
    assert hint in (problem.hint or "")
    assert problem.place is not None


def test_all_contradictions_are_told_together(world_file: Callable[..., Path]) -> None:
    yaml = (
        BASE
        + "  pier: {rows: 9, fields: {name: {weights: {a: 1}}}}\n  boat: {rows: {per: pier, each: 99}}\n  licence: {rows: 5000}\n"
    )
    plan = weltigen.open_world(world_file(yaml)).plan()
    assert {problem.fact.split(":")[0] for problem in plan.problems} == {"pier", "boat", "licence"}


@pytest.mark.parametrize(
    ("sql", "fact"),
    [
        ("CREATE TABLE a (id integer PRIMARY KEY, b_id integer NOT NULL REFERENCES b);\nCREATE TABLE b (id integer PRIMARY KEY, a_id integer NOT NULL REFERENCES a);",
         "a → b → a: each must exist before the other"),
        ("CREATE TABLE a (id integer PRIMARY KEY);\nCREATE TABLE b (x text REFERENCES a);", "to which it refers, is integer"),
        ("CREATE TABLE a (x smallint NOT NULL CHECK (x BETWEEN 1 AND 3), y smallint NOT NULL CHECK (y BETWEEN 1 AND 3), z smallint NOT NULL CHECK (z BETWEEN 1 AND 40),"
         " UNIQUE (x, y), UNIQUE (y, z), UNIQUE (x, z)); CREATE TABLE b (id integer PRIMARY KEY);", "has only 9 values"),
        ("CREATE TABLE a (id integer PRIMARY KEY, n smallint NOT NULL CHECK (n * n < 0));", "none of its values keeps check (n * n < 0)"),
    ],
)  # fmt: skip
def test_a_model_that_cannot_be_filled_is_told(sql: str, fact: str) -> None:
    with pytest.raises(weltigen.WeltigenError) as error:
        weltigen.read_model(sql + "\n").dataset(rows={"a": 20}).table("a")
    assert fact in str(error.value)
    assert error.value.exit_code == 4


def test_checks_of_any_form_are_met_by_attempts_and_alike_for_one_row_alone() -> None:
    world = weltigen.read_model(
        "CREATE TABLE mark (id integer PRIMARY KEY, x integer NOT NULL CHECK (x BETWEEN 0 AND 99), y integer NOT NULL CHECK (y BETWEEN 0 AND 99),"
        " z integer NOT NULL, CHECK ((x * y) % 3 = 1 AND x + y > 20), CHECK (z <> x OR z = 7));"
    )
    dataset = world.dataset(rows={"mark": 5000})
    frame = dataset.frame("mark")
    assert ((frame["x"] * frame["y"]) % 3 == 1).all() and (frame["x"] + frame["y"] > 20).all()
    assert [dict(dataset.row("mark", o)) for o in (0, 17, 4999)] == frame.iloc[[0, 17, 4999]].to_dict("records")


def test_counts_follow_numbers_owners_and_what_was_asked(ferry: weltigen.World) -> None:
    usual, twice, asked = (
        ferry.dataset().counts,
        ferry.dataset(times=2).counts,
        ferry.dataset(rows={"vessel": 3, "booking": 500}).counts,
    )
    assert (usual["operator_settings"], usual["island"], usual["port"], usual["passenger"]) == (1, 6, 24, 5000)
    assert (twice["operator_settings"], twice["island"], twice["port"], twice["passenger"]) == (1, 6, 48, 10_000)
    assert twice["sailing"] == pytest.approx(2 * usual["sailing"], rel=0.15)
    assert asked["vessel"] == 3 and asked["booking"] == 500 and 60 <= asked["sailing"] <= 180


def test_a_bare_model_gets_counts_from_its_shape() -> None:
    world = weltigen.read_model(
        "CREATE TABLE grade (id integer PRIMARY KEY, title varchar(20));"
        "CREATE TABLE rope (id integer PRIMARY KEY, grade_id integer NOT NULL REFERENCES grade, metres integer, code varchar(9));"
        "CREATE TABLE knot (id integer PRIMARY KEY, rope_id integer NOT NULL REFERENCES rope, day date, note text, x integer, y integer);"
        "CREATE TABLE splice (one_id integer NOT NULL REFERENCES rope, two_id integer NOT NULL REFERENCES rope, PRIMARY KEY (one_id, two_id));"
        "CREATE TABLE seal (rope_id integer PRIMARY KEY REFERENCES rope);"
    )
    counts = world.dataset().counts
    assert counts["grade"] < counts["rope"] < counts["splice"] < counts["knot"] + 1
    assert counts["seal"] <= counts["rope"]
