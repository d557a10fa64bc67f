"""What the tables of applications hold in common: kinds that say which fields are there, circles, JSON in texts, planned moments,
rows that are values, names written together."""

from __future__ import annotations

import json
import random
from pathlib import Path

import pandas as pd
import pytest

import weltigen
from weltigen.infer.vocabularies import vocabulary_of
from weltigen.model import KindSource, World
from weltigen.model.origins import Status
from weltigen.model.problems import UnreadableError


def model_of_cases(seed: int) -> tuple[str, dict[str, dict[str, bool]], bool]:
    """A table whose kind says which of its fields are there: as SQL, what each kind says, and whether one check holds all."""
    dice = random.Random(seed)
    kinds = (
        [str(n) for n in range(1, dice.randint(3, 6))]
        if dice.random() < 0.5
        else ["user", "group", "role", "net"][: dice.randint(2, 4)]
    )
    fields = [f"f{n}" for n in range(dice.randint(2, 5))]
    told = {kind: {field: dice.random() < 0.5 for field in fields} for kind in kinds}
    number = kinds[0].isdigit()
    spelled = {kind: kind if number else f"'{kind}'" for kind in kinds}
    types = {field: dice.choice(["text", "integer REFERENCES party(id)", "date", "varchar(12)"]) for field in fields}

    def tests(kind: str) -> str:
        return " AND ".join(f"{field} IS {'NOT ' if there else ''}NULL" for field, there in told[kind].items())

    whole = dice.random() < 0.5
    unequal = dice.choice(["<>", "!="])
    if whole:
        checks = [" OR ".join(f"(kind = {spelled[kind]} AND {tests(kind)})" for kind in kinds)]
    else:
        checks = [f"kind {unequal} {spelled[kind]} OR ({tests(kind)})" for kind in kinds]
        checks.append(f"kind IN ({', '.join(spelled.values())})")
    columns = [f"kind {'smallint' if number else 'varchar(8)'} NOT NULL", *(f"{field} {types[field]}" for field in fields)]
    lines = [f"CHECK ({check})" for check in checks]
    table = f"CREATE TABLE pass (id integer PRIMARY KEY, {', '.join([*columns, *lines])});"
    return f"CREATE TABLE party (id integer PRIMARY KEY, name text NOT NULL);{table}", told, whole


@pytest.mark.parametrize("seed", range(24))
def test_a_kind_says_which_fields_are_there(seed: int, tmp_path: Path) -> None:
    sql, told, whole = model_of_cases(seed)
    world = weltigen.read_model(sql, dialect="postgresql")
    dataset = world.dataset(rows={"pass": 400}, seed=seed)
    rows = dataset.frame("pass")
    assert set(rows["kind"].astype(str)) == set(told)
    for kind, of in rows.groupby(rows["kind"].astype(str)):
        assert {field: there for field, there in told[kind].items() if bool(of[field].notna().all()) != there} == {}, kind
    dataset.write(tmp_path / "rows")
    assert not weltigen.audit(world, tmp_path / "rows").findings
    assert whole or all(check.status is Status.MET for check in world.declared.entity("pass").checks)


def test_circles_of_references_that_differ_get_rows(tmp_path: Path) -> None:
    world = weltigen.read_model(
        "CREATE TABLE access_pass (id integer PRIMARY KEY, renewal_id integer UNIQUE REFERENCES renewal(id));"
        "CREATE TABLE renewal (id integer PRIMARY KEY, pass_id integer UNIQUE REFERENCES access_pass(id));"
        "CREATE TABLE gate_use (id integer PRIMARY KEY, pass_id integer NOT NULL REFERENCES access_pass(id));"
    )
    dataset = world.dataset()
    rows = dataset.frame("access_pass")
    assert len(rows) == len(dataset.frame("renewal")) == 100 and len(dataset.frame("gate_use")) == 400
    assert rows["renewal_id"].dropna().is_unique and rows["renewal_id"].notna().sum() > 50
    dataset.write(tmp_path / "rows.sqlite")
    assert not weltigen.audit(world, tmp_path / "rows.sqlite").findings


@pytest.mark.parametrize(
    "check",
    [
        "json_valid(doc)", "(JSON_VALID(\"doc\") OR \"doc\" IS NULL)", "doc is null or json_valid(doc)", "isjson(doc) = 1", "ISJSON(doc)>0",
    ],
)  # fmt: skip
def test_a_text_whose_check_asks_for_json_is_json(check: str) -> None:
    sql = f"CREATE TABLE account (id integer PRIMARY KEY, doc text CHECK ({check}), permissions text CHECK (json_valid(permissions)))"
    rows = weltigen.read_model(sql).dataset().frame("account")
    assert all(isinstance(json.loads(text), dict | list) for text in rows["doc"].dropna())
    assert all(isinstance(json.loads(text), dict | list) for text in rows["permissions"].dropna())


PLANNED = """
CREATE TABLE rehearsal (id serial PRIMARY KEY, title text NOT NULL, starts_at timestamp NOT NULL, ends_at timestamp NOT NULL, created_at timestamp NOT NULL);
CREATE TABLE departure (id serial PRIMARY KEY, departs_at timestamp NOT NULL, arrives_at timestamp NOT NULL, actual_departure timestamp NOT NULL);
CREATE TABLE invoice (id serial PRIMARY KEY, issued_on date NOT NULL, paid_on date NOT NULL);
CREATE TABLE job_run (id serial PRIMARY KEY, started_at timestamp NOT NULL, finished_at timestamp NOT NULL);
"""


