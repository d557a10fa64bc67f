"""Full names and addresses are made from the names that a row has, whoever gave them, and still differ."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

import weltigen
from weltigen.values.pools import fold

STAFF = """CREATE TABLE staff (id integer PRIMARY KEY, first_name varchar(40) NOT NULL, last_name varchar(40) NOT NULL, full_name text NOT NULL,
email varchar(80) NOT NULL UNIQUE, login varchar(24) UNIQUE)"""
FIXED = """weltigen: 3
model: staff.sql
entities:
  staff:
    rows: 400
    fixed: [{first_name: Karin, last_name: Holm-Åke}, {full_name: Olga van der Lind}, {full_name: Ольга}, {first_name: Anna, last_name: Berg}]
    cohorts: {few: {rows: 60, fields: {last_name: {weights: {Stone: 1, Berg: 1}}}}}
"""


@pytest.mark.parametrize(
    "set_",
    ["", "last_name=Batch", "last_name=Smith", "first_name=Jo", "full_name=Jo Jones", "last_name=Bartholomewsonfieldington"],
)
def test_what_follows_from_a_person_follows_from_the_names_that_are_set(set_: str, tmp_path: Path) -> None:
    (tmp_path / "staff.sql").write_text(STAFF)
    (tmp_path / "world.yaml").write_text(FIXED)
    world = weltigen.read_model(STAFF) if set_ else weltigen.open_world(tmp_path / "world.yaml")
    field, _, value = set_.partition("=")
    dataset = world.dataset(times=20 if set_ else 1, set={f"staff.{field}": value} if set_ else {})
    staff = dataset.frame("staff")
    assert not set_ or (staff[field] == value).all()
    assert (staff.full_name == (staff.first_name + " " + staff.last_name).str.strip()).all()
    for name in ("email", "login"):
        texts = staff[name].dropna()
        assert texts.is_unique
        if "field" not in set_:  # of long names the beginning
            local = (fold_names(staff.first_name) + "." + fold_names(staff.last_name)).str.strip(".").replace("", "person")
            assert (texts.str.replace(r"\d*(@.*)?$", "", regex=True) == local[texts.index]).all()
    if not set_:
        assert staff.email[:4].str.partition("@")[0].tolist()[:3] == ["karin.holmake", "olgavander.lind", "person"]
        assert dataset.next_stage(times=2).frame("staff").email.is_unique
    assert dataset.row("staff", 7)["email"] == staff.email[7]


def fold_names(column: Any) -> Any:
    return column.map(lambda name: fold(name).replace("-", ""))
