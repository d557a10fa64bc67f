"""What is measured in data that exists comes back in what is made; no value of anybody does."""

from __future__ import annotations

import random
import re
import sqlite3
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import pytest

import weltigen
from weltigen.measuring.profile import K
from weltigen.model.problems import UsageError

from ..conftest import Done
from ..targets.databases import KINDS, Place, make_place

__all__ = ["make_place"]
LIGHTS = """CREATE TABLE keeper (id integer PRIMARY KEY, name varchar(80) NOT NULL, email varchar(120), grade varchar(20), pay numeric(9,2));
CREATE TABLE light (id integer PRIMARY KEY, code varchar(12) NOT NULL UNIQUE, height_m double precision NOT NULL, automated boolean NOT NULL);
CREATE TABLE inspection (id integer PRIMARY KEY, light_id integer NOT NULL REFERENCES light(id), keeper_id integer REFERENCES keeper(id),
done_at timestamp NOT NULL, status varchar(20) NOT NULL, minutes integer NOT NULL, cost double precision NOT NULL, oil_l numeric(6,1) NOT NULL, remark varchar(400));
"""
THERE = """weltigen: 3
model: lights.sql
window: [2021-01-01, 2023-01-01]
entities:
  keeper: {rows: 900, fields: {grade: {weights: {high: 70, medium: 20, low: 10}, present: 40%}, pay: {shape: {skewed: {median: 2600, p95: 4100}}}}}
  light: {rows: 400, fields: {code: {pattern: "LH-[0-9]{4}"}, height_m: {shape: {normal: {mean: 35, sd: 6}}}, automated: {weights: {true: 80, false: 20}}}}
  inspection:
    rows: {per: light, mean: 9, most: 60, none: 30%}
    fields:
      done_at: {kind: {rhythm: {growth: 4, weekdays: 5 5 5 5 5 1 1, hours: 0 0 0 0 0 0 0 1 4 6 6 5 2 4 4 3 1 0 0 0 0 0 0 0}}}
      status: {weights: {passed: 70, failed: 20, in progress: 10}}
      minutes: {shape: {exponential: {mean: 45}}}
      cost: {shape: {normal: {mean: 300, sd: 40}}, follows: {field: minutes, correlation: 0.7}}
      oil_l: {shape: {normal: {mean: 40, sd: 9}}, follows: [{field: minutes, correlation: 0.2}, {field: cost, correlation: 0.6}]}
      remark: {kind: {text: {purpose: remark}}, present: 25%}
    references: {keeper: {favour: {few: 20%, take: 80%}, present: 60%}}
"""


def lights(folder: Path) -> weltigen.Dataset:
    (folder / "lights.sql").write_text(LIGHTS)
    (folder / "there.yaml").write_text(THERE)
    return weltigen.open_world(folder / "there.yaml").dataset()


@pytest.mark.parametrize("kind", [*KINDS, "csv", "parquet"])
def test_what_is_made_has_the_proportions_of_what_is_there(kind: str, tmp_path: Path, make_place: Callable[..., Place]) -> None:
    there = lights(tmp_path)
    place = str(tmp_path / "there") if kind in ("csv", "parquet") else make_place(kind).into
    there.write(place, **({"format": kind} if kind in ("csv", "parquet") else {"create": True}))
    drafted = weltigen.draft(tmp_path / "lights.sql", tmp_path / "world.yaml", measure=place)
    assert not drafted.plan.problems
    lines = weltigen.compare(tmp_path / "world.yaml", place)
    told = {(line.where, line.what): line for line in lines}
    assert len(told) > 20
    # a keeper's name and address are nobody's who is there, so their lengths may be others
    far = [line for line in lines if line.apart > 0.12 and not re.match(r"keeper\.(name|email)", line.where)]
    assert not far, far
    # the bare model, which nobody measured for, is far from all this
    bare = weltigen.compare(weltigen.read_model(LIGHTS), place)
    assert sum(line.apart > 0.12 for line in bare) > 8
    for where, what in (("inspection.cost", "rank correlation with minutes"), ("inspection.oil_l", "rank correlation with minutes"),
                        ("inspection.oil_l", "rank correlation with cost"), ("inspection.light", "targets without any"),
                        ("inspection.done_at", "on working days"), ("keeper.grade", "shares of values")):  # fmt: skip
        assert (where, what) in told, told
    text = (tmp_path / "world.yaml").read_text()
    assert "LH-[0-9]{4}" in text and "window: [2021-" in text
    assert dict(drafted.left_out)["keeper.name"] == "it is about somebody"


