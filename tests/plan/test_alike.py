"""References to rows that have what the row itself has: by a condition that speaks of the row, or by a check."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen

SQL = """
CREATE TABLE animal (id integer PRIMARY KEY, species varchar(20) NOT NULL, mother_id integer REFERENCES animal);
CREATE TABLE quay (id integer PRIMARY KEY, kind varchar(10) NOT NULL CHECK (kind IN ('ro', 'px', 'pb')), name text NOT NULL);
CREATE TABLE boat (id integer PRIMARY KEY, sort varchar(10) NOT NULL CHECK (sort IN ('ro', 'px', 'pb')), quay_id integer NOT NULL REFERENCES quay,
    twin_id integer REFERENCES quay);
"""
YAML = """weltigen: 3
model: model.sql
entities:
  animal:
    rows: 5000
    fields: {species: {weights: {cat: 5, dog: 4, seal: 1, yak: 0.02}}}
    checks: ["mother.species = species"]
  boat: {rows: 60, references: {quay: {where: "kind = row.sort AND name <> 'Nowhere'"}, twin: {where: "row.sort = kind"}}}
"""


def opened(folder: Path, yaml: str) -> weltigen.World:
    (folder / "model.sql").write_text(SQL)
    (folder / "world.yaml").write_text(yaml)
    return weltigen.open_world(folder / "world.yaml")


@pytest.mark.parametrize("times", [0.05, 1, 8])
def test_references_go_to_rows_that_have_what_the_row_has(times: float, tmp_path: Path) -> None:
    world = opened(tmp_path, YAML)
    dataset = world.dataset(times=times)
    animal, quay, boat = (dataset.frame(name) for name in ("animal", "quay", "boat"))
    there = animal[animal.mother_id.notna()]
    assert len(there) > 0.8 * len(animal)
    assert (there.mother_id.map(animal.set_index("id").species) == there.species).all() and (there.mother_id < there.id).all()
    kinds = quay.set_index("id").kind
    assert (boat.quay_id.map(kinds) == boat["sort"]).all() and (
        boat.twin_id.dropna().map(kinds) == boat["sort"][boat.twin_id.notna()]
    ).all()
    dataset.write(tmp_path / "out.sqlite")
    assert not list(weltigen.audit(world, tmp_path / "out.sqlite"))


def test_a_row_that_finds_none_and_a_comparison_that_nothing_keeps_are_told(tmp_path: Path) -> None:
    few = YAML.replace("boat: {", "boat: {fields: {sort: {const: pb}}, ") + "  quay: {fixed: [{id: 1, kind: ro}], rows: 0}\n"
    with pytest.raises(weltigen.WeltigenError, match="must refer to a quay whose kind is the row's sort, but 60 of 60 have none"):
        opened(tmp_path, few).dataset().table("boat")
    with pytest.raises(weltigen.WeltigenError, match=r"write FIELD = row\.FIELD"):
        opened(tmp_path, YAML.replace("kind = row.sort AND", "kind < row.sort AND"))
