"""Columns of texts whose names tell of moments: their rows are in order in every database, and what somebody says of them counts."""

import re
from pathlib import Path

import pytest

import weltigen

from .databases import KINDS
from .test_databases import Make, make_place

__all__ = ["make_place"]
REPAIRS = """
CREATE TABLE buoy_repair (id integer PRIMARY KEY, buoy varchar(20) NOT NULL, reported_at varchar(30) NOT NULL, started varchar(30),
    finished varchar(30), due_date varchar(12), status varchar(12) NOT NULL, CHECK (finished IS NULL OR finished >= reported_at));
CREATE TABLE buoy_visit (id integer PRIMARY KEY, repair_id integer NOT NULL REFERENCES buoy_repair(id), visited_on varchar(10));
"""
WRONG = (
    "SELECT count(*) FROM buoy_repair WHERE finished < started OR started < reported_at OR due_date < substr(reported_at, 1, 10)"
)


@pytest.mark.parametrize("kind", KINDS)
def test_texts_that_tell_of_moments_are_in_order(kind: str, make_place: Make) -> None:
    place, world = make_place(kind), weltigen.read_model(REPAIRS)
    world.dataset(rows={"buoy_repair": 300}).write(place.into)
    assert place.ask(WRONG) == [(0,)]
    assert place.ask("SELECT count(*) FROM buoy_repair WHERE finished IS NOT NULL AND started IS NOT NULL")[0][0] > 20
    [(reported, due, visited)] = place.ask(
        "SELECT min(length(reported_at)), max(length(due_date)), max(length(visited_on)) FROM buoy_repair, buoy_visit"
    )
    assert (reported, due, visited) == (19, 10, 10) and list(weltigen.audit(world, place.into)) == []
    place.ask("UPDATE buoy_repair SET reported_at = 'some day', finished = NULL WHERE id = 1", "DELETE FROM buoy_visit")
    world.beside(place.into).dataset(seed=4).write(place.into, on_rows="keep")  # whatever stands there is kept
    assert place.ask("SELECT reported_at FROM buoy_repair WHERE id = 1") == [("some day",)] and place.count("buoy_visit")


def test_a_row_in_python_holds_texts_and_a_draft_says_the_same(tmp_path: Path) -> None:
    (tmp_path / "model.sql").write_text(REPAIRS, "utf-8")
    weltigen.draft(tmp_path / "model.sql", tmp_path / "world.yaml")
    made = [weltigen.open_world(tmp_path / name).dataset().table("buoy_repair") for name in ("model.sql", "world.yaml")]
    assert made[0].equals(made[1]) and isinstance(made[0]["reported_at"][0].as_py(), str)
    row = weltigen.open_world(tmp_path / "model.sql").dataset().row("buoy_repair", 3)
    assert row["reported_at"] == made[0]["reported_at"][3].as_py()


@pytest.mark.parametrize(
    ("said", "form"),
    [
        ("fields: {due_date: {weights: {soon: 1, never: 2}}}", "soon|never"),
        ("fields: {due_date: {pattern: 'week [1-4]'}}", "week [1-4]"),
        ("fields: {due_date: {kind: username}}", "[a-z.0-9_-]+"),
        ("checks: ['length(due_date) = 4']\n    fields: {due_date: {pattern: '[A-Z]{4}'}}", "[A-Z]{4}"),
        ("fixed: [{id: 1, due_date: soon}]\n    rows: 9\n    fields: {due_date: {kind: {code: {}}}}", "soon|.+"),
    ],
)
def test_what_somebody_says_of_such_a_text_counts(said: str, form: str, tmp_path: Path) -> None:
    (tmp_path / "model.sql").write_text(REPAIRS, "utf-8")
    (tmp_path / "world.yaml").write_text(f"weltigen: 3\nmodel: model.sql\nentities:\n  buoy_repair:\n    {said}\n", "utf-8")
    world = weltigen.open_world(tmp_path / "world.yaml")
    due = world.dataset().table("buoy_repair")["due_date"].drop_null()
    assert len(due) and all(re.fullmatch(form, text) for text in due.to_pylist())
