"""Rules across fields and rows, held against what pandas makes of the same rows."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pandas as pd
import pyarrow as pa
import pytest

import weltigen
from weltigen.model.problems import ImpossibleError

from ..beacons import SQL, YAML


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("beacons")
    (folder / "beacons.sql").write_text(SQL)
    (folder / "beacons.yaml").write_text(YAML)
    return folder


@pytest.fixture(scope="module")
def world(folder: Path) -> weltigen.World:
    return weltigen.open_world(folder / "beacons.yaml")


@pytest.fixture(scope="module")
def frames(world: weltigen.World) -> dict[str, Any]:
    dataset = world.dataset()
    assert (dataset.plan.notes, dataset.plan.ignored) == ((), ())
    return {name: dataset.frame(name) for name in dataset.counts}


def test_every_rule_is_kept_and_audited_wherever_rows_lie(world: weltigen.World, folder: Path) -> None:
    for target in ("beacons.sqlite", "tables"):
        world.dataset().write(folder / target)
        report = weltigen.audit(world, folder / target)
        assert list(map(str, report)) == [] and report.rules > 90, target
        # which rows are of a cohort is stored nowhere
        assert all("keeper.veteran" in told for told in report.unchecked) and len(report.unchecked) == 1


def test_sums_over_children_are_exact_though_owners_come_first(frames: dict[str, Any]) -> None:
    tower, verify = frames["tower"].set_index("tower_id"), frames["watch"]
    by = verify.groupby("tower_id")
    assert (tower["watches"] == by.size().reindex(tower.index, fill_value=0)).all() and (tower["watches"] == 0).sum() >= 2
    assert (tower["oil_used"] == by["oil"].sum().reindex(tower.index, fill_value=Decimal(0))).all()
    storms = verify[verify["weather"] == "storm"].groupby("tower_id")["oil"].sum()
    assert tower["storm_oil"].dropna().to_dict() == storms.to_dict()
    assert tower["longest_h"].dropna().astype(int).to_dict() == by["hours"].max().to_dict()
    assert tower["first_watch"].dropna().to_dict() == by["begun_at"].min().to_dict()
    mean = by["hours"].mean().reindex(tower.index)
    assert ((tower["mean_h"].astype(float) - mean).dropna().abs() <= 0.00005 + 1e-9).all() and tower[
        "mean_h"
    ].isna().sum() == mean.isna().sum()


def test_computed_fields_follow_rows_any_number_of_steps_away(frames: dict[str, Any]) -> None:
    verify = frames["watch"].merge(frames["tower"], on="tower_id")
    assert (verify["ended_at"] - verify["begun_at"] == pd.to_timedelta(verify["hours"], "h")).all()
    oil = [
        (Decimal(h) * rate * (Decimal("1.5") if weather == "storm" else 1)).quantize(Decimal("0.001"))
        for h, rate, weather in zip(verify["hours"], verify["oil_rate"], verify["weather"], strict=True)
    ]
    assert verify["oil"].tolist() == oil
    seen = frames["sighting"].merge(verify, on="watch_id")
    assert (seen["points"] == (seen["height_m"] + seen["hours"]) * 2).all()
    assert ((seen["seen_at"] > seen["begun_at"]) & (seen["seen_at"] < seen["ended_at"])).all()


def test_dependence_by_case_and_by_rank(world: weltigen.World, frames: dict[str, Any]) -> None:
    verify = frames["watch"].merge(frames["tower"], on="tower_id")
    rough = (verify["kind"] == "rock") & verify["begun_at"].dt.month.isin([11, 12, 1, 2])
    assert (verify["weather"] == "storm")[rough].mean() == pytest.approx(0.6, abs=0.1)
    assert (verify["weather"] == "storm")[~rough].mean() == pytest.approx(0.05, abs=0.03)
    tower = world.dataset(rows={"tower": 20_000, "watch": 10, "lamp": 10}).frame("tower")
    assert tower["height_m"].rank().corr(tower["range_nm"].astype(float).rank()) == pytest.approx(0.9, abs=0.02)
    verify = world.dataset().frame("watch")
    assert verify["hours"].rank().corr(verify["tide_cm"].rank()) == pytest.approx(-0.7, abs=0.05)
    assert tower["range_nm"].astype(float).median() == pytest.approx(14, rel=0.03)
    depth = tower["depth_m"].astype(float).groupby(tower["kind"]).mean()
    assert (depth["rock"], depth["shore"]) == (pytest.approx(40, abs=0.2), pytest.approx(4, abs=0.2))
    there = tower["depth_m"].notna()
    assert not there[tower["oil_rate"] <= 1].any() and there[tower["oil_rate"] > 1].mean() == pytest.approx(0.6, abs=0.02)


def test_cohorts_are_exact_to_the_row_and_combine(world: weltigen.World, frames: dict[str, Any]) -> None:
    dataset = world.dataset()
    veteran, leaver, green = (dataset.frame("keeper", cohort=name) for name in ("veteran", "leaver", "green"))
    assert (len(veteran), len(leaver), len(green)) == (100, 40, 120)
    assert (veteran["hired_on"] < pd.Timestamp("2010-01-01").date()).all() and set(veteran["grade"]) == {"master", "keeper"}
    assert set(green["grade"]) == {"novice"} and not set(green["keeper_id"]) & set(veteran["keeper_id"])
    assert leaver["left_on"].notna().all() and not leaver["pension"].any()
    both = dataset.frame("keeper", cohort=["veteran", "leaver"])
    assert set(both["keeper_id"]) == set(veteran["keeper_id"]) & set(leaver["keeper_id"]) and len(both)
    watches = frames["watch"]["keeper_id"].value_counts().reindex(veteran["keeper_id"], fill_value=0)
    assert (watches.sum(), watches.min() >= 4, watches.max() <= 20) == (900, True, True)
    noted = frames["watch"]["note"].notna()
    old_storms = frames["watch"]["keeper_id"].isin(veteran["keeper_id"]) & (frames["watch"]["weather"] == "storm")
    assert noted.any() and not noted[~old_storms].any()
    for size in (7, 64):
        pieces = list(dataset.batches("watch", size=size, workers=2))
        assert pa.Table.from_batches(pieces).equals(dataset.table("watch"))
    for ordinal in (0, 41, 399):
        row = dataset.row("keeper", ordinal)
        assert [w["watch_id"] for w in row.children("watch")] == sorted(
            frames["watch"].loc[frames["watch"]["keeper_id"] == row["keeper_id"], "watch_id"]
        )


def test_unique_rules_over_expressions_and_parts_of_the_rows(frames: dict[str, Any]) -> None:
    keeper, lamp, verify = frames["keeper"], frames["lamp"], frames["watch"]
    assert keeper["email"].str.lower().is_unique and keeper["badge"].str.upper().is_unique
    assert frames["tower"]["name"].str.lower().is_unique
    assert (lamp.groupby("tower_id")["number"].apply(list).apply(lambda n: n == list(range(1, len(n) + 1)))).all()
    assert (lamp.groupby("tower_id")["is_main"].sum() == 1).all()
    assert lamp.groupby("tower_id")["glass"].apply(lambda glass: glass.isna().sum()).max() == 1
    assert not verify.assign(day=verify["begun_at"].dt.date).duplicated(["tower_id", "day"]).any()
    assert verify["begun_at"].dt.hour.nunique() > 20  # the day is what differs; the hour is free


def test_a_history_goes_by_its_steps_and_ends_in_the_state(frames: dict[str, Any]) -> None:
    event, sighting = frames["sighting_event"], frames["sighting"].set_index("sighting_id")
    by = event.sort_values("sighting_event_id").groupby("sighting_id")
    assert (by["state"].last() == sighting["state"]).all() and by.ngroups == len(sighting)
    assert by["at"].apply(lambda at: at.is_monotonic_increasing and at.is_unique).all()
    assert (by["at"].first() == sighting["seen_at"]).all()
    steps = set(zip(event["from_state"].fillna("-"), event["state"], strict=True))
    allowed = {
        ("-", "seen"),
        ("-", "heard"),
        ("seen", "named"),
        ("seen", "lost"),
        ("heard", "seen"),
        ("heard", "lost"),
        ("named", "filed"),
    }
    assert steps == allowed


CHAIN = """
weltigen: 3
entities:
  link:
    key: [link_id]
    rows: ROWS
    unique: [[before_id]]
    references: {before: {to: link, present: 100%}}
    fields:
      link_id: {type: integer}
      at: {type: timestamp, null: false, after: before.at, within: 2 days}
  node:
    key: [node_id]
    rows: 3000
    references: {up: {to: node, tree: {roots: 10, depth: 8}}}
    fields:
      node_id: {type: integer}
      step: {type: integer, null: false, minimum: 1, maximum: 5}
      far: {type: integer, null: false, compute: "coalesce(up.far, 0) + step"}
      born: {type: date, null: false, after: up.born, within: 900 days, minimum: 2000-01-01}
