"""Real towns, countries and regions, and the towns that the places of one run are drawn from.

Towns, countries, time zones: GeoNames (CC BY 4.0), frozen by tools/make_towns.py.
"""

from __future__ import annotations

import gzip
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib.resources import files
from math import gcd
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from pyarrow import csv

from ..randomness import Words
from ..randomness.quota import choose, thresholds
from .pools import fold, told_apart
from .registry import Request
from .vocabulary import listed

HOME = {"en": "GB", "de": "DE", "fr": "FR", "es": "ES", "it": "IT", "nl": "NL", "pl": "PL", "pt": "BR", "sv": "SE", "ja": "JP",
        "el": "GR", "ar": "EG", "hi": "IN"}  # fmt: skip


def home_of(locale: str) -> str:
    """The country of a tag of BCP 47: the one that it names, or else that of its language."""
    language, *more = locale.replace("_", "-").split("-")
    named = (part.upper() for part in more if len(part) == 2 and part.upper() in countries())
    return next(named, HOME.get(language, "GB"))


# countries that a mixed world speaks of beside its own, by weight
_OTHERS = {
    "DE": 14,
    "FR": 12,
    "US": 12,
    "GB": 12,
    "NL": 8,
    "ES": 8,
    "IT": 7,
    "AT": 5,
    "CH": 5,
    "BE": 5,
    "PL": 4,
    "SE": 4,
    "DK": 3,
    "IE": 3,
    "PT": 3,
    "CZ": 2,
    "NO": 2,
    "FI": 2,
    "CA": 3,
    "AU": 3,
}


_HOME_SHARE = 0.6


_KEPT = 400  # towns of a country; beyond, their names are much alike


@dataclass(frozen=True, slots=True, eq=False)
class Towns:
    """Columns, the most populous town first."""

    names: tuple[str, ...]
    countries: tuple[str, ...]
    latitude: NDArray[np.float64]
    longitude: NDArray[np.float64]
    zones: tuple[str, ...]
    population: NDArray[np.int64]
    areas: tuple[str, ...]  # GeoNames' code of the first division of the country


@lru_cache(maxsize=1)
def every_town() -> Towns:
    packed = (files("weltigen.values") / "data" / "towns.txt.gz").read_bytes()
    first, rest = gzip.decompress(packed).split(b"\n", 1)
    zones = pa.array(first.decode()[1:].split(" "))
    table = csv.read_csv(
        pa.BufferReader(rest),
        read_options=csv.ReadOptions(column_names=["name", "country", "latitude", "longitude", "zone", "population", "area"]),
        parse_options=csv.ParseOptions(delimiter="\t", quote_char=False),
        convert_options=csv.ConvertOptions(
            column_types={"name": pa.string(), "country": pa.string(), "latitude": pa.float64(), "longitude": pa.float64(),
                          "zone": pa.int32(), "population": pa.int64(), "area": pa.string()},
            strings_can_be_null=False, null_values=[],
        ),
    )  # fmt: skip
    return Towns(
        tuple(table["name"].to_numpy().tolist()),
        tuple(table["country"].to_numpy().tolist()),
        table["latitude"].to_numpy(),
        table["longitude"].to_numpy(),
        tuple(zones.take(table["zone"].combine_chunks()).to_numpy(zero_copy_only=False).tolist()),
        table["population"].to_numpy(),
        tuple(table["area"].to_numpy().tolist()),
    )


@dataclass(frozen=True, slots=True)
class Country:
    code: str
    code3: str
    name: str
    currency: str
    phone: str
    language: str
    german: str
    french: str
    spanish: str
    number: str
    continent: str
    capital: str
    domain: str

    def called(self, language: str) -> str:
        """Its name in a language of ours; in English as GeoNames has it."""
        told = {"de": self.german, "fr": self.french, "es": self.spanish}.get(language)
        return told or _country_names().get((language, self.code), self.name)


@lru_cache(maxsize=1)
def _country_names() -> dict[tuple[str, str], str]:
    """Names of countries in other languages, by language and code."""
    first, *lines = (files("weltigen.values") / "data" / "country_names.txt").read_text("utf-8").splitlines()
    rows = [line.split("\t") for line in lines]
    return {(language, row[0]): name for row in rows for language, name in zip(first.split(), row[1:], strict=True)}


@lru_cache(maxsize=1)
def countries() -> dict[str, Country]:
    lines = (files("weltigen.values") / "data" / "countries.txt").read_text("utf-8").splitlines()
    return {line[:2]: Country(*line.split("\t")) for line in lines}


@dataclass(frozen=True, slots=True, eq=False)
class Atlas:
    """The towns that a world may speak of, each with how likely it is."""

    towns: Towns
    index: NDArray[np.int64]
    ends: Any

    def draw(self, words: Words) -> Words:
        return choose(self.ends, words).astype(np.uint64, copy=False)

    def of(self, column: tuple[str, ...]) -> list[str]:
        return [column[at] for at in self.index.tolist()]

    @property
    def codes(self) -> list[str]:
        return self.of(self.towns.countries)


