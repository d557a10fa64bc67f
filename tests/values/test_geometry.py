"""Points, lines and areas: shapely judges that they are what they say and cross nowhere."""

from __future__ import annotations

import json

import pytest
import shapely

import weltigen

ZONES = """CREATE TABLE zone (id integer PRIMARY KEY, city varchar(60) NOT NULL, latitude double precision NOT NULL,
longitude double precision NOT NULL, boundary jsonb NOT NULL, outline_wkt text NOT NULL, route geojson_text NOT NULL,
track_wkt text NOT NULL, geom text NOT NULL UNIQUE, point_geojson varchar(80) NOT NULL);""".replace("geojson_text", "jsonb")
LANGUAGES = ("en-GB", "ja-JP", "pt-BR")


@pytest.mark.parametrize("language", LANGUAGES)
def test_nothing_crosses_itself_and_all_lie_near_the_town_of_their_row(language: str, tmp_path) -> None:
    (tmp_path / "zone.sql").write_text(ZONES)
    (tmp_path / "world.yaml").write_text(
        f"weltigen: 3\nmodel: zone.sql\nlanguage: {language}\nentities: {{zone: {{rows: 3000}}}}"
    )
    dataset = weltigen.open_world(tmp_path / "world.yaml").dataset()
    rows = dataset.frame("zone")
    read = {"boundary": shapely.from_geojson, "route": shapely.from_geojson, "point_geojson": shapely.from_geojson}
    sorts = {"boundary": "Polygon", "outline_wkt": "Polygon", "route": "LineString", "track_wkt": "LineString", "geom": "Point",
             "point_geojson": "Point"}  # fmt: skip
    for name, sort in sorts.items():
        texts = [text if isinstance(text, str) else json.dumps(text) for text in rows[name]]
        shapes = read.get(name, shapely.from_wkt)(texts)
        assert {shape.geom_type for shape in shapes} == {sort}, name
        assert shapely.is_valid(shapes).all() and shapely.is_simple(shapes).all(), name
        assert sort != "Polygon" or (shapely.area(shapes) > 0).all()
        near = [(shape.centroid.x, shape.centroid.y) for shape in shapes]
        if name != "geom":  # whose values differ, so that towns do not agree
            assert (
                max(
                    abs(x - east) + abs(y - north)
                    for (x, y), east, north in zip(near, rows["longitude"], rows["latitude"], strict=True)
                )
                < 0.2
            )
        assert len(set(texts)) > 2900
    assert rows["geom"].is_unique and dataset.row("zone", 41)["outline_wkt"] == rows["outline_wkt"][41]
