"""Names of places, vessels, firms and things: made up, plain first, and no two that fold to the same letters."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from itertools import product
from typing import Any

import numpy as np

from ..randomness import WIDEST, Words
from .pools import fold, join, taker, text_pool, word_list
from .registry import KindError, Request, Values, declare
from .vocabulary import listed

_PLACE_FORMS = (
    "{}", "North {}", "South {}", "East {}", "West {}", "Port {}", "{} Bay", "{} Head", "{} Quay", "Little {}", "Old {}",
    "Upper {}", "Nether {}", "{} Sound", "{} Point", "Great {}",
)  # fmt: skip
_VESSEL_NOUNS = (
    "Gannet Petrel Curlew Tern Heron Plover Skua Kestrel Osprey Dunlin Fulmar Guillemot Kittiwake Lapwing Puffin Razorbill "
    "Sanderling Shearwater Turnstone Whimbrel Avocet Cormorant Eider Merlin Redshank Sandpiper Godwit Pochard Teal Wigeon "
    "Marigold Campion Samphire Thrift Bracken Heather Juniper Rowan Bluebell Foxglove"
).split()
_VESSEL_ADJECTIVES = (
    "Northern Southern Western Eastern Grey White Silver Golden Bright Steady Gentle Swift Patient Early Distant Morning "
    "Evening Winter Summer Autumn Merry Faithful Hardy Quiet Rising Fair Proud Brave Constant Saltmarsh"
).split()
_THING_NOUNS = (
    "Anchor Basin Beacon Bell Bridge Cable Canvas Capstan Chart Compass Cradle Crest Current Deck Drift Ferry Float Flag Gale "
    "Galley Harbour Helm Hull Jetty Keel Knot Lantern Ledger Light Locker Mast Mooring Oar Pennant Pier Pilot Port Quay Rope "
    "Rudder Sail Sextant Signal Slip Spar Tide Tiller Wake Wharf Winch"
).split()
_THING_ADJECTIVES = (
    "Amber Blue Broad Calm Clear Coastal Copper Crimson Deep Double Dry Dusk Fresh Glass Green Heavy Hidden High Hollow Inner "
    "Iron Light Little Long Low Lower Main Marble Narrow New Noble Old Open Outer Plain Quick Red Round Rustic Short Silent "
    "Simple Slate Smooth Solid Spare Spring Stone Strong Upper Velvet Wide Wild Winter Yellow"
).split()
_TRADES = (
    "Chandlers|Ferries|Marine|Haulage|Provisions|Shipwrights|Outfitters|Freight|Surveyors|Boatyard|Rigging|Catering|Charts|"
    "Pilots|Salvage|Storage|Timber|Engines|Insurance|Ropeworks"
).split("|")


@lru_cache(maxsize=8)
def _place_words() -> tuple[str, ...]:
    """Start and end of each place; the ends turn fastest last, so that neighbours differ. Two that fold alike count once."""
    pairs = (start + end for end, start in product(word_list("place_ends"), word_list("place_starts")))
    return tuple(dict.fromkeys(pairs))


@dataclass(frozen=True, slots=True, eq=False)
class _Names:
    """Words in forms, plain ones first; at least `variety` forms are used."""

    forms: tuple[str, ...]
    words: Callable[[], tuple[str, ...]]
    variety: int = 1

    def fitting(self, request: Request) -> tuple[Any, int]:
        """A pool of as few forms as give four names for each row, of a length that fits; and the longest one's length."""
        needed = 4 * request.rows if request.unique else 200
        enough = min(len(self.forms), max(self.variety, -(-needed // len(self.words()))))
        return _fitting(self, enough, request.least, request.room)


@lru_cache(maxsize=256)
def _fitting(names: _Names, forms: int, least: int, room: int | None) -> tuple[Any, int]:
    every = (form.format(word) for form in names.forms[:forms] for word in names.words())
    apart = {fold(name): name for name in every}.values()  # of two names that fold to the same letters one is enough
    pool = [name for name in apart if least <= len(name) and (room is None or len(name) <= room)]
    return text_pool(pool), max(map(len, pool), default=0)


def _numbered(names: _Names, request: Request) -> Values:
    """The names and, where the rows are more than they are, the names again with a number."""
    pool, longest = names.fitting(request)
    count = len(pool)
    if not count:
        raise KindError(f"no name has at most {request.room} characters")
    if not request.unique or request.rows <= count:
        return Values(space=count, decode=taker(pool), distinct_folded=True)
    digits = 9 if request.room is None else min(9, request.room - longest - 1)
    if digits < 1:
        return Values(space=count, decode=taker(pool), distinct_folded=True)
    turns = min(10**digits - 1, WIDEST // count, -(-request.rows * 2 // count))

    def decode(positions: Words) -> Any:
        turn = positions // np.uint64(count)
        suffix = text_pool("" if n == 0 else f" {n + 1}" for n in range(turns))
        return join(pool.take(positions - turn * np.uint64(count)), suffix.take(turn))

    return Values(space=count * turns, decode=decode, distinct_folded=True)


_PLACES = _Names(_PLACE_FORMS, _place_words)
_VESSELS = _Names(("{}", *(f"{adjective} {{}}" for adjective in _VESSEL_ADJECTIVES)), lambda: tuple(_VESSEL_NOUNS), variety=12)
_FIRMS = _Names(tuple(f"{{}} {trade}" for trade in _TRADES), lambda: _place_words()[:400])
_THINGS = _Names(tuple(f"{adjective} {{}}" for adjective in _THING_ADJECTIVES), lambda: tuple(_THING_NOUNS), variety=20)
_NARROW_THINGS = _Names(("{}",), lambda: tuple(_THING_NOUNS))


@declare("place-name", "The name of a made-up town, port or island.")
def place_name(request: Request) -> Values:
    return _numbered(_PLACES if request.language == "en" else _places_of(request.language), request)


@lru_cache(maxsize=16)
def _places_of(language: str) -> _Names:
    """Places as they are called in a language; as in English where no names of towns are known in it."""
    heads, ends = (listed(f"town {part} {language}") for part in ("heads", "ends"))
    made = tuple(f"{head}{end}" for end in ends for head in heads)
    return _Names(("{}",), lambda: made) if made else _PLACES


_STREETS = _Names(tuple(f"{{}} {way}" for way in ("Road", "Lane", "Street", "Row", "Terrace", "Quay")), _place_words)


@declare("vessel-name", "The name of a made-up vessel.")
def vessel_name(request: Request) -> Values:
    return _numbered(_VESSELS, request)