"""


def test_a_row_may_follow_an_earlier_one_of_its_own_entity(tmp_path: Path) -> None:
    (tmp_path / "world.yaml").write_text(CHAIN.replace("ROWS", "30"))
    dataset = weltigen.open_world(tmp_path / "world.yaml").dataset()
    node, link = dataset.frame("node").set_index("node_id"), dataset.frame("link")
    above = node["up_id"].map(node["far"]).fillna(0).astype(int)
    assert (node["far"] == above + node["step"]).all() and node["far"].max() > 15
    assert (node["born"] > node["up_id"].map(node["born"]))[node["up_id"].notna()].all()
    assert link["at"].is_monotonic_increasing and dict(dataset.row("link", 29))["at"] == link["at"].iloc[29]
    (tmp_path / "world.yaml").write_text(CHAIN.replace("ROWS", "500"))
    (problem,) = weltigen.open_world(tmp_path / "world.yaml").plan().problems
    assert "link.at follows the row before, through 500 rows" in problem.fact and problem.place is not None


FAULTS = [
    ("UPDATE tower SET oil_used = oil_used + 0.001 WHERE tower_id = 3", "tower", "oil_used is coalesce(sum(watch.oil), 0)"),
    ("UPDATE tower SET longest_h = 99 WHERE tower_id = 3", "tower", "longest_h is max(watch.hours)"),
    ("UPDATE watch SET ended_at = '2024-05-05 05:05:05' WHERE watch_id = 9", "watch", "ended_at is begun_at"),
    ("UPDATE sighting SET points = points + 1 WHERE sighting_id = 9", "sighting", "points is (watch.tower.height_m"),
    ("UPDATE keeper SET hired_on = '2026-01-01' WHERE keeper_id = (SELECT keeper_id FROM watch LIMIT 1)", "watch", "begun_at > keeper.hired_on"),
    ("UPDATE tower SET depth_m = 3 WHERE oil_rate <= 1", "tower", "depth_m is there only when oil_rate > 1"),
    ("DROP INDEX keeper_email; UPDATE keeper SET email = (SELECT upper(email) FROM keeper WHERE keeper_id = 8) WHERE keeper_id = 9",
     "keeper", "unique (lower(email))"),
    ("DROP INDEX lamp_main; UPDATE lamp SET is_main = 1 WHERE tower_id = 3", "lamp", "unique (tower_id) where is_main"),
    ("UPDATE lamp SET glass = NULL WHERE tower_id = (SELECT tower_id FROM lamp GROUP BY 1 HAVING count(*) > 2 LIMIT 1)",
     "lamp", "unique (tower_id, glass) nulls not distinct"),
    ("UPDATE watch SET begun_at = '2024-07-07 07:07:07', ended_at = '2024-07-07 08:07:07', hours = 1 WHERE tower_id = 4",
     "watch", "unique (tower_id, date_trunc('day', begun_at))"),
    ("UPDATE sighting_event SET state = 'filed' WHERE sighting_event_id = 1", "sighting", "state follows the steps"),
    ("UPDATE sighting SET state = 'lost' WHERE state = 'filed' AND sighting_id < 30", "sighting", "state is the last state"),
    ("UPDATE sighting_event SET at = '2020-01-01' WHERE from_state = 'seen' AND sighting_id < 30", "sighting", "at rises within each sighting"),
    ("UPDATE keeper SET hired_on = '2015-01-01'", "keeper", "cohort veteran: 25% of the rows"),
    ("UPDATE keeper SET left_on = NULL WHERE keeper_id > 10", "keeper", "cohort leaver: 40 rows"),
    ("UPDATE watch SET tide_cm = 30 * hours", "watch", "tide_cm follows hours, with a rank correlation of -0.7"),
    ("UPDATE watch SET weather = 'storm' WHERE watch_id % 3 = 0", "watch", "weather by its weights, by 2 cases"),
    ("UPDATE watch SET keeper_id = 1", "keeper", "cohort veteran: 25% of the rows with the declared number of rows of watch"),
]  # fmt: skip


@pytest.mark.parametrize(("sql", "entity", "rule"), FAULTS, ids=[rule for _, _, rule in FAULTS])
def test_the_audit_finds_a_breach_of_every_rule(world: weltigen.World, tmp_path: Path, sql: str, entity: str, rule: str) -> None:
    world.dataset().write(tmp_path / "beacons.sqlite")
    with sqlite3.connect(tmp_path / "beacons.sqlite") as connection:
        connection.executescript(f"PRAGMA ignore_check_constraints = ON; {sql}")
    connection.close()
    found = [str(finding) for finding in weltigen.audit(world, tmp_path / "beacons.sqlite") if finding.entity == entity]
    assert any(rule in finding for finding in found), found


def test_a_cohort_refers_only_to_rows_that_keep_its_condition(world_file: Callable[[str, str], Path], tmp_path: Path) -> None:
    sql = (
        "CREATE TABLE zone (zone_id integer PRIMARY KEY, level smallint NOT NULL CHECK (level BETWEEN 1 AND 9));\n"
        "CREATE TABLE post (post_id integer PRIMARY KEY, zone_id integer NOT NULL REFERENCES zone);\n"
    )
    yaml = (
        "weltigen: 3\nmodel: harbour.sql\nentities:\n  zone: {rows: 40, fields: {level: {weights: {1: 8, 7: 1, 9: 1}}}}\n"
        "  post: {rows: 3000, cohorts: {high: {share: 20%, references: {zone: {where: level > LEAST}}}}}\n"
    )
    world = weltigen.open_world(world_file(yaml.replace("LEAST", "6"), sql))
    dataset = world.dataset()
    levels = dataset.frame("post").merge(dataset.frame("zone"), on="zone_id").set_index("post_id")["level"]
    high = dataset.members("post", "high") + 1
    assert (levels.loc[high] > 6).all() and (levels.drop(high) == 1).mean() > 0.5 and len(high) == 600
    assert [dict(dataset.row("post", at)) for at in range(0, 3000, 500)] == dataset.table("post").to_pylist()[::500]
    dataset.write(tmp_path / "out")
    assert not weltigen.audit(world, tmp_path / "out")
    csv = (tmp_path / "out" / "zone.csv").read_text().replace(",7", ",1").replace(",9", ",1")
    (tmp_path / "out" / "zone.csv").write_text(csv)
    assert any("cohort high: 20% of the rows" in str(finding) for finding in weltigen.audit(world, tmp_path / "out"))
    with pytest.raises(ImpossibleError, match="of the cohort high is to refer to a zone where level > 9, but there is none"):
        weltigen.open_world(world_file(yaml.replace("LEAST", "9"), sql)).dataset().runtime.settle()
