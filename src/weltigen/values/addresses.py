"""How a place is reached: telephone numbers, postal codes, streets and houses, in the form of the country or the language."""

from __future__ import annotations

import zlib
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..randomness import Words
from .atlas import atlas_of, countries, regions_of
from .places import of_place
from .pools import join, taker, text_pool
from .registry import KindError, Request, Values, declare
from .shapes import mixed
from .vocabulary import listed

# beginnings of numbers, before three digits: ranges kept for fiction where a country has some
# (Ofcom, ARCEP, Bundesnetzagentur, NANPA)
_NUMBERS = {
    "GB": "441632960 447700900 441134960 441144960 441154960 441164960 441174960 441184960 441214960 441314960 441414960 "
    "442079460 442890180 442920180",
    "FR": " ".join(f"33{prefix}{n}" for prefix in ("19900", "26191", "35301", "46571", "53649", "63998") for n in range(10)),
    "DE": "493023125 496990009 494066969 498999998 492214710",
    "US": " ".join(f"1{area}55501"[:-1] for area in (212, 312, 415, 503, 617, 713, 206, 303, 404, 512)),
}


# of other countries: with what a number begins, and how many digits it has
_DIGITS = {
    "CH": ("4144", 11), "AT": ("431", 11), "NL": ("3120", 11), "BE": ("322", 10), "IT": ("3906", 12), "ES": ("3491", 11),
    "PL": ("4822", 11), "SE": ("468", 11), "DK": ("453", 10), "NO": ("4722", 10), "FI": ("3589", 11), "IE": ("3531", 11),
    "PT": ("35121", 12), "CZ": ("4202", 12), "CA": ("1416555", 11), "AU": ("6125550", 11), "BR": ("55113", 12),
    "JP": ("813", 11), "GR": ("30210", 12), "EG": ("202", 11), "IN": ("9111", 12),
}  # fmt: skip


def _beginnings(code: str) -> list[str]:
    if code in _NUMBERS:
        return [f"+{number}" for number in _NUMBERS[code].split()]
    start, length = _DIGITS.get(code, (countries()[code].phone + "2", 11))
    missing = max(0, length - 3 - len(start))
    return [
        f"+{start}{number:0{missing}d}" if missing else f"+{start}" for number in range(0, 10**missing, max(1, 10**missing // 40))
    ]


_MOBILE = {"GB": ["+447700900"], "FR": [f"+3363998{n}" for n in range(10)]}


@declare(
    "tel",
    "A telephone number of the row's country, from ranges kept for fiction where there are such.",
    standard="ITU-T E.164",
    parameters=("row", "country", "line"),
    row="place",
)
def tel(request: Request) -> Values:
    """`line` tells the numbers of one row apart: mobile, fax, work, home."""
    places, line = atlas_of(request), request.parameters.get("line", "")
    known = {code: _beginnings(code) for code in dict.fromkeys(places.codes)}
    if line == "mobile":
        known |= {code: starts for code, starts in _MOBILE.items() if code in known}
    apart = np.uint64(zlib.crc32(line.encode()) if line else 0)
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
        at, small = places.draw(words), mixed(words ^ apart if line else words)
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
    "BR": "##|###-###",
    "JP": "###|-####",
    "GR": "### |##",
    "IN": "###|###",
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


@lru_cache(maxsize=64)
def _tails(form: str) -> tuple[str, ...]:
    return tuple(_filled(form, 1 + n * 7919) for n in range(500))


@lru_cache(maxsize=1)
def _beginnings_of_codes() -> dict[tuple[str, str], tuple[str, ...]]:
    """With what the postal codes of a region begin, by country and region."""
    out = {}
    for line in (files("weltigen.values") / "data" / "postal_areas.txt").read_text("utf-8").splitlines():
        if not line.startswith("#"):
            country, region, told = line.split("\t")
            spans = (part.partition("-")[::2] for part in told.split())
            out[country, region] = tuple(
                f"{number:0{len(first)}d}" for first, last in spans for number in range(int(first), int(last or first) + 1)
            )
    return out


@of_place(
    "postal-code",
    "A code in the form of the row's country; British ones in areas that do not exist.",
    standard="HTML autofill",
)
def postal_code(request: Request) -> Values:
    places = atlas_of(request)
    begins = _beginnings_of_codes()
    areas = [begins.get(where, ()) for where in zip(places.codes, regions_of(places), strict=True)]
    heads: list[str] = []
    tails: list[str] = []
    at: dict[str, tuple[int, int]] = {}
    for number, code in enumerate(places.codes):
        head, tail = _FORMS[code].split("|") if _FORMS.get(code) else ("###", "##")
        if code == "GB":
            heads.append(f"{_AREAS[number % 4]}{1 + number * 7 % 9} ")
            tail = "#AA"
        elif (known := areas[number]) and "A" not in head:
            begin = known[number % len(known)]
            left = head.replace("#", "", len(begin))
            heads.append(begin + _filled(left, number * 37 % 10 ** left.count("#")))
        else:
            heads.append(_filled(head, 101 + number * 37 % (10 ** head.count("#") - 110 if head.count("#") > 2 else 89)))
        if tail not in at:
            at[tail] = len(tails), 500
            tails += _tails(tail)
    starts = np.array(
        [at["#AA" if c == "GB" else (_FORMS[c].split("|")[1] if _FORMS.get(c) else "##")][0] for c in places.codes], np.uint64
    )
    longest = max(map(len, heads)) + max(map(len, tails))
    narrow = request.room is not None and 4 <= request.room < longest and request.least <= 4 and not request.differ
    if not request.fits(longest) and not narrow:
        raise KindError(f"a postal code takes {longest} characters")
    if request.differ:
        every = list(dict.fromkeys(h + t for h, s in zip(heads, starts.tolist(), strict=True) for t in tails[s : s + 500]))
        return Values(space=len(every), decode=taker(text_pool(every)))
    take_heads, take_tails = taker(text_pool(heads)), taker(text_pool(tails))

    def decode(positions: Words) -> Any:
        head = positions // np.uint64(500)
        codes = join(take_heads(head), take_tails(starts[head] + positions - head * np.uint64(500)))
        if narrow:  # a column for the codes of one country: those of others are cut
            codes = pc.utf8_slice_codeunits(pc.replace_substring(codes, " ", ""), 0, request.room)
        return codes

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


# by language: whether the number of a house stands before its street, and what between them; behind it, after a blank, elsewhere
_ORDERS = {
    "en": (True, " "), "fr": (True, " "), "ar": (True, " "), "hi": (True, ", "), "es": (False, ", "), "it": (False, ", "),
    "pt": (False, ", "),
}  # fmt: skip


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
    streets = [way.format(name) for way in listed(f"ways {request.locale}", f"ways {own}") for name in listed(f"streets {own}")]
    streets = [street for street in dict.fromkeys(streets) if left is None or len(street) <= left]
    if own == "en":
        streets = [street for street in streets if "North Court" not in street]
    if not streets:
        raise KindError(f"no street has at most {request.room} characters")
    pool = taker(text_pool(streets))
    if not numbered:
        return Values(space=len(streets), decode=pool)
    count = np.uint64(180)
    blocks = own == "ja"  # where a house is the one of a block, not of a street
    numbers = taker(text_pool(f"{1 + n % 6}-{1 + n // 6}" if blocks else f"{1 + n}" for n in range(180)))
    before, between = _ORDERS.get(own, (False, " "))

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
