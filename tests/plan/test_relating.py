"""What references are asked to do: agree on an ancestor, go to some rows only, make trees and chains, come in given numbers."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import weltigen

from ..guild import SQL, YAML

Frames = dict[str, pd.DataFrame]


def opened(folder: Path, yaml: str = YAML, sql: str = SQL) -> weltigen.World:
    (folder / "guild.sql").write_text(sql)
    (folder / "guild.yaml").write_text(yaml)
    return weltigen.open_world(folder / "guild.yaml")


@pytest.fixture(scope="module")
def dataset(tmp_path_factory: pytest.TempPathFactory) -> weltigen.Dataset:
    return opened(tmp_path_factory.mktemp("guild")).dataset()


@pytest.fixture(scope="module")
def frames(dataset: weltigen.Dataset) -> Frames:
    return {name: dataset.frame(name) for name in dataset.counts}


def test_every_way_from_a_row_ends_in_the_same_guild(frames: Frames) -> None:
    hall, keeper = (frames[name].set_index(f"{name}_id").guild_id for name in ("hall", "keeper"))
    for entity, columns in (("duty", ("keeper_id", "deputy_id")), ("key_of", ("keeper_id",)), ("feast", ("host_id",))):
        for column in columns:
            there = frames[entity][frames[entity][column].notna()]
            assert (there.hall_id.map(hall) == there[column].map(keeper)).all(), (entity, column)
    for column in ("mentor_id", "successor_id"):
        there = frames["keeper"][frames["keeper"][column].notna()]
        assert len(there) > 50 and (there[column].map(keeper) == there.guild_id).all()
    with_speaker = frames["guild"][frames["guild"].speaker_id.notna()]
    assert (with_speaker.speaker_id.map(keeper) == with_speaker.guild_id).all() and len(with_speaker) > 5
    assert set(frames["guild"].guild_id) - set(hall), "a guild without halls is a guild all the same"


def test_each_pair_comes_once_up_to_all_that_there_are(tmp_path: Path) -> None:
    world = opened(tmp_path)
    hall, keeper = (world.dataset().frame(name).guild_id.value_counts() for name in ("hall", "keeper"))
    pairs = int((hall * keeper).sum())
    full = world.dataset(rows={"key_of": pairs}).frame("key_of")
    assert len(full) == pairs and not full.duplicated().any()
    with pytest.raises(weltigen.WeltigenError, match=f"has only {pairs:,} places of the same guild for {pairs + 1:,} rows"):
        world.dataset(rows={"key_of": pairs + 1}).write(tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_an_owner_gets_no_more_rows_than_agree_with_it(tmp_path: Path) -> None:
    for_each = YAML.replace("key_of: {rows: 45}", "key_of: {rows: {per: keeper, mean: 4, least: 0, most: 9}}")
    dataset = opened(tmp_path, for_each).dataset()
    held, there = dataset.frame("key_of").keeper_id.value_counts(), dataset.frame("hall").guild_id.value_counts()
    room = dataset.frame("keeper").set_index("keeper_id").guild_id.map(there).fillna(0)
    assert (held <= room.reindex(held.index)).all() and (held == room.reindex(held.index)).any()
    combined = opened(tmp_path, YAML.replace("key_of: {rows: 45}", "key_of: {rows: {per: [keeper, hall]}}")).dataset()
    assert combined.counts["key_of"] == room.sum() and not combined.frame("key_of").duplicated().any()


def test_only_rows_that_keep_a_condition_are_referred_to_and_enough_of_them_are_made(frames: Frames) -> None:
    hall = frames["hall"].set_index("hall_id")
    on_duty = hall.loc[frames["duty"].hall_id.unique()]
    assert (on_duty.state != "lost").all() and on_duty.opened_on.notna().all() and len(on_duty) > 3
    assert set(frames["feast"].hall_state) == {
        "open"
    }  # by a check on the reference's own columns; the weight of open is next to none
    assert (hall.loc[frames["feast"].hall_id].state == "open").all()


def test_trees_chains_and_siblings_have_the_form_that_was_asked_for(frames: Frames) -> None:
    piece, guild = frames["piece"], frames["hall"].set_index("hall_id").guild_id
    above = dict(zip(piece.piece_id, piece.whole_id, strict=True))
    levels = {}
    for row in piece.piece_id:  # parents come first
        levels[row] = 1 if pd.isna(above[row]) else levels[above[row]] + 1
    assert max(levels.values()) == 4 and piece.whole_id.value_counts().max() <= 9
    groups = piece.assign(guild=piece.hall_id.map(guild)).groupby("guild")
    assert all(group.whole_id.isna().sum() == min(2, len(group)) for _, group in groups)
    linked = piece[piece.beside_id.notna()]
    assert (linked.beside_id < linked.piece_id).all() and len(linked) > 200
    keeper = frames["keeper"]
    assert (
        keeper.successor_id.dropna() < keeper.keeper_id[keeper.successor_id.notna()]
    ).all() and keeper.successor_id.dropna().is_unique


def test_rows_come_by_the_hour_for_each_combination_by_weight_and_so_many_for_each(frames: Frames) -> None:
    gauge = frames["gauge"].groupby("hall_id")["at"]
    assert (gauge.count() == 124).all() and (gauge.diff().dropna() == pd.Timedelta(hours=6)).all()
    assert len(frames["allowance"]) == 90 and not frames["allowance"].duplicated(["hall_id", "grade_id"]).any()
    shares = frames["piece"].grade_id.value_counts(normalize=True)
    assert shares[1] == pytest.approx(0.7, abs=0.08) and set(shares.index) == {1, 2, 5}
    assert frames["feast"].sponsor_id.notna().sum() + frames["feast"].host_id.notna().sum() == 40


def test_one_row_alone_is_the_same_and_finds_both_its_ends(dataset: weltigen.Dataset, frames: Frames) -> None:
    for name, frame in frames.items():
        for ordinal in range(0, len(frame), max(1, len(frame) // 5)):
            row = dataset.row(name, ordinal)
            whole = dataset.page(name, ordinal, 1).to_pylist()[0]
            assert dict(row) == whole and str(whole) == str(dataset.table(name).slice(ordinal, 1).to_pylist()[0])
            for relation in dataset.plan.world.entity(name).relations:
                parent = row.parent(relation.name)
                assert parent is None or ordinal in parent.child_ordinals(name, relation.name)


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("same: [guild]", "same: [gild]", "same: no entity 'gild'"),
        ("same: [guild]", "same: [gauge]", "no entity leads to gauge in more than one way"),
        ("hall: {where", "hall: {same: [grade], where", "no other reference of duty leads to grade"),
        ("hall: {where", "hall: {same: [keeper.mentor.day], where", "'keeper.mentor.day' names no way from duty"),
        ("hall: {where", "hall: {same: [keeper = hall], where", "keeper ends in keeper, but hall in hall"),
        ("hall: {where", 'hall: {wher: "x = 1", where', "no key is called 'wher' here"),
        ("state <> 'lost'", "stat <> 'lost'", "hall has no field 'stat'"),
        ("state <> 'lost'", "state = 'lost' AND state <> 'lost'", "duty.hall_id is to refer to a hall where"),
        ("every: 6 hours", "every: 6 moons", "'6 moons' is not a span"),
        ("every: 6 hours", "every: 6 hours, each: 3", "`every` says how many rows there are: it cannot be combined with each"),
        ("per: [hall, grade]", "per: [hall]", "a combination needs two different references"),
        ("per: [hall, grade]", "per: [hall, great]", "allowance does not refer to 'great'"),
        ("{1: 70, 2: 20, 5: 10}", "{1: 70, 3: 20}", "piece.grade_id: grade has no fixed row with the key 3"),
        ("roots: 2, depth: 4, most: 9", "roots: 2, depth: 2, most: 3", "roots with at most 3 children for each row make 8 rows in 2 levels"),
        ("roots: 2, depth: 4, most: 9", "roots: 0", "0 roots: a tree has one at least"),
        ("key_of: {rows: 45}", "key_of: {rows: {per: keeper, each: 3}}", "have no room for 3 rows"),
        ("{least: 2, most: 30}", "{least: 2, most: 3}", "make 6 to 9"),
        ("{least: 2, most: 30}", "{mean: 2}", "2 for each grade makes 6 rows, but there are 40: 13.3 on average would agree"),
        ("{least: 2, most: 30}", "{none: 140%}", "a share lies between 0 and 1"),
        ("  keeper: {rows: 100}", "  keeper: {rows: 100, references: {guild: {tree: {roots: 1}}}}", "a tree refers to itself"),
        ("grade: {weights", "hall: {rows: {most: 99}, where: \"state = 'open'\"}\n      grade: {weights", "`rows` cannot be kept"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told_before_anything_is_written(
    tmp_path: Path, run: Callable[..., Any], old: str, new: str, said: str
) -> None:
    assert old in YAML
    (tmp_path / "guild.sql").write_text(SQL)
    (tmp_path / "guild.yaml").write_text(YAML.replace(old, new))
    done = run("fill", tmp_path / "guild.yaml", "--into", tmp_path / "out")
    assert said in done.err and done.code in (2, 4) and "guild.yaml:" in done.err
    assert not (tmp_path / "out").exists()


def test_the_table_of_both_ends_and_the_order_of_deletes_are_shown(tmp_path: Path, run: Callable[..., Any]) -> None:
    world = opened(tmp_path, YAML.replace("hall: {rows: 30,", "hall: {rows: 30, label: name,"))
    world.dataset().write(tmp_path / "guild.sqlite")
    ordinal = next(o for o in range(100) if world.dataset().row("keeper", o).children("key_of"))
    ends = [row.parent("hall")["name"] for row in world.dataset().row("keeper", ordinal).children("key_of")]  # type: ignore[index]
    for where in (tmp_path / "guild.yaml", tmp_path / "guild.sqlite"):
        line = next(
            line for line in run("peek", where, f"keeper/{ordinal}").out.splitlines() if line.startswith("by key_of to hall")
        )
        assert set(line.removeprefix("by key_of to hall: ").split(" · ")) == set(ends)
    told = run("explain", tmp_path / "guild.yaml").out
    assert "from last to first" in told and "set guild.speaker_id null first" in told


def test_draft_proposes_what_every_way_should_share(tmp_path: Path, run: Callable[..., Any]) -> None:
    (tmp_path / "guild.sql").write_text(SQL)
    run("draft", tmp_path / "guild.sql", "-o", tmp_path / "drafted.yaml")
    drafted = (tmp_path / "drafted.yaml").read_text()
    assert "# same: [guild]   # ? 6 entities lead to guild in more than one way" in drafted
    kept = opened(tmp_path, drafted.replace("# same:", "same:"))
    keeper, hall = (kept.dataset().frame(name).set_index(f"{name}_id").guild_id for name in ("keeper", "hall"))
    duty = kept.dataset().frame("duty")
    assert (duty.hall_id.map(hall) == duty.keeper_id.map(keeper)).all()


def test_a_link_has_favourites_at_both_ends_though_each_pair_comes_once() -> None:
    world = weltigen.read_model(
        "CREATE TABLE sail (sail_id integer PRIMARY KEY, n integer, m integer); CREATE TABLE mast (mast_id integer PRIMARY KEY, n integer, m integer);"
        "CREATE TABLE rig (sail_id integer NOT NULL REFERENCES sail, mast_id integer NOT NULL REFERENCES mast, PRIMARY KEY (sail_id, mast_id));"
    )
    for rows, share in ((4_000, 0.4), (100 * 300, 0.2)):
        rig = world.dataset(rows={"sail": 300, "mast": 100, "rig": rows}).frame("rig")
        assert len(rig) == rows and not rig.duplicated().any()
        for column, targets in (("sail_id", 300), ("mast_id", 100)):
            assert rig[column].value_counts().head(targets // 5).sum() / rows >= share * 0.99, (rows, column)


def test_rules_hold_for_rows_of_which_a_part_is_given(tmp_path: Path) -> None:
    given = YAML.replace(
        "keeper: {rows: 100}", "keeper: {rows: 100, fixed: [{keeper_id: 900, mentor_id: 901}, {keeper_id: 901}]}"
    )
    sql = (
        SQL
        + "CREATE TABLE vow (vow_id integer PRIMARY KEY, sworn_on date NOT NULL, broken_on date, CHECK (broken_on > sworn_on));\n"
    )
    world = opened(tmp_path, given + "  vow: {rows: 5, fixed: [{broken_on: 2025-01-20}, {sworn_on: 2025-01-25}]}\n", sql)
    vow = world.dataset().frame("vow")
    assert len(vow) == 7 and (vow.sworn_on < vow.broken_on)[vow.broken_on.notna()].all()
    assert world.dataset().row("keeper", 0)["mentor_id"] == 901
