"""Places: real towns and what goes with them. All that is said of one place in a row is read off one town.

Towns, countries, time zones: GeoNames (CC BY 4.0), frozen by tools/make_towns.py. Streets and codes are made up.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model.types import NUMBERS
from ..randomness import WIDEST, Words
from ..randomness.quota import choose, thresholds
from .axis import axis_of
from .pools import fold, join, taker, text_pool
from .registry import KindError, Request, Values, declare
from .shapes import mixed
from .vocabulary import listed

HOME = {"en": "GB", "de": "DE", "fr": "FR", "es": "ES"}
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
_KEPT = (  # towns of a country are alike in a few hundred names
    400
)


@dataclass(frozen=True, slots=True, eq=False)
class Towns:
    """Columns, the most populous town first."""

    names: tuple[str, ...]
    countries: tuple[str, ...]
    latitude: NDArray[np.float64]
    longitude: NDArray[np.float64]
    zones: tuple[str, ...]
    population: NDArray[np.int64]


@lru_cache(maxsize=1)
def every_town() -> Towns:
    lines = (files("weltigen.values") / "data" / "towns.txt").read_text("utf-8").splitlines()
    zones = lines[0][1:].split(" ")
    rows = [line.split("\t") for line in lines[1:]]
    return Towns(
        tuple(row[0] for row in rows),
        tuple(row[1] for row in rows),
        np.array([float(row[2]) for row in rows]),
        np.array([float(row[3]) for row in rows]),
        tuple(zones[int(row[4])] for row in rows),
        np.array([int(row[5]) for row in rows]),
    )


@dataclass(frozen=True, slots=True)
class Country:
    code: str
    code3: str
    name: str
    currency: str
    phone: str
    language: str


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
def atlas(language: str, mixed_countries: bool) -> Atlas:
    towns, home = every_town(), HOME.get(language, "GB")
    shares = {home: 1.0}
    if mixed_countries:
        others = {code: weight for code, weight in _OTHERS.items() if code != home}
        shares = {home: _HOME_SHARE} | {code: (1 - _HOME_SHARE) * w / sum(others.values()) for code, w in others.items()}
    chosen: list[int] = []
    weights: list[float] = []
    seen: set[str] = set()
    by_country: dict[str, list[int]] = {code: [] for code in shares}
    for at, code in enumerate(towns.countries):
        if code in by_country and len(by_country[code]) < _KEPT and (name := fold(towns.names[at])) not in seen:
            seen.add(name)
            by_country[code].append(at)
    for code, places in by_country.items():
        # the square root of the population: towns are many, and not everybody lives in the largest
        roots = np.sqrt(towns.population[places].astype(np.float64))
        chosen += places
        weights += (np.round(roots / roots.sum() * 1e6) * shares[code] + 1).tolist()
    return Atlas(towns, np.array(chosen), thresholds(weights))


def _atlas(request: Request) -> Atlas:
    home = request.parameters.get("country", "home")
    return atlas(request.language, home == "mixed")


def _of_towns(request: Request, texts: Callable[[Atlas], list[str]], spare: Callable[[], list[str]] | None = None) -> Values:
    """Texts read off the row's town; where values must differ, each text once."""
    places = _atlas(request)
    every = texts(places)
    longest = request.room
    if request.differ or (longest is not None and max(map(len, every)) > longest):
        apart = {fold(text): text for text in reversed([*every, *(spare() if spare is not None else [])])}
        listed = [text for text in reversed(apart.values()) if request.fits(len(text))]
        if not listed:
            raise KindError(f"none has at most {request.room} characters")
        return Values(space=len(listed), decode=taker(text_pool(listed)), distinct_folded=True)
    return Values(space=len(every), decode=taker(text_pool(every)), draw=places.draw)


@declare(
    "town",
    "A real town; all fields of one place in a row agree.",
    standard="GeoNames",
    parameters=("row", "country"),
    row="place",
)
def town(request: Request) -> Values:
    return _of_towns(request, lambda places: places.of(places.towns.names), lambda: list(dict.fromkeys(every_town().names)))