SORTS: list[Callable[[random.Random], str]] = [
    lambda r: (
        f"{r.choice(['Zebedee', 'Isaura', 'Mark', 'Rose', 'Anna'])} {r.choice(['Vanterpool', 'Baker', 'Stone', 'Quiggle'])}{r.choice('aeiou')}"
    ),
    lambda r: f"{r.choice(['zeb', 'isa', 'rose'])}{r.randint(100, 999)}@home-mail.test",
    lambda r: f"+49 17{r.randint(0, 9)} {r.randint(1_000_000, 9_999_999)}",
    lambda r: f"{r.choice(['Mill', 'Oak', 'Sea'])} Lane {r.randint(1, 400)}, {r.randint(10_000, 99_999)} Tarnholm",
    lambda r: f"DE{r.randint(10, 99)}{r.randint(10**17, 10**18 - 1)}",
    lambda r: f"{r.randint(4000, 4999)} {r.randint(1000, 9999)} {r.randint(1000, 9999)} {r.randint(1000, 9999)}",
    lambda r: f"{r.randint(100, 899)}-{r.randint(10, 99)}-{r.randint(1000, 9999)}",
    lambda r: f"{r.choice('CFGH')}{r.randint(10, 99)}{r.choice('XYZ')}{r.randint(10, 99)}{r.choice('KLM')}{r.randint(100, 999)}",
    lambda r: f"19{r.randint(30, 99)}-{r.randint(1, 12):02}-{r.randint(1, 28):02}",
    lambda r: f"{r.randint(40, 60)}.{r.randint(10**5, 10**6 - 1)}",
    lambda r: f"{r.randint(11, 250)}.{r.randint(11, 250)}.{r.randint(11, 250)}.{r.randint(11, 250)}",
    lambda r: (
        f"{r.choice(['Owes', 'Divorced from', 'Sick since'])} {r.choice(['his brother', 'Anna', 'Monday', 'the flood'])} {r.randint(2, 99)}"
    ),
    lambda r: f"{r.choice(['diabetic', 'asthma', 'depression'])} since {r.randint(1980, 2024)}",
    lambda r: (
        f"{r.choice(['Rose', 'Mark', 'Will', 'Grace', 'Frank'])}{r.choice(['', ' '])}{r.choice(['Baker', 'Stone', 'Young'])}"
    ),
    lambda r: f"user_{r.choice(['zeb', 'mark'])}{r.randint(10_000, 99_999)}",
]


def test_no_value_of_anybody_gets_into_a_world_file(tmp_path: Path, run: Callable[..., Done]) -> None:
    draw = random.Random(7)
    planted = sorted({SORTS[number % len(SORTS)](draw) for number in range(320)})[:200]
    numbers = sorted({draw.randint(10**8, 10**10) for _ in range(20)} | {-draw.randint(10**7, 10**9) for _ in range(20)})
    days = [f"{draw.randint(1931, 1962)}-{draw.randint(1, 12):02}-{draw.randint(1, 28):02}" for _ in range(20)]
    assert len(planted) == 200
    names = ["label", "field_7", "col_a", "kind", "info", "full_name", "email", "remark", "code", "group_name"]
    path = tmp_path / "people.sqlite"
    with sqlite3.connect(path) as there:
        texts = ", ".join(f"{name} text" for name in names)
        there.execute(
            f"CREATE TABLE entry (id integer PRIMARY KEY, {texts}, amount integer, measure real, level integer, seen date)"
        )
        rows = []
        # each value twenty times and more, in a column of its own sort, of all sorts, and at the ends of numbers and days
        for number, value in enumerate(planted * (K + 5)):
            at = number % len(names)
            row = [value if place == at else planted[(number * 7 + place) % 9] for place in range(len(names))]
            extreme = number % 40
            amount = numbers[extreme] if number % 3 == 0 else draw.randint(1, 500)
            measure = float(planted[0][-1:] or 0) if number % 50 == 49 and planted[0][-1:].isdigit() else draw.gauss(50.0, 9.0)
            day = (
                days[number % 20]
                if number % 5 == 0
                else str((datetime(2023, 1, 1) + timedelta(days=draw.randint(0, 700))).date())
            )
            rows.append((number, *row, amount, measure, numbers[0] if number % 2 else draw.randint(1, 5), day))
        there.executemany(f"INSERT INTO entry VALUES ({', '.join('?' * 15)})", rows)
    told = run("draft", path, "--measure", path, "-o", tmp_path / "world.yaml")
    assert told.code == 0, told.err
    assert "left out" in told.out
    beside = run("compare", tmp_path / "world.yaml", path, "--all")
    assert beside.code == 0, beside.err
    everything = "".join([told.out, told.err, beside.out, beside.err, *(f.read_text() for f in tmp_path.glob("world.yaml*"))])
    found = [value for value in [*planted, *map(str, numbers), *days] if value in everything]
    assert not found
    assert "measured" in everything and "quantiles" in everything


