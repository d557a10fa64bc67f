"""Rules hold over many batches, and any row of a dataset that nobody will ever make as a whole is there at once."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import pyarrow.compute as pc
import pytest

import weltigen


@pytest.fixture(scope="module")
def large(ferry: weltigen.World) -> weltigen.Dataset:
    return ferry.dataset(times=40)


def test_unique_values_stay_unique_over_many_batches(large: weltigen.Dataset) -> None:
    assert large.counts["booking"] > 10 * 65_536
    for entity, columns in (
        ("passenger", ["email"]),
        ("booking", ["reference"]),
        ("sailing", ["vessel_id", "departs_at"]),
        ("ticket", ["sailing_id", "seat"]),
        ("sailing_crew", ["sailing_id", "crew_member_id"]),
    ):
        frame = large.table(entity, workers=2).select(columns).to_pandas()
        assert not frame.duplicated().any(), entity


def test_owners_have_as_many_rows_as_was_said(large: weltigen.Dataset) -> None:
    bookings = large.frame("booking", workers=2)["sailing_id"].value_counts()
    sailings = large.counts["sailing"]
    without = 1 - len(bookings) / sailings
    assert without == pytest.approx(0.03, abs=0.005)
    assert (bookings.min() >= 1, bookings.max() <= 90) == (True, True)
    assert large.counts["booking"] / sailings == pytest.approx(25, rel=0.02)
    per_vessel = large.frame("sailing")["vessel_id"].value_counts()
    assert (per_vessel.min(), per_vessel.max()) >= (20, 20) and per_vessel.max() <= 60


def test_every_reference_of_every_batch_finds_its_row(large: weltigen.Dataset) -> None:
    table = lru_cache(maxsize=3)(large.table)
    for entity in large.plan.world.entities:
        for relation in entity.relations:
            keys = table(relation.target)[relation.target_columns[0]].unique()
            used = table(entity.name)[relation.columns[0]].drop_null().unique()
            assert pc.all(pc.is_in(used, value_set=keys.cast(used.type))).as_py(), relation.label
            assert len(used) > 0.5 * min(len(keys), large.counts[entity.name] / 50), relation.label


def test_a_row_among_hundreds_of_millions_is_there_at_once(ferry: weltigen.World) -> None:
    huge = ferry.dataset(times=10_000)
    assert huge.counts["booking"] > 150_000_000 and huge.counts["passenger"] == 50_000_000
    booking = huge.row("booking", 123_456_789)
    sailing, passenger = booking.parent("sailing"), booking.parent("passenger")
    assert sailing is not None and passenger is not None
    assert booking["booked_at"] < sailing["departs_at"] and booking["passenger_id"] == passenger["passenger_id"]
    assert 123_456_789 in passenger.child_ordinals("booking")
    assert 123_456_789 in sailing.child_ordinals("booking")
    assert dict(booking) == huge.page("booking", 123_456_789, 3).to_pylist()[0]
    ticket = huge.row("ticket", 300_000_000)  # its seat is its own on its sailing, two owners further up
    assert ticket.ordinal in ticket.parent("booking").child_ordinals("ticket")
    assert not any(entity.precomputed for entity in huge.plan.entities.values())


def test_generated_rows_never_take_what_fixed_rows_have(world_file: Callable[..., Path]) -> None:
    fixed = [f"{{name: '{name}', slug: '{name.lower()}a'}}" for name in ("Ab", "Ba", "Aa")]
    yaml = (
        f"weltigen: 3\nmodel: harbour.sql\nentities:\n  pier:\n    fixed: [{', '.join(fixed)}]\n    rows: 13\n"
        "    fields: {name: {pattern: '[AB][ab]|[CD][abc]|[EF][abc]'}, slug: {pattern: '[a-f]{3}'}}\n"
    )
    pier = weltigen.open_world(world_file(yaml)).dataset(rows={"boat": 3}).frame("pier")
    assert len(pier) == 16 and pier["name"].is_unique and pier["slug"].is_unique
    assert pier["name"].tolist()[:3] == ["Ab", "Ba", "Aa"] and pier["pier_id"].tolist() == list(range(1, 17))


def test_a_chain_of_tables_of_any_length_is_planned_and_any_of_its_rows_is_made() -> None:
    tables = [f"CREATE TABLE t{i} (k integer PRIMARY KEY REFERENCES t{i - 1});" for i in range(1, 600)]
    world = weltigen.read_model("\n".join(["CREATE TABLE t0 (k integer PRIMARY KEY);", *tables]))
    dataset = world.dataset(rows={f"t{i}": 9 for i in range(600)})
    assert list(dataset.counts) == [f"t{i}" for i in range(600)]
    assert sorted(dataset.frame("t599")["k"]) == list(range(1, 10)) == sorted(dataset.frame("t0")["k"])