@declare(
    "iso-3166-country",
    "The two-letter code of a country.",
    standard="ISO 3166-1 alpha-2",
    parameters=("row", "country"),
    row="place",
)
def country_code(request: Request) -> Values:
    return _of_towns(request, lambda places: places.codes, lambda: list(countries()))


@declare(
    "iso-3166-country-3",
    "The three-letter code of a country.",
    standard="ISO 3166-1 alpha-3",
    parameters=("row", "country"),
    row="place",
)
def country_code_3(request: Request) -> Values:
    known = countries()
    return _of_towns(request, lambda places: [known[c].code3 for c in places.codes], lambda: [c.code3 for c in known.values()])


@declare("country-name", "The name of a country.", standard="ISO 3166-1", parameters=("row", "country"), row="place")
def country_name(request: Request) -> Values:
    known = countries()
    return _of_towns(request, lambda places: [known[c].name for c in places.codes], lambda: [c.name for c in known.values()])


@declare("time-zone", "The name of a time zone.", standard="IANA time zone database", parameters=("row", "country"), row="place")
def time_zone(request: Request) -> Values:
    return _of_towns(request, lambda places: places.of(places.towns.zones), lambda: sorted(set(every_town().zones)))


@declare("iso-4217-currency", "The code of a currency.", standard="ISO 4217", parameters=("row", "country"), row="place")
def currency(request: Request) -> Values:
    known = countries()
    return _of_towns(
        request,
        lambda places: [known[c].currency for c in places.codes],
        lambda: [c.currency for c in known.values() if c.currency],
    )


@declare("bcp-47-language", "The tag of a language.", standard="BCP 47", parameters=("row", "country"), row="place")
def language(request: Request) -> Values:
    known = countries()

    def tags(places: Atlas) -> list[str]:
        short = request.room is not None and request.room < 5
        return [known[c].language[:2] if short else f"{known[c].language[:2]}-{c}" for c in places.codes]

    return _of_towns(request, tags, lambda: [c.language[:2] for c in known.values()])


@declare("region", "A county, province or state of the row's country.", parameters=("row", "country"), row="place")
def region(request: Request) -> Values:
    def names(places: Atlas) -> list[str]:
        every = [listed(f"regions {code}") or ("Central", "North", "South", "East", "West") for code in places.codes]
        return [those[at % len(those)] for at, those in enumerate(every)]

    return _of_towns(request, names, lambda: [name for code in HOME.values() for name in listed(f"regions {code}")])


@declare("district", "A part of a town.")
def district(request: Request) -> Values:
    names = [name for name in listed("districts") if request.fits(len(name))]
    if not names:
        raise KindError(f"no district has at most {request.room} characters")
    return Values(space=len(names), decode=taker(text_pool(names)))


def _degrees(request: Request, of: Callable[[Towns], NDArray[np.float64]], low: str, high: str) -> Values:
    from .quantities import degrees

    if (
        request.differ
        or {"from", "to"} & set(request.parameters)
        or (request.low, request.high, request.step) != (None, None, None)
    ):
        return degrees(request, low, high)
    places, axis = _atlas(request), axis_of(request.type)
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


@declare(
    "latitude",
    "Degrees north of the equator.",
    suits=NUMBERS,
    standard="WGS 84",
    parameters=("from", "to", "row", "country"),
    row="place",
)
def latitude(request: Request) -> Values:
    return _degrees(request, lambda towns: towns.latitude, "-60", "70")


@declare(
    "longitude",
    "Degrees east of Greenwich.",
    suits=NUMBERS,
    standard="WGS 84",
    parameters=("from", "to", "row", "country"),
    row="place",
)
def longitude(request: Request) -> Values:
    return _degrees(request, lambda towns: towns.longitude, "-180", "179")