def test_fewer_than_some_rows_tell_nothing(tmp_path: Path, run: Callable[..., Done]) -> None:
    path = tmp_path / "few.sqlite"
    with sqlite3.connect(path) as there:
        there.execute("CREATE TABLE berth (id integer PRIMARY KEY, status text NOT NULL, side text)")
        there.execute("CREATE TABLE pier (id integer PRIMARY KEY, status text NOT NULL)")
        states = ["open"] * 300 + ["closed"] * K + ["draft"] * (K - 1)
        there.executemany(
            "INSERT INTO berth VALUES (?, ?, ?)", [(n, s, "x" if n < K - 1 else None) for n, s in enumerate(states)]
        )
        there.executemany("INSERT INTO pier VALUES (?, ?)", [(n, "open") for n in range(2 * K - 1)])
    drafted = weltigen.draft(path, measure=path)
    status = re.search(r"status: .*measured in 339 rows", drafted.text)
    assert status and "open" in status[0] and "closed" in status[0] and "draft" not in status[0]
    assert "side" in drafted.text and "present: 0%" in drafted.text  # fewer have one than may be told of
    assert dict(drafted.left_out)["pier"] == "fewer than 40 rows tell nothing but how many they are"
    (tmp_path / "other.sql").write_text("CREATE TABLE buoy (id integer PRIMARY KEY);")
    with pytest.raises(UsageError, match="holds nothing of"):
        weltigen.draft(tmp_path / "other.sql", measure=path)
    refused = run("draft", path, "--measure", tmp_path / "nowhere.sqlite")
    assert refused.code == 2 and "Traceback" not in refused.err and "nowhere" in refused.err


def test_what_holds_something_else_than_its_type_is_left_out_and_what_cannot_be_asked_is_told(
    tmp_path: Path, run: Callable[..., Done]
) -> None:
    path = tmp_path / "odd.sqlite"
    with sqlite3.connect(path) as there:
        there.execute(
            "CREATE TABLE buoy (id integer PRIMARY KEY, depth integer, since date, state text NOT NULL, raw blob, extra json)"
        )
        odd = [
            (n, "deep" if n % 7 == 0 else n % 30, "not long" if n % 5 else 17, "open", n, "{" if n % 3 else "[1]")
            for n in range(400)
        ]
        there.executemany("INSERT INTO buoy VALUES (?, ?, ?, ?, ?, ?)", odd)
    told = run("draft", path, "--measure", path, "-o", tmp_path / "odd.yaml")
    assert told.code == 0 and "something else than its type says" in told.out, told.err
    assert "measured in 400 rows" in (tmp_path / "odd.yaml").read_text()
    assert run("compare", tmp_path / "odd.yaml", path).code == 0
    (tmp_path / "rows").mkdir()
    (tmp_path / "rows" / "buoy.csv").write_bytes(b'id,depth\n1,\xff\xfe,2\n"')
    broken = run("compare", tmp_path / "odd.yaml", tmp_path / "rows")
    assert broken.code in (0, 2, 3, 4) and "Traceback" not in broken.err and "fault" not in broken.err, broken.err
