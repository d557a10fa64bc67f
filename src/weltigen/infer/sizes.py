"""How large things are: what a measure without more words means is told by the thing that it is of (`sizes.txt`)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache
from importlib.resources import files

from ..model import Field, KindSource
from ..model.types import INTEGERS, NUMBERS
from ..values.vocabulary import senses
from .around import Around, Guessed
from .naming import abbreviations, folded, singular
from .nouns import SYSTEMS, is_somebody, what_is
from .offers import by_number
from .units import SIZES

_MEASURES = {
    word: measure
    for measure, words in (
        ("length", "length len"),
        ("width", "width breadth"),
        ("height", "height"),
        ("depth", "depth"),
        ("diameter", "diameter"),
        ("thickness", "thickness"),
        ("wingspan", "wingspan"),
        ("draught", "draught draft"),
        ("weight", "weight mass"),
        ("volume", "volume"),
        ("area", "area surface"),
        ("people", "capacity seats sleeps occupancy persons people passengers guests participants"),
        ("speed", "speed"),
        ("power", "power horsepower"),
        ("minutes", "duration"),
        ("price", "price cost"),
        ("rent", "rent"),
        ("altitude", "altitude elevation"),
    )
    for word in words.split()
}
# the unit of a number that names none, by how large the thing is in metres; and what the measures of the file stand in
_BASE = {"weight": "kg", "volume": "l", "area": "sqm", "speed": "kmh", "power": "kw", "minutes": "minutes"}
_LONG = frozenset("length width height depth diameter thickness wingspan draught altitude".split())
# words that say nothing of the thing that is measured
_NEUTRAL = frozenset(
    "total overall maximum minimum nominal actual average mean usual typical gross net finished current listed measured "
    "estimated approximate exact external outer own body seating top cruising standard over all size floor living of in at "
    "area water".split()
)
_OF_PRICES = frozenset(
    "purchase list sale sales selling base retail market buying bought paid asking acquisition replacement new".split()
)
_YEARS = frozenset(
    tuple(name.split())
    for name in (
        "year built, built year, build year, model year, year, construction year, manufacture year, year manufactured, "
        "year made, "
        "production year, built, year of construction, year of manufacture, year model, year constructed"
    ).split(", ")
)
_HIRED = frozenset("rate price cost hire rental fee charge".split())
# what a day and a part of one costs: by experience nearly the square root of the price
_BY_TIME = {"hourly": 0.25, "hour": 0.25, "daily": 1.0, "day": 1.0, "weekly": 4.5, "week": 4.5}


@lru_cache(maxsize=1)
def things() -> dict[tuple[str, ...], dict[str, tuple[float, float]]]:
    """By the words of its name, the least and the greatest of each measure of a thing."""
    things: dict[tuple[str, ...], dict[str, tuple[float, float]]] = {}
    for line in (files("weltigen.infer.concepts") / "sizes.txt").read_text("utf-8").splitlines():
        names, _, told = line.partition(" : ")
        if line.startswith("#") or not told:
            continue
        measures = {}
        for measure, span in (one.split() for one in told.split(", ")):
            low, _, high = span.partition("-")
            measures[measure] = float(low), float(high)
        things.update((tuple(map(singular, name.split())), measures) for name in names.split(", "))
    return things


def words_of_things() -> frozenset[str]:
    """Nouns of which more is known than what they are."""
    return frozenset(thing[0] for thing in things() if len(thing) == 1 and len(thing[0]) > 3 and thing[0] not in abbreviations())


@lru_cache(maxsize=1)
def _sorts() -> dict[str, tuple[str, ...]]:
    """By a noun, the known thing that it is a sort of: a schooner of a boat (WordNet 3.0)."""
    sorts: dict[str, tuple[str, ...]] = {}
    for thing in things():
        if len(thing) == 1:
            for sort in senses().get(f"sorts of {thing[0]}", ()):
                sorts.setdefault(sort, thing)
    return sorts


def of_its_size(around: Around, field: Field) -> Iterator[Guessed]:
    """A measure, a price, a number of persons or a year that the thing it is of tells."""
    if field.type.name not in NUMBERS or around.topic.within(*SYSTEMS, "telephony"):
        return
    own = around.words[field.name]
    own = around.whole[field.name] if len(own) == 1 and own[0] in SIZES else own  # weight_kg of passenger_weights
    words, unit = _without_unit(own, folded(field.name))
    measure, before, factor = _measure(words, unit)
    if measure is None or (measure == "price" and before and _by_what_is_done(around, before)):
        return
    thing, sure = _thing(around, before)
    if thing is None:
        return
    span = things()[thing].get(measure)
    if measure == "hire" and "weight" in things()[thing]:  # of what can be carried or driven away
        span = things()[thing].get("price")
    if span is None and measure == "people" and "volume" in things()[thing]:
        measure, span = "volume", things()[thing]["volume"]
    if span is not None and (told := _told(field, measure, span, unit, factor)) is not None:
        made = by_number(field, told, f"its name, of a {' '.join(thing)}", sure)
        by_the_clock = measure == "minutes" and unit in (None, "minutes") and span[0] >= 10
        if made is not None and by_the_clock and isinstance(made.source, KindSource):
            made = replace(made, source=replace(made.source, parameters=(*made.source.parameters, ("step", "5"))))
        yield from () if made is None else (made,)


def _by_what_is_done(around: Around, before: tuple[str, ...]) -> bool:
    """Whether a row has prices for what is done to it: beside that of a wash, that of a press is of no machine."""
    others = (words[:-1] for words in around.words.values() if words[-1:] == ("price",) and words[:-1] not in ((), before))
    return any(_thing(around, other)[0] is None for other in others if not _NEUTRAL & set(other))


def _without_unit(words: tuple[str, ...], name: str) -> tuple[tuple[str, ...], str | None]:
    """The words before a unit at their end, and the unit: `m 2` are square metres, `min` behind a duration is a minute."""
    if words[-2:] in (("m", "2"), ("m", "3")):
        return words[:-2], "sqm" if words[-1] == "2" else "m3"
    if words[-1:] == ("area",) and name.endswith("sqft"):
        return words, "sqft"
    if words[-1:] in (("minimum",), ("minute",)) and "duration" in words:
        return words[:-1], "minutes"
    if len(words) > 1 and words[-1] in SIZES:
        return words[:-1], words[-1]
    return words, None


def _measure(words: tuple[str, ...], unit: str | None) -> tuple[str | None, tuple[str, ...], float]:
    """Which measure words name, the words before it, and the part of a price that is asked for a time."""
    if words in _YEARS:
        return "years", (), 1
    times = [word for word in words if word in _BY_TIME]
    told = set(words) - {*times, "per", "a"}
    if times and told and told <= _HIRED:
        return "hire", (), _BY_TIME[times[0]]
    if words[:-1] and words[-1] in ("value", "price", "cost") and set(words[:-1]) <= _OF_PRICES:
        return "price", (), 1
    if words and words[-1] == "capacity" and unit is not None:
        return "volume", words[:-1], 1
    while len(words) > 1 and words[-1] in _NEUTRAL:
        words = words[:-1]
    measure = _MEASURES.get(words[-1]) if words else None
    if measure == "people" and unit is not None:
        measure = None
    return measure, words[:-1] if measure else (), 1


def _thing(around: Around, before: tuple[str, ...]) -> tuple[tuple[str, ...] | None, float]:
    """The thing that a measure is of, by the words before it, else by what the entity is; and how sure that is."""
    named = tuple(singular(word) for word in before if word not in _NEUTRAL)
    if named:
        whole = next((own for own in ((*around.noun[-1:], *named), named) if own in things()), None)
        if whole is not None:
            return whole, 0.965
        return (named[-1:], 0.88) if len(named) > 1 and named[-1:] in things() else (None, 0)
    noun = around.noun[:-1] if around.head in _MEASURES and around.noun[1:] else around.noun  # the weight of a passenger
    for own in (noun, noun[-2:], (singular(around.topic.name), around.head), noun[-1:]):
        if own in things():
            return own, 0.965
    if (sort := _sorts().get(noun[-1] if noun else "")) is not None:
        return sort, 0.9
    broad = "person" if noun and is_somebody(noun[-1]) else what_is(noun[-1]) if noun else None
    return ((broad,), 0.9) if broad in ("person", "animal", "vessel") else (None, 0)


def _told(field: Field, measure: str, span: tuple[float, float], unit: str | None, factor: float) -> str | None:
    """The ends of a measure in the unit of a field, and its shape; nothing where whole numbers are too coarse for it."""
    low, high = span
    if measure in _BASE or measure in _LONG:
        base = _BASE.get(measure, "m")
        named = unit or (_usual(high, field) if measure in _LONG else base)
        dimension = next(one for one in SIZES.values() if base in one)
        if named not in dimension:
            return None
        low, high = (end * dimension[base] / dimension[named] for end in span)
        if measure in _LONG and high > 100_000:
            return None  # nobody tells it in such a small unit
    if field.type.name in INTEGERS and measure != "years":
        low = max(low, 1.0)  # nothing is 0 long
        if high < 3 or round(low) == round(high):
            return None
    if measure == "years":
        return f"{low:.0f} {high:.0f} {'hump' if low > 1975 else 'even'}"
    if measure == "hire":
        low, high = (0.9 * factor * price**0.55 for price in span)
    if measure in ("price", "hire"):
        return f"{_plain(low)} {_plain(high)} price"
    shape = "tail" if high > 7 * low else "hump"
    return f"{_plain(low)} {_plain(high)} {shape}"


def _plain(number: float) -> str:
    """Three digits, and no power of ten."""
    return f"{float(f'{number:.3g}'):.10f}".rstrip("0").rstrip(".")


def _usual(high: float, field: Field) -> str:
    """The unit that somebody measures a thing in who names none."""
    if high < 0.3:
        return "mm"
    whole = field.type.name in INTEGERS
    return "m" if high > (40 if whole else 4) else "cm"