# beginnings of numbers, before three digits: ranges kept for fiction where a country has some
# (Ofcom, ARCEP, Bundesnetzagentur, NANPA)
_NUMBERS = {
    "GB": "441632960 447700900 441134960 441144960 441154960 441164960 441174960 441184960 441214960 441314960 441414960 "
    "442079460 442890180 442920180",
    "FR": " ".join(
        f"33{prefix}{n:02d}" for prefix in ("19900", "26191", "35301", "46571", "53649", "63998") for n in range(0, 100, 7)
    ).replace("  ", " "),
    "DE": "493023125 496990009 494066969 498999998 492214710",
    "US": " ".join(f"1{area}55501"[:-1] for area in (212, 312, 415, 503, 617, 713, 206, 303, 404, 512)),
}
_DIGITS = {
    "CH": "4144",
    "AT": "431",
    "NL": "3120",
    "BE": "322",
    "IT": "3906",
    "ES": "3491",
    "PL": "4822",
    "SE": "468",
    "DK": "453",
    "NO": "472",
    "FI": "3589",
    "IE": "3531",
    "PT": "35121",
    "CZ": "4202",
    "CA": "1416555",
    "AU": "6125550",
}


def _beginnings(code: str) -> list[str]:
    if code in _NUMBERS:
        return [f"+{number}" for number in _NUMBERS[code].split()]
    start = _DIGITS.get(code, countries()[code].phone + "2")
    missing = max(0, 8 - len(start))
    return [
        f"+{start}{number:0{missing}d}" if missing else f"+{start}" for number in range(0, 10**missing, max(1, 10**missing // 40))
    ]


@declare(
    "tel",
    "A telephone number of the row's country, from ranges kept for fiction where there are such.",
    standard="ITU-T E.164",
    parameters=("row", "country"),
    row="place",
)
def tel(request: Request) -> Values:
    places = _atlas(request)
    known = {code: _beginnings(code) for code in dict.fromkeys(places.codes)}
    longest = max(len(text) for texts in known.values() for text in texts) + 3
    if not request.fits(longest):
        raise KindError(f"a telephone number takes {longest} characters")
    every = [text for texts in known.values() for text in texts]
    starts = dict(zip(known, np.cumsum([0, *map(len, known.values())])[:-1].tolist(), strict=True))
    first = np.array([starts[code] for code in places.codes], np.uint64)
    number = np.array([len(known[code]) for code in places.codes], np.uint64)
    heads, tails = taker(text_pool(every)), taker(text_pool(f"{n:03d}" for n in range(1000)))

    def decode(positions: Words) -> Any:
        head = positions // np.uint64(1000)
        return join(heads(head), tails(positions - head * np.uint64(1000)))

    def draw(words: Words) -> Words:
        at, small = places.draw(words), mixed(words)
        return (first[at] + (small >> np.uint64(32)) % number[at]) * np.uint64(1000) + (
            small & np.uint64(0xFFFFFFFF)
        ) % np.uint64(1000)

    return Values(space=len(every) * 1000, decode=decode, draw=draw)


# the form of postal codes: digits of the town, then what differs within it (#: a digit, A: a letter)
_FORMS = {
    "GB": "",
    "NL": "##|## AA",
    "CH": "##|##",
    "AT": "##|##",
    "BE": "##|##",
    "DK": "##|##",
    "NO": "##|##",
    "AU": "##|##",
    "SE": "### |##",
    "PL": "##-|###",
    "PT": "##|##-###",
    "CZ": "### |##",
    "IE": "A##| A#A#",
    "CA": "A#A| #A#",
    "FI": "##|###",
}
_LETTERS = "ABCDEFGHJKLMNPRSTVWXY"
_AREAS = ("QV", "QX", "VX", "XQ")


def _filled(form: str, number: int) -> str:
    out = []
    for sign in reversed(form):
        if sign == "#":
            number, digit = divmod(number, 10)
            out.append(str(digit))
        elif sign == "A":
            number, letter = divmod(number, len(_LETTERS))
            out.append(_LETTERS[letter])
        else:
            out.append(sign)
    return "".join(reversed(out))


@declare(
    "postal-code",
    "A code in the form of the row's country; British ones in areas that do not exist.",
    standard="HTML autofill",
    parameters=("row", "country"),
    row="place",
)
def postal_code(request: Request) -> Values:
    places = _atlas(request)
    heads: list[str] = []
    tails: list[str] = []
    at: dict[str, tuple[int, int]] = {}
    for number, code in enumerate(places.codes):
        head, tail = _FORMS[code].split("|") if _FORMS.get(code) else ("###", "##")
        if code == "GB":
            heads.append(f"{_AREAS[number % 4]}{1 + number * 7 % 9} ")
            tail = "#AA"
        else:
            heads.append(_filled(head, 101 + number * 37 % (10 ** head.count("#") - 110 if head.count("#") > 2 else 89)))
        if tail not in at:
            at[tail] = len(tails), 500
            tails += [_filled(tail, 1 + n * 7919) for n in range(500)]
    starts = np.array(
        [at["#AA" if c == "GB" else (_FORMS[c].split("|")[1] if _FORMS.get(c) else "##")][0] for c in places.codes], np.uint64
    )
    longest = max(map(len, heads)) + max(map(len, tails))
    if not request.fits(longest):
        raise KindError(f"a postal code takes {longest} characters")
    if request.differ:
        every = list(dict.fromkeys(h + t for h, s in zip(heads, starts.tolist(), strict=True) for t in tails[s : s + 500]))
        return Values(space=len(every), decode=taker(text_pool(every)))
    take_heads, take_tails = taker(text_pool(heads)), taker(text_pool(tails))

    def decode(positions: Words) -> Any:
        head = positions // np.uint64(500)
        return join(take_heads(head), take_tails(starts[head] + positions - head * np.uint64(500)))

    def draw(words: Words) -> Words:
        return places.draw(words) * np.uint64(500) + mixed(words) % np.uint64(500)

    return Values(space=len(heads) * 500, decode=decode, draw=draw)


@declare("house-number", "The number of a house: mostly a low one, now and then with a letter.")
def house_number(request: Request) -> Values:
    numbers = [f"{n}{letter}" for letter in ("", "a", "b", "c") for n in range(1, 181)]
    fitting = [text for text in numbers if request.fits(len(text))]
    if not fitting:
        raise KindError(f"no house number has at most {request.room} characters")
    plain = sum(text.isdigit() for text in fitting)

    def draw(words: Words) -> Words:
        share = (words >> np.uint64(40)).astype(np.float64) * 2.0**-24
        low = np.minimum((share * share * plain).astype(np.uint64), np.uint64(plain - 1))
        return np.where(mixed(words) % np.uint64(9) == 0, mixed(words) % np.uint64(len(fitting)), low)

    return Values(space=len(fitting), decode=taker(text_pool(fitting)), draw=draw)


@declare(
    "street-address",
    "A house number and a street that is made up, in the order of the language.",
    standard="HTML autofill",
    parameters=("number",),
)
def street_address(request: Request) -> Values:
    own = request.language if listed(f"streets {request.language}") else "en"
    numbered = request.parameters.get("number", "with") != "none"
    left = None if request.room is None else request.room - (5 if numbered else 0)
    streets = [way.format(name) for way in listed(f"ways {own}") for name in listed(f"streets {own}")]
    streets = [street for street in dict.fromkeys(streets) if left is None or len(street) <= left]
    if own == "en":
        streets = [street for street in streets if "North Court" not in street]
    if not streets:
        raise KindError(f"no street has at most {request.room} characters")
    pool = taker(text_pool(streets))
    if not numbered:
        return Values(space=len(streets), decode=pool)
    count = np.uint64(180)
    numbers = taker(text_pool(str(n) for n in range(1, 181)))
    before, between = {"en": (True, " "), "fr": (True, " "), "de": (False, " "), "es": (False, ", ")}[own]

    def decode(positions: Words) -> Any:
        street = positions // count
        number = numbers(positions - street * count)
        space = pa.scalar(between)
        return join(number, space, pool(street)) if before else join(pool(street), space, number)

    def draw(words: Words) -> Words:  # low numbers are more common
        share = (words >> np.uint64(40)).astype(np.float64) * 2.0**-24
        return mixed(words) % np.uint64(len(streets)) * count + np.minimum(
            (share * share * 180).astype(np.uint64), count - np.uint64(1)
        )

    return Values(space=len(streets) * int(count), decode=decode, draw=draw)


assert WIDEST > 1 << 40
