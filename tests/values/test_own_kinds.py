"""Kinds of value that users bring: functions in Python, lists and files; a broken one is told by its name."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen
from weltigen.values.own_kinds import from_package, installed

MARKS = """
import numpy as np, pyarrow as pa, weltigen

@weltigen.kind(space=100_000, types=("text", "varchar"), summary="The mark on a buoy")
def mark(positions, prefix="B"):
    return [f"{prefix}{p:05d}" for p in positions.tolist()]

def buoy(positions):
    at = pa.array((positions % np.uint64(3)).astype(np.int64))
    names = ("light", pa.array(["Fl R", "Fl G", "Q W"])), ("colour", pa.array(["red", "green", "white"]))
    return pa.StructArray.from_arrays([pool.take(at) for _, pool in names], [name for name, _ in names])

def depth(positions): return (positions % np.uint64(400)).astype(np.float64) / 10
def later(positions): return ["x" if len(positions) != 2000 else 1 / 0 for p in positions.tolist()]
def broken(positions): raise ValueError("the lamp is out")
def short(positions): return ["x"]
def texts(positions): return ["deep"] * len(positions)
@weltigen.kind(space=9_000)
def twice(positions): return [str(p // 2) for p in positions.tolist()]
word = "no function"
"""
WORLD = """
weltigen: 3
kinds:
  buoy-mark: marks.py:mark
  buoy: marks.py:buoy
  sounding: marks.py:depth
  master: masters.csv
  sea-state: {weights: {calm: 6, rough: 3, storm: 1}}
entities:
  buoy:
    rows: 2000
    key: [mark]
    fields:
      mark: {type: varchar(12), kind: {buoy-mark: {prefix: X}}, null: false}
      light: {type: varchar(10), kind: {buoy: {part: light}}, null: false}
      colour: {type: varchar(10), kind: {buoy: {part: colour}}, null: false}
      depth: {type: "numeric(6,1)", kind: sounding, null: false}
      master: {type: varchar(20), kind: master, null: false}
      sea: {type: text, kind: sea-state, null: false}
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "marks.py").write_text(MARKS)
    (tmp_path / "masters.csv").write_text("name,weight\nAda Tarn,9\nOle Sund,1\n")
    (tmp_path / "world.yaml").write_text(WORLD)
    return tmp_path


def test_functions_lists_and_files_fill_fields_and_a_later_stage_goes_on(folder: Path) -> None:
    dataset = weltigen.open_world(folder / "world.yaml").dataset()
    made = dataset.frame("buoy")
    assert made["mark"].is_unique and made["mark"].str.fullmatch("X[0-9]{5}").all()
    pairs = set(zip(made["light"], made["colour"], strict=True))
    assert pairs == {("Fl R", "red"), ("Fl G", "green"), ("Q W", "white")}  # of one row
    assert 0.85 < (made["master"] == "Ada Tarn").mean() < 0.95 and set(made["sea"]) == {"calm", "rough", "storm"}
    assert made["depth"].between(0, 40).all() and dataset.row("buoy", 7)["mark"] == made["mark"][7]
    dataset.write(folder / "out")
    again = weltigen.open_run(folder / "out")
    again.next_stage(rows={"buoy": 50}).write(folder / "out", on_rows="append")
    marks = weltigen.open_run(folder / "out").table("buoy")["mark"].to_pylist()
    assert len(set(marks)) == 2050 and marks[:2000] == made["mark"].tolist()
    assert not list(weltigen.audit(again.plan.world, folder / "out"))


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (("marks.py:mark", "marks.py:broken"), "kind 'buoy-mark' (marks.py:broken) has no parameter"),
        (("{buoy-mark: {prefix: X}}", "{buoy: {part: lamp}}"), "has the parts light, colour: say one of them"),
        (("marks.py:depth", "marks.py:broken"), "kind 'sounding' (marks.py:broken) failed: ValueError: the lamp is out"),
        (("marks.py:depth", "marks.py:short"), "kind 'sounding' (marks.py:short) gave 1 values for 2,048 positions"),
        (("marks.py:depth", "marks.py:texts"), "kind 'sounding' (marks.py:texts) gives what is no decimal"),
        (("marks.py:depth", "marks.py:word"), "is str, and no function of positions"),
        (("marks.py:depth", "marks.py:dept"), "marks.py has no 'dept'"),
        (("marks.py:depth", "gone.py:depth"), "gone.py cannot be read: no such file"),
        (("marks.py:depth", "depth"), "'depth' names no function"),
        (("{buoy-mark: {prefix: X}}", "{buoy: {part: light}}"), "does not say how many different values it has"),
        (("masters.csv", "nobody.csv"), "kind 'master': nobody.csv cannot be read"),
        (("{weights: {calm: 6, rough: 3, storm: 1}}", "{values: []}"), "kind 'sea-state' has no value that can be drawn"),
        (("sea-state: {w", "email: {w"), "no kind of value is called 'sea-state'"),
        (("buoy-mark: marks", "email: marks"), "there is a kind 'email' already"),
    ],
)
def test_a_broken_kind_is_told_by_its_name_with_the_place(folder: Path, change: tuple[str, str], told: str) -> None:
    (folder / "world.yaml").write_text(WORLD.replace(*change))
    with pytest.raises(weltigen.WeltigenError) as raised:
        weltigen.open_world(folder / "world.yaml").dataset()
    assert told.replace(" (marks.py:broken) has", " has") in str(raised.value).replace("kind buoy-mark", "kind 'buoy-mark'")
    assert "world.yaml:" in str(raised.value)


