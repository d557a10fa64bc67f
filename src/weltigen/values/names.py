"""Names of places, vessels, firms and things: made up, plain first, and no two that fold to the same letters."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from itertools import product
from typing import Any

import numpy as np

from ..randomness import WIDEST, Words
from .pools import fold, join, taker, text_pool, word_list
from .registry import KindError, Request, Values, declare

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


def _by_form(forms: tuple[str, ...], words: tuple[str, ...], least: int = 1) -> Callable[[Request], tuple[str, ...]]:
    """As few forms as give four names for each row, plain ones first, but at least so many for variety."""

    def names(request: Request) -> tuple[str, ...]:
        needed = 4 * request.rows if request.unique else 200
        enough = min(len(forms), max(least, -(-needed // len(words))))
        return tuple(form.format(word) for form in forms[:enough] for word in words)

    return names


@lru_cache(maxsize=64)
def _folded_apart(names: tuple[str, ...]) -> tuple[str, ...]:
    """The names without those that fold to the same letters as another."""
    return tuple({fold(name): name for name in names}.values())


def _numbered(names: tuple[str, ...], request: Request) -> Values:
    """The names and, where the rows are more than they are, the names again with a number."""
    names = tuple(name for name in _folded_apart(names) if request.fits(len(name)))
    if not names:
        raise KindError(f"no name has at most {request.room} characters")
    pool = text_pool(names)
    count = len(names)
    if not request.unique or request.rows <= count:
        return Values(space=count, decode=taker(pool), distinct_folded=True)
    longest = max(map(len, names))
    digits = 9 if request.room is None else min(9, request.room - longest - 1)
    if digits < 1:
        return Values(space=count, decode=taker(pool), distinct_folded=True)
    turns = min(10**digits - 1, WIDEST // count, -(-request.rows * 2 // count))

    def decode(positions: Words) -> Any:
        turn = positions // np.uint64(count)
        suffix = text_pool("" if n == 0 else f" {n + 1}" for n in range(turns))
        return join(pool.take(positions - turn * np.uint64(count)), suffix.take(turn))

    return Values(space=count * turns, decode=decode, distinct_folded=True)


@declare("place-name", "The name of a made-up town, port or island.")
def place_name(request: Request) -> Values:
    return _numbered(_by_form(_PLACE_FORMS, _place_words())(request), request)


@declare("vessel-name", "The name of a made-up vessel.")
def vessel_name(request: Request) -> Values:
    forms = ("{}", *(f"{adjective} {{}}" for adjective in _VESSEL_ADJECTIVES))
    return _numbered(_by_form(forms, tuple(_VESSEL_NOUNS), least=12)(request), request)


@declare("organization", "The name of a made-up firm.", standard="HTML autofill")
def organization(request: Request) -> Values:
    forms = tuple(f"{{}} {trade}" for trade in _TRADES)
    return _numbered(_by_form(forms, _place_words()[:400])(request), request)


@declare("label", "A short name for a thing: an adjective and a noun.")
def label(request: Request) -> Values:
    forms = tuple(f"{adjective} {{}}" for adjective in _THING_ADJECTIVES)
    names = _by_form(forms, tuple(_THING_NOUNS), least=20)(request)
    narrow = [name for name in names if request.fits(len(name))]
    return _numbered(tuple(narrow) or tuple(_THING_NOUNS), request)
