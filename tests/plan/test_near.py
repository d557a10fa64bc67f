"""Rows that go to something near: by great circles, checked against a formula that knows no tree of points."""

from __future__ import annotations

from collections.abc import Callable
from math import asin, cos, radians, sin, sqrt
from pathlib import Path

import pytest

import weltigen

SQL = """
CREATE TABLE quay (id integer PRIMARY KEY, lat numeric(8, 5) CHECK (lat BETWEEN -60 AND 75), lon numeric(8, 5));
CREATE TABLE light (id uuid PRIMARY KEY, latitude double precision NOT NULL, longitude double precision NOT NULL);
CREATE TABLE watch (id integer PRIMARY KEY, quay_id integer NOT NULL REFERENCES quay, light_id uuid NOT NULL REFERENCES light,
  relief_quay_id integer NOT NULL REFERENCES quay, CHECK (quay_id <> relief_quay_id));
"""
YAML = """weltigen: 3
model: harbour.sql
entities:
  quay: {rows: 40, fields: {lat: {kind: latitude, present: 80%}, lon: {kind: longitude, present: "lat IS NOT NULL"}}}
  light: {rows: 300}
  watch: {rows: 800, references: {light: {near: {to: quay, of: 3}}, relief_quay: {near: quay}}}
"""


def apart(one: tuple[float, float], other: tuple[float, float]) -> float:
    """The haversine formula, on a sphere of radius 1."""
    (lat, lon), (their_lat, their_lon) = (map(radians, point) for point in (one, other))
    half = sin((their_lat - lat) / 2) ** 2 + cos(lat) * cos(their_lat) * sin((their_lon - lon) / 2) ** 2
    return 2 * asin(sqrt(min(1.0, half)))


def test_targets_are_among_the_nearest_and_rows_without_coordinates_go_anywhere(
    world_file: Callable[[str, str], Path], tmp_path: Path
) -> None:
    dataset = weltigen.open_world(world_file(YAML, SQL)).dataset()
    quays = {
        row["id"]: (float(row["lat"]), float(row["lon"])) for row in dataset.table("quay").to_pylist() if row["lat"] is not None
    }
    lights = {row["id"]: (row["latitude"], row["longitude"]) for row in dataset.table("light").to_pylist()}
    elsewhere, places = set(), set()
    for row in dataset.table("watch").to_pylist():
        assert row["quay_id"] != row["relief_quay_id"]
        if row["quay_id"] not in quays:
            elsewhere.add(row["light_id"])
            continue
        for places_there, column, few in ((lights, "light_id", 3), (quays, "relief_quay_id", 5)):
            distances = {key: apart(quays[row["quay_id"]], point) for key, point in places_there.items()}
            nearer = [key for key, far in distances.items() if far < distances[row[column]] - 1e-9 and key != row["quay_id"]]
            assert len(nearer) < few
            places.add((column, len(nearer)))
    assert len(elsewhere) > 30 and places == {("light_id", n) for n in range(3)} | {("relief_quay_id", n) for n in range(5)}
    dataset.write(tmp_path / "out")
    assert not weltigen.audit(dataset.plan.world, tmp_path / "out")
    lines = (tmp_path / "out" / "watch.csv").read_text().splitlines()
    ends = [line.split(",") for line in lines[1:]]
    for one, other in zip(ends[:40], ends[40:80], strict=True):
        one[2], other[2] = other[2], one[2]
    (tmp_path / "out" / "watch.csv").write_text("\n".join([lines[0], *map(",".join, ends)]) + "\n")
    assert [finding.kind for finding in weltigen.audit(dataset.plan.world, tmp_path / "out")] == ["near"]


@pytest.mark.parametrize(
    ("wish", "said"),
    [
        ("light: {near: pier}", "'pier' is not another reference of watch"),
        ("light: {near: {to: quay, of: 0}}", "one is chosen among one nearest row at least"),
        ("light: {near: relief_quay, weights: {a: 1}}", "cannot be kept"),
        ("quay: {near: light}, light: {near: quay}", "must differ from relief_quay"),
    ],
)
def test_what_cannot_be_near_is_told(wish: str, said: str, world_file: Callable[[str, str], Path]) -> None:
    with pytest.raises(weltigen.WeltigenError, match=said):
        weltigen.open_world(
            world_file(f"weltigen: 3\nmodel: harbour.sql\nentities:\n  watch: {{references: {{{wish}}}}}\n", SQL)
        ).dataset()
