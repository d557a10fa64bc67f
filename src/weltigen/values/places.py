"""Kinds of places: all that is said of one place in a row is read off one town. Streets and codes are made up."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..model.types import NUMBERS
from ..randomness import Words
from .atlas import (
    HOME,
    Atlas,
    Towns,
    atlas_of,
    codes_of_regions,
    countries,
    every_town,
    made_up,
    regions,
    regions_of,
)
from .axis import axis_of
from .pools import taker, text_pool, told_apart
from .quantities import degrees
from .registry import KindError, Request, Values, declare
from .shapes import mixed
from .vocabulary import listed


def _of_towns(request: Request, texts: Callable[[Atlas], list[str]], spare: Callable[[], list[str]] | None = None) -> Values:
    """Texts read off the row's town; where values must differ, each text once."""
    places = atlas_of(request)
    every = texts(places)
    longest = request.room
    if request.differ or (longest is not None and max(map(len, every)) > longest):
        apart = told_apart([*every, *(spare() if spare is not None else [])])
        listed = [text for text in apart if request.fits(len(text))]
        if not listed:
            raise KindError(f"none has at most {request.room} characters")
        return Values(space=len(listed), decode=taker(text_pool(listed)), distinct_folded=True)
    return Values(space=len(every), decode=taker(text_pool(every)), draw=places.draw)


of_place = partial(declare, parameters=("row", "country"), row="place")  # all kinds of one place in a row agree


@of_place("town", "A real town; all fields of one place in a row agree.", standard="GeoNames")
def town(request: Request) -> Values:
    return _of_towns(
        request,
        lambda places: places.of(places.towns.names),
        lambda: [] if request.invented else list(dict.fromkeys(every_town().names)),
    )


def _spare_towns(request: Request) -> list[str]:
    """Names for rows that must have different ones, beyond those of the home country."""
    if request.invented:
        return [name for code in HOME.values() for name in made_up(code)]
    return list(dict.fromkeys(every_town().names))


@of_place("iso-3166-country", "The two-letter code of a country.", standard="ISO 3166-1 alpha-2")
def country_code(request: Request) -> Values:
    return _of_towns(request, lambda places: places.codes, lambda: list(countries()))


@of_place("iso-3166-country-3", "The three-letter code of a country.", standard="ISO 3166-1 alpha-3")
def country_code_3(request: Request) -> Values:
    known = countries()
    return _of_towns(request, lambda places: [known[c].code3 for c in places.codes], lambda: [c.code3 for c in known.values()])


@of_place("country-name", "The name of a country.", standard="ISO 3166-1")
def country_name(request: Request) -> Values:
    known = countries()
    told = {code: country.called(request.language) for code, country in known.items()}
    return _of_towns(request, lambda places: [told[c] for c in places.codes], lambda: list(told.values()))


@of_place("time-zone", "The name of a time zone.", standard="IANA time zone database")
def time_zone(request: Request) -> Values:
    return _of_towns(request, lambda places: places.of(places.towns.zones), lambda: sorted(set(every_town().zones)))


@of_place("iso-4217-currency", "The code of a currency.", standard="ISO 4217")
def currency(request: Request) -> Values:
    known = countries()
    return _of_towns(
        request,
        lambda places: [known[c].currency for c in places.codes],
        lambda: [c.currency for c in known.values() if c.currency],
    )


@of_place("bcp-47-language", "The tag of a language.", standard="BCP 47")
def language(request: Request) -> Values:
    known = countries()

    def tags(places: Atlas) -> list[str]:
        short = request.room is not None and request.room < 5
        return [known[c].language[:2] if short else f"{known[c].language[:2]}-{c}" for c in places.codes]

    return _of_towns(request, tags, lambda: [c.language[:2] for c in known.values()])


@of_place("region", "A county, province or state of the row's country.")
def region(request: Request) -> Values:
    return _of_towns(request, regions_of, lambda: [name for code in HOME.values() for name in regions()[code]])


@of_place("region-code", "The letters of a province or state of the row's country, where it has some.", standard="ISO 3166-2")
def region_code(request: Request) -> Values:
    return _of_towns(request, codes_of_regions)


@declare("district", "A part of a town.")
def district(request: Request) -> Values:
    known = listed(f"districts {request.language}") or listed("districts")
    names = [name for name in known if request.fits(len(name))]
    if not names:
        raise KindError(f"no district has at most {request.room} characters")
    return Values(space=len(names), decode=taker(text_pool(names)))


def _degrees(request: Request, of: Callable[[Towns], NDArray[np.float64]], low: str, high: str) -> Values:
    if (
        request.differ
        or {"from", "to"} & set(request.parameters)
        or (request.low, request.high, request.step) != (None, None, None)
    ):
        return degrees(request, low, high)
    places, axis = atlas_of(request), axis_of(request.type)
    assert axis is not None
    one = 10**axis.scale
    if one * 180 > axis.natural_limits[1]:
        return degrees(request, low, high)
    centre = np.rint(of(places.towns)[places.index] * one).astype(np.int64)
    spread = np.uint64(max(1, one // 16))

    def decode(positions: Words) -> Any:
        at = positions >> np.uint64(20)
        away = (mixed(positions) % spread).astype(np.int64) - int(spread) // 2
        return axis.column(centre[at.astype(np.int64)] + away)

    def draw(words: Words) -> Words:
        return (places.draw(words) << np.uint64(20)) | (mixed(words) & np.uint64(0xFFFFF))

    return Values(space=len(centre) << 20, decode=decode, draw=draw)


def _declare_degrees(name: str, summary: str, of: Callable[[Towns], NDArray[np.float64]], low: str, high: str) -> None:
    kept = declare(name, summary, suits=NUMBERS, standard="WGS 84", parameters=("from", "to", "row", "country"), row="place")
    kept(lambda request: _degrees(request, of, low, high))


_declare_degrees("latitude", "Degrees north of the equator.", lambda towns: towns.latitude, "-60", "70")
_declare_degrees("longitude", "Degrees east of Greenwich.", lambda towns: towns.longitude, "-180", "179")