def test_what_is_planned_goes_by_the_clock_and_lasts_as_long_as_usual() -> None:
    dataset = weltigen.read_model(PLANNED, dialect="postgresql").dataset(times=5)
    rows = {name: dataset.frame(name) for name in ("rehearsal", "departure", "invoice", "job_run")}
    for name, field, minutes in (
        ("rehearsal", "starts_at", 15),
        ("rehearsal", "ends_at", 15),
        ("departure", "departs_at", 5),
        ("departure", "arrives_at", 5),
    ):
        moments = pd.to_datetime(rows[name][field])
        assert (moments.dt.minute % minutes == 0).all() and (moments.dt.second == 0).all(), field
    lasts = rows["rehearsal"]["ends_at"] - rows["rehearsal"]["starts_at"]
    assert lasts.min() >= pd.Timedelta("15min") and lasts.max() <= pd.Timedelta("3h")
    assert lasts.between("30min", "90min").mean() > 0.5
    assert (rows["rehearsal"]["created_at"] < rows["rehearsal"]["starts_at"]).all()
    late = rows["departure"]["actual_departure"] - rows["departure"]["departs_at"]
    assert late.min() >= pd.Timedelta(0) and late.max() <= pd.Timedelta("100min") and late.median() < pd.Timedelta("40min")
    days = (pd.to_datetime(rows["invoice"]["paid_on"]) - pd.to_datetime(rows["invoice"]["issued_on"])).dt.days
    assert days.between(0, 40).all() and 12 < days.mean() < 22 and (days < 4).mean() < 0.1
    ran = rows["job_run"]["finished_at"] - rows["job_run"]["started_at"]
    assert (pd.to_datetime(rows["job_run"]["started_at"]).dt.second != 0).any() and ran.median() < pd.Timedelta("45min")


def test_the_usual_distance_is_said_in_a_world_file(tmp_path: Path) -> None:
    text = """
weltigen: 3
entities:
  crossing:
    rows: 4000
    fields:
      left_at: {type: timestamp, null: false}
      docked_at: {type: timestamp, null: false, after: left_at, within: 2 hours, usually: 30 minutes}
"""
    (tmp_path / "w.yaml").write_text(text)
    rows = weltigen.open_world(tmp_path / "w.yaml").dataset().frame("crossing")
    took = rows["docked_at"] - rows["left_at"]
    assert took.max() <= pd.Timedelta("2h") and took.min() > pd.Timedelta(0)
    # of a triangle over 0 to 120 minutes with its top at 30 the mean is 50, and a quarter lies below the top
    assert abs(took.mean() / pd.Timedelta("1min") - 50) < 2 and abs((took < "30min").mean() - 0.25) < 0.03
    for usually in ("3 hours", "0 seconds"):
        (tmp_path / "w.yaml").write_text(text.replace("usually: 30 minutes", f"usually: {usually}"))
        with pytest.raises(UnreadableError, match="`usually` is the commonest of the distances that `within` lets be"):
            weltigen.open_world(tmp_path / "w.yaml")


def test_entities_whose_rows_are_values_hold_each_once() -> None:
    world = weltigen.read_model(
        "CREATE TABLE severity (id integer PRIMARY KEY, name varchar(40) NOT NULL UNIQUE, colour varchar(20));"
        "CREATE TABLE priority (id integer PRIMARY KEY, value varchar(40) NOT NULL UNIQUE);"
        "CREATE TABLE marital_status (id integer PRIMARY KEY, description varchar(40) NOT NULL);"
        "CREATE TABLE alarm (id numeric(10) PRIMARY KEY, severity_id integer NOT NULL REFERENCES severity, raised_at timestamp);"
    )
    dataset = world.dataset()
    for entity, field, some in (
        ("severity", "name", {"low", "high"}),
        ("priority", "value", {"low", "high"}),
        ("marital_status", "description", {"single", "married"}),
    ):
        values = list(dataset.frame(entity)[field])
        assert some < set(values) and len(values) == len(set(values)) < 9, values
    assert [int(key) for key in dataset.frame("alarm")["id"][:3]] == [1, 2, 3]


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("dbhost", "db host"), ("md5checksum", "md5 checksum"), ("ostype", "os type"), ("bugid", "bug id"), ("typeofcontact", "type of contact"), ("impurity", "impurity"),
        ("nominations", "nomination"), ("stagnation", "stagnation"), ("teacup", "tea cup"),
    ],
)  # fmt: skip
def test_names_written_together_are_cut_and_words_are_not(name: str, words: str) -> None:
    assert " ".join(vocabulary_of(World(name="", entities=())).words(name)) in (words, f"{words}s")


def test_letters_that_a_tables_columns_share_are_left_out_and_texts_hold_numbers() -> None:
    world = weltigen.read_model(
        "CREATE TABLE job_step (jstid integer PRIMARY KEY, jstname text NOT NULL, jstdesc text NOT NULL, jstenabled boolean, jstcode text NOT NULL, jstdbname text NOT NULL);"
        "CREATE TABLE cell (id integer PRIMARY KEY, last_seconds text NOT NULL, imei varchar(14) NOT NULL, last_check varchar(30) NOT NULL, site_address_a varchar(120) NOT NULL);"
    )
    step = {field.name: field for field in world.declared.entity("job_step").fields}
    assert isinstance(step["jstdesc"].source, KindSource) and step["jstdesc"].source.kind == "text"
    rows = world.dataset().frame("cell")
    for field, pattern in (
        ("last_seconds", r"\d+(\.\d)?"),
        ("imei", r"\d{14}"),
        ("last_check", r"\d{4}-\d\d-\d\d.*"),
        ("site_address_a", r"\d+ .+"),
    ):
        assert rows[field].str.fullmatch(pattern).all(), field
