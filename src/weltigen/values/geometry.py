"""Points, lines and areas in the neighbourhood of towns, as texts of two standards.

An area's corners stand in the order of their directions from a point within it, a line goes on in one direction: neither crosses
itself. All is whole hundred-thousandths of a degree, about a metre, and the same on every machine.
"""

from __future__ import annotations

from functools import lru_cache
from math import cos, pi, sin
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..model.types import TEXTS, TypeName
from ..randomness import Key, Words
from ..randomness.mixing import mix
from .atlas import atlas_of
from .pools import join, taker, text_pool
from .registry import KindError, Request, Values, declare
from .shapes import mixed

_SHAPES, _FORMS = ("point", "line", "polygon"), ("wkt", "geojson")
_KEY = Key(0x3C6EF372FE94F82B, 0xA54FF53A5F1D36F1)
_VARIANTS = np.uint64(1 << 16)  # of each town
_DEGREE = 100_000
_ROUND = 24  # directions
_DIRECTIONS = np.array([[round(f(2 * pi * at / _ROUND) * 1_000) for f in (cos, sin)] for at in range(_ROUND)], np.int64)
_CORNERS, _STOPS = 6, 5
_LONGEST = {("point", "wkt"): 30, ("line", "wkt"): 130, ("polygon", "wkt"): 180,
            ("point", "geojson"): 60, ("line", "geojson"): 170, ("polygon", "geojson"): 220}  # fmt: skip


@declare(
    "geometry", "A point, a line or an area near the row's town, as WKT or as GeoJSON; none crosses itself.",
    suits=TEXTS | {TypeName.JSON}, standard="OGC 06-103r4, RFC 7946", parameters=("shape", "form", "row", "country"), row="place",
)  # fmt: skip
def geometry(request: Request) -> Values:
    shape = request.parameters.get("shape", "point")
    form = request.parameters.get("form", "geojson" if request.type.name is TypeName.JSON else "wkt")
    for said, known in ((shape, _SHAPES), (form, _FORMS)):
        if said not in known:
            raise KindError(f"'{said}' is none of {', '.join(known)}")
    if request.type.name is TypeName.JSON and form != "geojson":
        raise KindError("JSON holds no WKT: form: geojson")
    if not request.fits(_LONGEST[shape, form]):
        raise KindError(f"a {shape} takes {_LONGEST[shape, form]} characters")
    places = atlas_of(request)
    north, east = (
        np.round(getattr(places.towns, name)[places.index] * _DEGREE).astype(np.int64) for name in ("latitude", "longitude")
    )

    def decode(positions: Words) -> Any:
        town = (positions // _VARIANTS).astype(np.int64)
        at = np.stack([east[town], north[town]], axis=1)
        return _written(_POINTS[shape](at, mix(_KEY, positions)), shape, form)

    def draw(words: Words) -> Words:
        return places.draw(words) * _VARIANTS + mixed(words) % _VARIANTS

    return Values(space=len(north) * int(_VARIANTS), decode=decode, draw=draw)


Coordinates = NDArray[np.int64]  # rows by points by east and north


def _shifted(at: Coordinates, words: Words) -> Coordinates:
    """A point up to two hundredths of a degree away."""
    shift = np.stack([(words >> np.uint64(bits)) % np.uint64(4_001) for bits in (0, 13)], axis=1).astype(np.int64) - 2_000
    return np.asarray(at + shift)


def _point(at: Coordinates, words: Words) -> Coordinates:
    return _shifted(at, words)[:, None, :]


def _line(at: Coordinates, words: Words) -> Coordinates:
    """Stops that go on in one direction, a little to the left or the right of it."""
    ahead = (words >> np.uint64(26)) % np.uint64(_ROUND)
    along, aside = (
        _DIRECTIONS[ahead.astype(np.int64)],
        _DIRECTIONS[((ahead + np.uint64(_ROUND // 4)) % np.uint64(_ROUND)).astype(np.int64)],
    )
    out = [_shifted(at, words)]
    for stop in range(1, _STOPS):
        part = (mixed(words + np.uint64(stop)) >> np.uint64(7)).astype(np.int64) & 0x3FF
        out.append(out[-1] + along * (150 + part[:, None] // 8) // 1_000 + aside * (part[:, None] % 100 - 50) // 1_000)
    return np.stack(out, axis=1)


def _polygon(at: Coordinates, words: Words) -> Coordinates:
    """Corners around a point, each in its own sixth of the directions; the first is the last."""
    middle, out = _shifted(at, words), []
    size = 100 + ((words >> np.uint64(40)) % np.uint64(900)).astype(np.int64)
    for corner in range(_CORNERS):
        part = mixed(words + np.uint64(corner + 1))
        ahead = corner * (_ROUND // _CORNERS) + (part % np.uint64(_ROUND // _CORNERS - 1)).astype(np.int64)
        far = size * (600 + (part >> np.uint64(9)) % np.uint64(400)).astype(np.int64) // 1_000
        out.append(middle + _DIRECTIONS[ahead] * far[:, None] // 1_000)
    return np.stack([*out, out[0]], axis=1)


_POINTS = {"point": _point, "line": _line, "polygon": _polygon}
_AROUND = {
    ("point", "wkt"): ("POINT(", ")"), ("line", "wkt"): ("LINESTRING(", ")"), ("polygon", "wkt"): ("POLYGON((", "))"),
    ("point", "geojson"): ('{"type": "Point", "coordinates": ', "}"),
    ("line", "geojson"): ('{"type": "LineString", "coordinates": [', "]}"),
    ("polygon", "geojson"): ('{"type": "Polygon", "coordinates": [[', "]]}"),
}  # fmt: skip


def _written(points: Coordinates, shape: str, form: str) -> Any:
    begin, end = _AROUND[shape, form]
    before, between, after = ("", " ", "") if form == "wkt" else ("[", ", ", "]")
    parts: list[Any] = []
    for place in range(points.shape[1]):
        east, north = (_degrees(points[:, place, axis]) for axis in (0, 1))
        parts += [", " if place else "", before, east, between, north, after]
    return join(begin, *parts, end)


@lru_cache(maxsize=1)
def _pieces() -> tuple[Any, Any]:
    """Whole degrees with their sign, from -199 on, and hundred-thousandths."""
    whole = (f"{'-' if at < 200 else ''}{at - 200 if at >= 200 else 199 - at}." for at in range(400))
    return taker(text_pool(whole)), taker(text_pool(f"{at:05}" for at in range(_DEGREE)))


def _degrees(units: NDArray[np.int64]) -> Any:
    """Degrees with five decimals."""
    whole, parts = _pieces()
    size = np.abs(units)
    degrees = size // _DEGREE
    return join(whole(np.where(units < 0, 199 - degrees, 200 + degrees)), parts(size % _DEGREE))
