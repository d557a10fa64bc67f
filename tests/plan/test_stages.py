"""Rows that are added later: nothing of what was there changes, and nothing collides with it."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from random import Random

import numpy as np
import pytest

import weltigen
from weltigen.model.problems import ImpossibleError, UsageError, WeltigenError
from weltigen.stored.floats import widened_rows

from ..beacons import SQL, YAML
from .test_models import MODELS, opened

TRIES = 8  # at random some stages are impossible: owners are full, sums would change


def grown(dataset: weltigen.Dataset, chance: Random) -> weltigen.Dataset:
    """The dataset with rows of some entities added, or with as many again."""
    names = [name for name, total in dataset.counts.items() if total]
    for turn in range(TRIES):
        some = chance.sample(names, min(len(names), 3 if turn < TRIES // 2 else 1))
        rows = {name: chance.randint(1, max(1, dataset.counts[name] // 2)) for name in some}
        try:
            later = dataset.next_stage(rows=rows) if chance.random() < 0.8 else dataset.next_stage(times=chance.choice([0.3, 1]))
            later.runtime.stages[-1].settle()
        except (ImpossibleError, UsageError):
            continue
        return later
    raise AssertionError("no stage was possible")


@pytest.mark.parametrize("seed", [*range(4, MODELS, 7), 1409])
def test_stages_of_any_model_keep_its_rules_beside_the_earlier_ones(seed: int, tmp_path: Path) -> None:
    world, chance = opened(seed, tmp_path), Random(seed)
    dataset = world.dataset(seed=seed)
    for _ in range(2):
        later = grown(dataset, chance)
        (tmp_path / "out.sqlite").unlink(missing_ok=True)
        receipt = later.write(tmp_path / "out.sqlite", workers=2)  # SQLite itself enforces every constraint
        with sqlite3.connect(tmp_path / "out.sqlite") as connection:
            assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
        connection.close()
        assert list(map(str, weltigen.audit(world, tmp_path / "out.sqlite"))) == []
        for name, total in dataset.counts.items():
            whole = later.table(name)
            assert whole.slice(0, total).equals(dataset.table(name))
            assert receipt.rows[name] == whole.num_rows == total + len(later.added(name))
            assert receipt.digests[name] == later.digest(name)
            pieces = [row for piece in later.batches(name, size=7, workers=2) for row in widened_rows(piece)]
            assert pieces == widened_rows(whole)
            for ordinal in later.added(name)[:: max(1, len(later.added(name)) // 3)]:
                row = later.row(name, ordinal)
                assert dict(row) == pieces[ordinal]
                for relation in world.entity(name).relations:
                    parent, keys = row.parent(relation.name), [row[column] for column in relation.columns]
                    assert (parent is None) == (None in keys)
                    assert parent is None or ordinal in parent.child_ordinals(name, relation.name)
        dataset = later


def test_keys_names_and_cohorts_go_on_and_added_rows_belong_together(ferry: weltigen.World) -> None:
    first = ferry.dataset(rows={"passenger": 2_000})
    grew = first.next_stage(rows={"passenger": 1_000, "sailing": 20})
    passengers, bookings = grew.frame("passenger"), grew.frame("booking")
    assert passengers["passenger_id"].tolist() == list(range(1, 3_001)) and passengers["email"].is_unique
    old, new = passengers[:2_000], passengers[2_000:]
    named = set(zip(old["given_name"], old["family_name"], strict=True))
    again = [pair in named for pair in zip(new["given_name"], new["family_name"], strict=True)]
    assert sum(again) > 10 and new["email"][again].str.contains(r"[0-9]@").all()  # the second of a name says so
    added = bookings[first.counts["booking"] :]
    assert len(added) > 300 and (added["passenger_id"] > 2_000).all() and (added["sailing_id"] > first.counts["sailing"]).all()
    assert bookings["reference"].is_unique
    sailings = grew.frame("sailing")
    assert not sailings.duplicated(["vessel_id", "departs_at"]).any()
    assert (
        sailings[first.counts["sailing"] :].groupby("vessel_id")["departs_at"].apply(lambda at: at.is_monotonic_increasing).all()
    )
    frequent = grew.members("passenger", "frequent")
    assert (np.diff(frequent) > 0).all() and len(frequent) == 160 + 80
    assert grew.table("passenger", cohort="frequent").num_rows == 240

    later = grew.next_stage(rows={"booking": 200})
    added = later.frame("booking")[grew.counts["booking"] :]
    assert len(added) == 200 and added["sailing_id"].min() < 700 < added["sailing_id"].max()  # of any stage
    totals = later.frame("ticket")[grew.counts["ticket"] :].groupby("booking_id")["price"].sum()
    assert added.set_index("booking_id")["total"].to_dict() == totals.to_dict()
    row = later.row("booking", grew.counts["booking"])
    assert sum(ticket["price"] for ticket in row.children("ticket")) == row["total"] and row.parent("sailing") is not None
    assert any(one.ordinal == row.ordinal for one in later.find("booking", where=f"booking_id = {row['booking_id']}"))


def test_what_is_set_or_asked_for_in_one_stage_is_so_in_that_one(ferry: weltigen.World) -> None:
    first = ferry.dataset(rows={"passenger": 100}, times=0.5)
    more = first.next_stage(rows={"passenger": 50}, set={"passenger.loyalty_tier": "gold"})
    tiers = more.next_stage(times=0.5).frame("passenger")["loyalty_tier"]
    assert (tiers[100:150] == "gold").all() and not (tiers[:100] == "gold").all() and len(tiers) == 2_650
    assert not (tiers[150:] == "gold").all()
    assert first.next_stage(rows={"passenger": 3}).plan.stages[0] is first.plan


@pytest.mark.parametrize(
    ("asked", "kind", "told"),
    [
        ({}, UsageError, "this stage adds no rows"),
        ({"rows": {"lantern": 3}}, UsageError, "no entity 'lantern'"),
        ({"rows": {"keeper": -3}}, UsageError, "the row count must not be negative, but -3 was requested"),
        ({"times": -1}, UsageError, "times is a number from 0 on"),
        ({"rows": {"keeper": 3}, "set": {"keeper.grade": "captain"}}, ImpossibleError, "captain"),
        ({"rows": {"watch": 20}}, ImpossibleError, "tower.oil_used and 4 more are made from all of them"),
        ({"rows": {"sighting_event": 5}}, ImpossibleError, "cannot say how many rows it has"),
        ({"rows": {"keeper": 30_000}}, ImpossibleError, "of them of earlier stages"),
    ],
)  # fmt: skip
def test_what_cannot_be_added_is_told_before_anything_is_made(
    asked: dict[str, object], kind: type[WeltigenError], told: str, tmp_path: Path
) -> None:
    (tmp_path / "beacons.sql").write_text(SQL)
    (tmp_path / "beacons.yaml").write_text(YAML)
    dataset = weltigen.open_world(tmp_path / "beacons.yaml").dataset()
    with pytest.raises(kind) as raised:
        dataset.next_stage(**asked)  # type: ignore[arg-type]
    assert told in str(raised.value)