def test_values_that_are_no_different_ones_and_a_failure_while_rows_are_made_are_told(folder: Path) -> None:
    (folder / "world.yaml").write_text(
        WORLD.replace("marks.py:mark", "marks.py:twice").replace("{buoy-mark: {prefix: X}}", "buoy-mark")
    )
    with pytest.raises(weltigen.WeltigenError, match="gives a value twice, though it says that all of its 9,000 differ"):
        weltigen.open_world(folder / "world.yaml").dataset()
    (folder / "world.yaml").write_text(
        WORLD.replace("marks.py:mark", "marks.py:later")
        .replace("{buoy-mark: {prefix: X}}", "buoy-mark")
        .replace("    key: [mark]\n", "")
    )
    dataset = weltigen.open_world(folder / "world.yaml").dataset()
    with pytest.raises(weltigen.WeltigenError, match=r"kind 'buoy-mark' \(marks.py:later\) failed: ZeroDivisionError"):
        dataset.write(folder / "out")
    assert not (folder / "out").exists()


def test_an_installed_package_brings_kinds(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "lightkinds.py").write_text("def lamp(positions):\n    \"A lamp.\"\n    return ['lamp'] * len(positions)\n")
    (info := tmp_path / "lightkinds-1.dist-info").mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: lightkinds\nVersion: 1\n")
    (info / "entry_points.txt").write_text("[weltigen.kinds]\nlamp-name = lightkinds:lamp\nlamp-gone = lightkinds:gone\n")
    monkeypatch.syspath_prepend(tmp_path)
    installed.cache_clear()
    from_package.cache_clear()
    world = "weltigen: 3\nentities: {{light: {{rows: 5, fields: {{name: {{type: text, kind: {}, null: false}}}}}}}}"
    (tmp_path / "w.yaml").write_text(world.format("lamp-name"))
    made = weltigen.open_world(tmp_path / "w.yaml").dataset().table("light")["name"].to_pylist()
    (tmp_path / "w.yaml").write_text(world.format("lamp-gone"))
    with pytest.raises(weltigen.WeltigenError, match=r"kind 'lamp-gone' \(lightkinds:gone\) cannot be loaded: AttributeError"):
        weltigen.open_world(tmp_path / "w.yaml")
    monkeypatch.undo()
    installed.cache_clear()
    from_package.cache_clear()
    assert made == ["lamp"] * 5
