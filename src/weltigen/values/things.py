"""Names and single words: of things, firms, brands, colours, trades, and of persons beside the row's own."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import combinations
from typing import Any

import numpy as np
import pyarrow as pa

from ..model.types import TEXTS, TypeName
from ..randomness import WIDEST, Words
from ..randomness.mixing import word
from .atlas import atlas, home_of
from .grammar import capitalised, within_text
from .people import women_of
from .person_names import FAMILY_FIRST, names
from .pools import join, taker, text_pool, told_apart
from .registry import KindError, Request, Values, declare
from .text_forms import names_in
from .texts import KEY, topic_of
from .vocabulary import NEUTRAL, Topic, listed, topic, topics


@declare("thing-name", "The name of a thing of the row's trade.", parameters=("topic", "list", "language", "each"))
def thing_name(request: Request) -> Values:
    """`list`: names, or things where the topic has none. `each: once`: none comes again before all of them were there."""
    if request.parameters.get("each", "once") != "once":
        raise KindError(f"each: {request.parameters['each']} says nothing; there is: once")
    own = topic_of(request)
    wanted = request.parameters.get("list", "names")
    names = [
        capitalised(name) if wanted not in ("keys",) else name
        for name in (own.words(wanted) if own.has(wanted) else own.words("things"))
    ]
    if len(names) > 8 and all("-" in name for name in names):  # names of programs: either half goes with another one
        halves = [name.lower().split("-", 1) for name in names]
        crossed = [
            f"{one}-{other}"
            for at in range(len(halves))
            for one, other in ((halves[n][0], halves[(n + at) % len(halves)][1]) for n in range(len(halves)))
        ]
        return _numbered([name for name in dict.fromkeys(crossed) if request.fits(len(name))] or _fail(request, "name"), request)
    plain = wanted in ("species", "breeds", "sports", "keys") or any(
        name[:1].islower() or "-" in name for name in names[:3] if own.name == "software"
    )
    names = [name for name in dict.fromkeys(names) if request.fits(len(name))]
    if not names:
        names = [
            capitalised(w)
            for w in dict.fromkeys(w for t in own.words("things") for w in t.split())
            if request.fits(len(w)) and len(w) > 2
        ]
    if not names:
        raise KindError(f"no name has at most {request.room} characters")
    if not request.differ:
        return Values(space=len(names), decode=taker(text_pool(names)), dealt="each" in request.parameters)
    more = (
        []
        if plain or len(names) >= request.rows or own.language != "en" or not _are_goods(own, wanted)
        else [
            made
            for name in names
            for mark in listed("editions" if _is_title(name) else "qualities")
            if request.fits(len(made := f"{name}, {mark}" if _is_title(name) else f"{mark} {within_text(name)}"))
        ]
    )
    return _numbered(list(dict.fromkeys([*names, *more])), request)


def _are_goods(own: Topic, wanted: str) -> bool:
    """Whether names are of goods, of which there may be a large and a small one, or of matters that are told apart behind."""
    goods = ("price" in own.lists or own.name in _GOODS_WITHOUT_PRICE) and own.name not in _DONE_FOR_MONEY
    return wanted in ("names", "things", "titles") and (goods or own.within(NEUTRAL, "messages"))


_GOODS_WITHOUT_PRICE = frozenset("products warehouse network robots playgrounds lifts homeautomation cleaning paints".split())
_DONE_FOR_MONEY = frozenset(
    "courses events travel sports theatre film conferences museums insurance subscriptions loyalty hotels dance wellness "
    "medicine dentistry art music television therapy childcare photography".split()
)


def number_of_names(name: str, wanted: str, language: str, said: tuple[tuple[str, tuple[str, ...]], ...] = ()) -> int:
    """How many different names a topic has in a list, before any of them is told apart from another."""
    return len(names_of_topic(name, wanted, language, said))


def names_of_topic(name: str, wanted: str, language: str, said: tuple[tuple[str, tuple[str, ...]], ...] = ()) -> list[str]:
    """The different names that a topic has in a list."""
    own = (topic(name) if name in topics() else topic(NEUTRAL)).spoken(language).with_words(said)
    return told_apart(map(capitalised, own.words(wanted) if own.has(wanted) else own.words("things")))


def _is_title(name: str) -> bool:
    """Whether a name tells of a matter and not of a thing: `Minutes of the meeting`."""
    return name.count(" ") > 2 or ":" in name or not _OF_MATTERS.isdisjoint(name.lower().split())


_OF_MATTERS = frozenset("of for the to in your our new offer question change request reminder welcome meeting summary".split())


def _numbered(names: list[str], request: Request) -> Values:
    """The names, and again with numbers where rows that must differ are more."""
    apart = told_apart(names)
    count = len(apart)
    longest = max(map(len, apart))
    pool = taker(text_pool(apart))
    digits = 9 if request.room is None else min(9, request.room - longest - 1)
    if not request.differ or request.rows <= count or digits < 1:
        return Values(space=count, decode=pool, distinct_folded=True)
    turns = min(10**digits - 1, WIDEST // count, -(-request.rows * 2 // count))
    suffix = taker(text_pool("" if n == 0 else f" {n + 1}" for n in range(turns)))

    def decode(positions: Words) -> Any:
        turn = positions // np.uint64(count)
        return join(pool(positions - turn * np.uint64(count)), suffix(turn))

    return Values(space=count * turns, decode=decode, distinct_folded=True)


@declare("label", "A short name for a thing.", parameters=("topic", "language"))
def label(request: Request) -> Values:
    return thing_name(request)  # type: ignore[return-value]


@declare(
    "term",
    "A word of the row's trade: of its kinds, materials, parts, places; or a list of some.",
    suits=TEXTS | {TypeName.ARRAY},
    parameters=("list", "topic"),
)
def term(request: Request) -> Values:
    own = topic_of(request)
    listed = list(dict.fromkeys(own.words(request.parameters.get("list", "kinds"))))
    if request.type.name is TypeName.ARRAY:
        return lists_of(listed, request)
    fitting = [one for one in listed if request.fits(len(one))]
    if not fitting:
        raise KindError(f"none has at most {request.room} characters")
    made = Values(space=len(fitting), decode=taker(text_pool(fitting)))
    if request.differ:
        return _numbered(fitting, request)
    return made


def lists_of(listed: Sequence[str], request: Request) -> Values:
    """Arrays of one to three different texts, in the order in which these are listed."""
    arrow = request.type.arrow()
    if not pa.types.is_string(arrow.value_type):
        raise KindError("its elements are no texts")
    lists = [list(chosen) for size in (2, 1, 3) for chosen in combinations(listed[:12], size)]
    pool = pa.array(lists, arrow)
    return Values(space=len(lists), decode=lambda positions: pool.take(pa.array(positions.astype(np.int64))))


# what two partners do not own
_CIVIC = frozenset("schooling academia museums library clubs religion courts scouts astronomy childcare blooddonation".split())


@lru_cache(maxsize=64)
def _firms(locale: str, name: str) -> tuple[str, ...]:
    families, language = names_in("family", locale, 150), locale.partition("-")[0]
    own = listed(f"trades of {name}")
    trades = own or listed("trades")
    places = atlas(home_of(locale), False)
    towns = [town for town in places.of(places.towns.names)[:120] if " " not in town and "-" not in town]
    forms = listed(f"firms {locale}") or listed(f"firms {language}", "firms en")
    if language == "en" and own:
        forms = ("{family} {trade}", "{town} {trade}", "{town} {trade}" if name in _CIVIC else "{family} & {other} {trade}")
    made = []
    for number in range(1400):
        at = word(KEY, number * 31 + len(name))
        form = forms[at % len(forms)]
        made.append(
            form.format(
                family=families[at // 7 % len(families)],
                other=families[at // 1409 % len(families)],
                trade=trades[at // 131 % len(trades)],
                town=towns[at // 977 % len(towns)],
            )
        )
    return tuple(told_apart(made))


@declare(
    "organization",
    "The name of a made-up firm, in the form of the language and the row's trade.",
    standard="HTML autofill",
    parameters=("trade", "topic"),
)
def organization(request: Request) -> Values:
    name = "banking" if request.parameters.get("trade") == "bank" else topic_of(request).name
    names = [one for one in _firms(request.locale, name) if request.fits(len(one))]
    if not names:
        names = [one for one in names_in("family", request.locale, 150) if request.fits(len(one))]
    if not names:
        raise KindError(f"no firm has at most {request.room} characters")
    return _numbered(names, request)


@declare("brand", "The name of a maker or a brand that does not exist.")
def brand(request: Request) -> Values:
    return _numbered([one for one in listed("brands") if request.fits(len(one))] or _fail(request, "brand"), request)


def _fail(request: Request, what: str) -> list[str]:
    raise KindError(f"no {what} has at most {request.room} characters")


@declare("job-title", "What somebody works as.")
def job_title(request: Request) -> Values:
    return _numbered(
        [one for one in listed(f"jobs {request.language}", "jobs") if request.fits(len(one))] or _fail(request, "job"), request
    )


@declare("colour-name", "The name of a colour.")
def colour(request: Request) -> Values:
    names = listed(f"colours {request.language}", "colours en")
    return _numbered([one for one in names if request.fits(len(one))] or _fail(request, "colour"), request)


@declare("other-person", "The full name of a person beside the one that the row is about.", parameters=("gender",))
def other_person(request: Request) -> Values:
    """`gender: female` or `male`: only given names that are common for it."""
    given, family = names_in("given", request.locale, 200), names_in("family", request.locale, 300)
    if (gender := request.parameters.get("gender")) is not None:
        women = women_of(request.locale)
        given = tuple(name for name in given if (name in women) == (gender == "female"))
    given, family = given[::-1], family[::-1]
    longest = max(map(len, given)) + max(map(len, family)) + 1
    if not request.fits(longest):
        short = (request.room or 0) // 2 - 1
        given, family = (tuple(n for n in names if len(n) <= short) for names in (given, family))
    if not given or not family:
        raise KindError(f"no name has at most {request.room} characters")
    of_women, women = names(request.locale).of_women or str, women_of(request.locale)
    first, last = taker(text_pool(given)), taker(text_pool((*family, *map(of_women, family))))
    # where a family name's form begins: those of women stand behind those of men
    woman = np.array([name in women for name in given], np.uint64) * np.uint64(len(family))
    count, family_first = np.uint64(len(given)), request.locale.partition("-")[0] in FAMILY_FIRST

    def decode(positions: Words) -> Any:
        rest = positions // count
        name = positions - rest * count
        one, other = first(name), last(rest + woman[name])
        return join(other, " ", one) if family_first else join(one, " ", other)

    return Values(space=len(given) * len(family), decode=decode)
