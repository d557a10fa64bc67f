"""Shapes that no arithmetic lays out: worked out beforehand, alike in any batching, tight ones too, with their cost explained."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import weltigen

FERRY = Path(weltigen.__file__).with_name("demo") / "ferry.sql"
TENANTS = """
CREATE TABLE yard (yard_id integer PRIMARY KEY);
CREATE TABLE dock (yard_id integer NOT NULL REFERENCES yard, dock_no integer NOT NULL, PRIMARY KEY (yard_id, dock_no));
CREATE TABLE crane (yard_id integer NOT NULL REFERENCES yard, crane_no integer NOT NULL, PRIMARY KEY (yard_id, crane_no));
CREATE TABLE job (
    yard_id integer NOT NULL, dock_no integer NOT NULL, crane_no integer, helper_no integer, day date NOT NULL,
    FOREIGN KEY (yard_id, dock_no) REFERENCES dock, FOREIGN KEY (yard_id, crane_no) REFERENCES crane,
    FOREIGN KEY (yard_id, helper_no) REFERENCES crane, UNIQUE (yard_id, dock_no, day)
);
"""


def test_the_whole_ferry_model_is_filled_with_every_constraint_enforced(tmp_path: Path) -> None:
    world = weltigen.open_world(FERRY)
    receipt = world.dataset().write(tmp_path / "ferry.sqlite")
    assert len(receipt.rows) == 20 and receipt.total > 15_000
    report = weltigen.audit(world, tmp_path / "ferry.sqlite")
    assert not report and not report.unchecked and report.rules > 300


def test_references_that_share_a_column_stay_within_it() -> None:
    dataset = weltigen.read_model(TENANTS).dataset(rows={"yard": 6, "dock": 40, "crane": 9, "job": 3000})
    dock, crane, job = (dataset.frame(name) for name in ("dock", "crane", "job"))
    assert set(zip(job.yard_id, job.dock_no, strict=True)) <= set(zip(dock.yard_id, dock.dock_no, strict=True))
    with_crane = job[job.crane_no.notna()]
    assert set(zip(with_crane.yard_id, with_crane.crane_no, strict=True)) <= set(zip(crane.yard_id, crane.crane_no, strict=True))
    without = set(range(1, 7)) - set(crane.yard_id)  # a yard without any crane still has jobs, none of them with one
    assert job[job.yard_id.isin(without)].crane_no.isna().all()
    assert not job.duplicated(["yard_id", "dock_no", "day"]).any() and job.dock_no.nunique() > 20
    row = dataset.row("job", 1234)
    assert dict(row)["dock_no"] == job.dock_no[1234] and row.parent("dock")["yard_id"] == job.yard_id[1234]


def test_a_reference_that_another_one_implies_follows_it_and_one_that_shares_picks_among_what_agrees() -> None:
    world = weltigen.read_model("""
        CREATE TABLE line (line_id integer PRIMARY KEY);
        CREATE TABLE fare (line_id integer NOT NULL REFERENCES line, class varchar(5) NOT NULL CHECK (class IN ('a', 'b', 'c')), PRIMARY KEY (line_id, class));
        CREATE TABLE trip (trip_id integer PRIMARY KEY, line_id integer NOT NULL REFERENCES line, UNIQUE (trip_id, line_id));
        CREATE TABLE seat (seat_id integer PRIMARY KEY, trip_id integer NOT NULL, line_id integer NOT NULL REFERENCES line, class varchar(5),
                           FOREIGN KEY (trip_id, line_id) REFERENCES trip (trip_id, line_id), FOREIGN KEY (line_id, class) REFERENCES fare);
    """)
    dataset = world.dataset(rows={"line": 40, "fare": 50, "trip": 300, "seat": 5000})
    assert dataset.plan.entities["seat"].precomputed is None  # nothing is kept for each seat
    fare, trip, seat = (dataset.frame(name) for name in ("fare", "trip", "seat"))
    assert (seat.line_id == seat.trip_id.map(trip.set_index("trip_id").line_id)).all()
    classes = fare.groupby("line_id")["class"].agg(set)
    priced = seat[seat["class"].notna()]
    assert all(name in classes[line] for line, name in zip(priced.line_id, priced["class"], strict=True))
    assert seat[seat.line_id.isin(classes.index)]["class"].notna().mean() > 0.8
    assert [dict(dataset.row("seat", o)) for o in (0, 4999)] == seat.iloc[[0, 4999]].to_dict("records")


@pytest.mark.parametrize("rows", [27, 72])
def test_three_rules_in_a_ring_are_kept_up_to_a_half_of_what_they_hold(rows: int) -> None:
    columns = ", ".join(f"{name} smallint NOT NULL CHECK ({name} BETWEEN 1 AND 12)" for name in "xyz")
    world = weltigen.read_model(f"CREATE TABLE a ({columns}, UNIQUE (x, y), UNIQUE (y, z), UNIQUE (x, z));")
    frame = world.dataset(rows={"a": rows}).frame("a")
    assert len(frame) == rows and not any(frame.duplicated(list(pair)).any() for pair in ("xy", "yz", "xz"))


@pytest.mark.parametrize("seed", range(4))
def test_a_unique_reference_to_its_own_rows_stays_unique_where_a_check_reads_it(seed: int) -> None:
    sql = """CREATE TABLE berth (berth_id integer PRIMARY KEY, next_berth integer UNIQUE REFERENCES berth, mark integer UNIQUE,
        bollards integer, CHECK (mark <= next_berth), CHECK (bollards <> berth_id), UNIQUE (next_berth, bollards));"""
    berth = weltigen.read_model(sql, dialect="postgresql").dataset(rows={"berth": 120}, seed=seed).frame("berth")
    assert not berth.next_berth.dropna().duplicated().any() and not berth.mark.dropna().duplicated().any()
    assert berth.next_berth.notna().sum() > 30 and not (berth.mark > berth.next_berth).fillna(False).any()


def test_fixed_rows_stand_beside_generated_ones_under_any_rule(world_file: Callable[..., Path]) -> None:
    path = world_file(
        "weltigen: 3\nmodel: harbour.sql\nentities:\n  pier: {rows: 3}\n"
        "  boat: {rows: 100, fixed: [{pier_id: 2, berth: 7, name: Gannet}, {berth: 40}]}\n"
    )
    boat = weltigen.open_world(path).dataset().frame("boat")
    assert tuple(boat.loc[0, ["pier_id", "berth", "name"]]) == (2, 7, "Gannet") and boat.berth[1] == 40
    assert len(boat) == 102 and not boat.duplicated(["pier_id", "berth"]).any()


def test_what_cannot_be_worked_out_is_told_before_anything_is_written(tmp_path: Path, run: Callable[..., Any]) -> None:
    (tmp_path / "yard.sql").write_text(TENANTS.replace("day date NOT NULL", "day smallint NOT NULL CHECK (day BETWEEN 1 AND 3)"))
    wishes = ["--rows", "yard=2", "--rows", "dock=4", "--rows", "job=13"]
    done = run("fill", tmp_path / "yard.sql", "--into", tmp_path / "out", *wishes)
    assert done.code == 4 and "job" in done.err and not (tmp_path / "out").exists()
    told = run("explain", FERRY).out
    assert "ticket: 77 kB for choices made beforehand, since unique (sailing_id, seat) cuts through" in told
    (tmp_path / "yard.sql").write_text(TENANTS.replace("crane_no integer, helper", "crane_no integer NOT NULL, helper"))
    many = [option for name in ("yard", "dock", "crane") for option in ("--rows", f"{name}=4000")]
    assert "kept in memory  192 kB for 3 indexes of rows that agree" in run("explain", tmp_path / "yard.sql", *many).out
