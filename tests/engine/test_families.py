"""Entities made together: owners, and those of which each of their rows owns a few."""

from __future__ import annotations

from pathlib import Path

import pyarrow as pa
import pytest

import weltigen
from weltigen.engine import families, made
from weltigen.model.problems import UsageError
from weltigen.rows import Rows

# a net belongs to a boat, and its sum to the boat; a haul refers to a weigher, who comes later; of knots there are too many
FLEET = """
CREATE TABLE boat (boat_id integer PRIMARY KEY, name text NOT NULL, area_m2 numeric(12, 2) NOT NULL);
CREATE TABLE net (net_id integer PRIMARY KEY, boat_id integer NOT NULL REFERENCES boat, area_m2 numeric(8, 2) NOT NULL
                  CHECK (area_m2 BETWEEN 1 AND 90), boat_name text NOT NULL);
CREATE TABLE patch (patch_id integer PRIMARY KEY, net_id integer NOT NULL REFERENCES net, sewn_on date NOT NULL);
CREATE TABLE knot (knot_id integer PRIMARY KEY, net_id integer NOT NULL REFERENCES net);
CREATE TABLE weigher (weigher_id integer PRIMARY KEY);
CREATE TABLE haul (haul_id integer PRIMARY KEY, boat_id integer NOT NULL REFERENCES boat, weigher_id integer NOT NULL REFERENCES weigher);
"""
WORLD = """
weltigen: 3
model: fleet.sql
entities:
  boat: {rows: 900, fields: {area_m2: {compute: "coalesce(sum(net.area_m2), 0)"}}}
  net: {rows: {per: boat, mean: 2, most: 5}, fields: {boat_name: {compute: boat.name}}}
  patch: {rows: {per: net, mean: 0.5, most: 3}}
  knot: {rows: {per: net, each: 40}}
  haul: {rows: {per: boat, each: 1}}
"""


@pytest.fixture
def fleet(tmp_path: Path) -> weltigen.Dataset:
    (tmp_path / "fleet.sql").write_text(FLEET)
    (tmp_path / "world.yaml").write_text(WORLD)
    return weltigen.open_world(tmp_path / "world.yaml").dataset()


def test_a_family_holds_what_is_owned_unless_it_is_much_or_refers_to_something_later(fleet: weltigen.Dataset) -> None:
    assert [family.names for family in families(fleet.plan)] == [("boat", "net", "patch"), ("knot",), ("weigher",), ("haul",)]


@pytest.mark.parametrize(("size", "workers"), [(64, 1), (100, 2), (65_536, 2)])
def test_what_is_made_together_is_what_is_made_alone(fleet: weltigen.Dataset, size: int, workers: int) -> None:
    rows: dict[str, list[pa.RecordBatch]] = {name: [] for name in fleet.counts}
    seen: list[str] = []
    for name, batch in fleet.all_batches(size=size, workers=workers):
        rows[name].append(batch)
        seen.append(name)
    for name, batches in rows.items():
        assert pa.Table.from_batches(batches).equals(fleet.table(name))
        assert all(batch.num_rows == size for batch in batches[:-1])
    assert (seen.index("net") < len(seen) - 1 - seen[::-1].index("boat")) == (size < 900)  # nets are there before the last boats


def test_what_a_sum_has_read_is_not_made_again(fleet: weltigen.Dataset, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[tuple[str, int]] = []
    column = Rows.column

    def watched(rows: Rows, field: str) -> object:
        if (rows.name, field) == ("net", "area_m2") and field not in rows._made:
            asked.append((field, len(rows)))
        return column(rows, field)

    monkeypatch.setattr(Rows, "column", watched)
    (family, *_) = families(fleet.plan)
    assert sum(rows for _, rows in made(fleet.runtime, family, lambda _, batch: batch.num_rows)) > 900
    assert sum(rows for _, rows in asked) == fleet.counts["net"]


def test_a_size_or_a_number_of_workers_of_nothing_is_refused(fleet: weltigen.Dataset) -> None:
    for asked in ({"size": 0}, {"workers": 0}):
        with pytest.raises(UsageError, match="at least 1"):
            fleet.all_batches(**asked)