@lru_cache(maxsize=16)
def atlas(home: str, mixed_countries: bool, invented: bool = False, at_home: bool = False) -> Atlas:
    """The towns of a country, or also those of the countries that a mixed world speaks of; `invented`: under names that are made
    up, and somewhat away from where they are; `at_home`: as they are called there, Roma and not Rome."""
    towns = _called_at_home(home) if at_home else every_town()
    shares = {home: 1.0}
    if mixed_countries:
        others = {code: weight for code, weight in _OTHERS.items() if code != home}
        shares = {home: _HOME_SHARE} | {code: (1 - _HOME_SHARE) * w / sum(others.values()) for code, w in others.items()}
    chosen: list[int] = []
    weights: list[float] = []
    seen: set[str] = set()
    by_country: dict[str, list[int]] = {code: [] for code in shares}
    most = {code: min(_KEPT, len(made_up(code))) if invented else _KEPT for code in shares}
    for at, code in enumerate(towns.countries):
        if code not in by_country or len(by_country[code]) >= most[code] or _is_part(towns.names[at]):
            continue
        if (name := fold(towns.names[at])) not in seen:
            seen.add(name)
            by_country[code].append(at)
    for code, places in by_country.items():
        # the square root of the population: towns are many, and not everybody lives in the largest
        roots = np.sqrt(towns.population[places].astype(np.float64))
        chosen += places
        weights += (np.round(roots / roots.sum() * 1e6) * shares[code] + 1).tolist()
    return Atlas(_renamed(towns, by_country) if invented else towns, np.array(chosen), thresholds(weights))


def _is_part(name: str) -> bool:
    """Whether a name is that of a numbered part of a town: `Lyon 03`."""
    return name.startswith("Circoiscrizione ") or any(map(str.isdigit, name))


@lru_cache(maxsize=4)
def _called_at_home(code: str) -> Towns:
    """All towns, those of a country under the names that they have there."""
    towns = every_town()
    own = data_by_country("town_names").get(code, {})
    names = (own.get(name, name) if at == code else name for name, at in zip(towns.names, towns.countries, strict=True))
    return replace(towns, names=tuple(names)) if own else towns


@lru_cache(maxsize=8)
def data_by_country(name: str) -> dict[str, dict[str, str]]:
    """A file of `COUNTRY KEY=VALUE; …`: the values by country and key."""
    lines = (files("weltigen.values") / "data" / f"{name}.txt").read_text("utf-8").splitlines()
    told = (line.partition("\t") for line in lines if not line.startswith("#"))
    return {code: dict(one.split("=") for one in rest.split("; ")) for code, _, rest in told}


@lru_cache(maxsize=64)
def made_up(code: str) -> tuple[str, ...]:
    """Names of towns in the language of a country, of which none is that of a real one."""
    language = countries()[code].language[:2]
    heads, ends = (listed(f"town {part} {language}", f"town {part} en") for part in ("heads", "ends"))
    real = _real_names()
    apart = [name for name in told_apart(f"{head}{end}" for end in ends for head in heads) if fold(name) not in real]
    turn = next(step for step in range(37, len(apart) + 38) if gcd(step, len(apart)) == 1)  # neighbours do not look alike
    return tuple(apart[number * turn % len(apart)] for number in range(len(apart)))


@lru_cache(maxsize=1)
def _real_names() -> frozenset[str]:
    at_home = (name for own in data_by_country("town_names").values() for name in own.values())
    return frozenset(map(fold, (*every_town().names, *at_home)))


def _renamed(towns: Towns, by_country: dict[str, list[int]]) -> Towns:
    """Towns under names that are made up, somewhat away from where they are."""
    names = list(towns.names)
    for code, places in by_country.items():
        for name, at in zip(made_up(code), places, strict=False):
            names[at] = name
    away = 0.05 + np.arange(len(names)) * 7919 % 1000 / 2500  # a twentieth to nine twentieths of a degree
    return replace(towns, names=tuple(names), latitude=towns.latitude - away, longitude=towns.longitude + away)


def atlas_of(request: Request) -> Atlas:
    home = request.parameters.get("country", "home")
    return atlas(home_of(request.locale), home == "mixed", request.invented, not request.locale.startswith("en"))


@lru_cache(maxsize=1)
def regions() -> dict[str, dict[str, list[tuple[str, str, float, float]]]]:
    """By country and name, its codes; of the United Kingdom the nation and the points around which the towns of a county lie."""
    out: dict[str, dict[str, list[tuple[str, str, float, float]]]] = {}
    for line in (files("weltigen.values") / "data" / "regions.txt").read_text("utf-8").splitlines():
        if line[0] != "#":
            country, code, name, *points = line.split("\t")
            at = [point.split() for point in points[0].split(", ")] if points else [["0", "0"]]
            out.setdefault(country, {})[name] = [(code, name, float(north), float(east)) for north, east in at]
    return out


def regions_of(places: Atlas) -> list[str]:
    """The county, province or state that each town is in; the country's name where it has none here."""
    towns, named = places.towns, {}
    for country, those in regions().items():
        for code, name, *_ in (one for points in those.values() for one in points):
            named[country, code] = name
    counties = [one for points in regions()["GB"].values() for one in points]
    out = []
    for at in places.index.tolist():
        country, code = towns.countries[at], towns.areas[at]
        if country == "GB":  # the nearest point, a degree of longitude being shorter than one of latitude
            north, east = towns.latitude[at], towns.longitude[at]
            near = [one for one in counties if one[0] == code] or counties
            out.append(min(near, key=lambda one: (one[2] - north) ** 2 + (0.6 * (one[3] - east)) ** 2)[1])
        else:
            out.append(named.get((country, code)) or countries()[country].name)
    return out


def codes_of_regions(places: Atlas) -> list[str]:
    """The letters of the province or state that each town is in; of a county or province without letters the first ones."""
    known = {
        (country, name): data_by_country("region_codes").get(country, {}).get(name, points[0][0])
        for country, those in regions().items()
        if country != "GB"
        for name, points in those.items()
    }
    told = ((code, known.get((code, name), "")) for code, name in zip(places.codes, regions_of(places), strict=True))
    named = zip(told, regions_of(places), strict=True)
    return [code if code.isalpha() else "".join(filter(str.isalpha, fold(name)))[:2].upper() for (_, code), name in named]
