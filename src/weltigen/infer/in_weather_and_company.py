"""What a word means beside what else a row tells: how far one sees, who comes together, in which state something is."""

from __future__ import annotations

from ..model import Field
from ..values.vocabulary import NEUTRAL
from .around import Around, Context, Guessed
from .naming.values import in_language
from .nouns import SYSTEMS
from .of_row import of_kind
from .offers import by_words, has_room, of_named_kind, read_pairs

_OF_WEATHER = (
    "wind",
    "sea",
    "sea state",
    "weather",
    "barometer",
    "cloud",
    "cloud cover",
    "swell",
    "wind force",
    "wind direction",
)


def _seen(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How far one sees, beside what else is told of the weather."""
    told = around.has(*_OF_WEATHER) or around.topic.within("weather", "ships", "aviation")
    seen = in_language(read_pairs("good:52, moderate:26, poor:14, fog:8"), around.vocabulary.language)
    return by_words(field, seen, f"{reason}, in the weather", sure) if told else None


def _stated(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a state is called, of what runs; else a part of a country."""
    if around.topic.within(*SYSTEMS) or around.has(
        "state type", "status", "state id", "run count", "start time", "state timestamp"
    ):
        pairs = "Completed:44, Running:18, Failed:14, Pending:12, Scheduled:8, Cancelled:4"
        return by_words(field, read_pairs(pairs), f"{reason}, of what runs", sure)
    return of_kind(around, field, "region", {}, reason, sure)


def _partied(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Who comes together, where guests are counted; else those who stand for election together."""
    guests = around.has("adults", "children", "guests", "covers", "visit date", "party size", "persons", "pax")
    pairs = "Hartley family:18, Sea Scouts:16, Walking club:18, Class 4b:16, Brookes party:16, Coach tour:16"
    parties = "Civic Union:24, Green Alliance:20, Liberal Forum:18, Social Democrats:20, Independent:12, Reform List:6"
    return by_words(field, read_pairs(pairs if guests else parties), reason, sure)


def _part_of(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A part of a program where a model is about these, else of a machine or of whatever the trade has."""
    of_programs = around.of_systems or around.topic.within(*SYSTEMS)
    if around.topic.name == NEUTRAL and not of_programs:
        pairs = "bearing:18, motor:18, valve:14, sensor:16, pump:12, filter:12, controller:10"
        return by_words(field, in_language(read_pairs(pairs), around.vocabulary.language), f"{reason}, of a machine", sure)
    return of_named_kind("term", reason, sure, list="software" if of_programs else "parts") if has_room(field, 3) else None


def _diagnosed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What somebody has, where an entity is of no trade that finds faults in things, or in animals and plants."""
    if around.topic.within(*_OF_PERSONS, NEUTRAL) and around.vocabulary.language == "en" and has_room(field, 16):
        return of_named_kind("thing-name", f"{reason}, of somebody", sure, topic="diagnoses")
    return of_named_kind("text", reason, sure, purpose="issue") if has_room(field, 12) else None


# what concerns people, who fall ill
_OF_PERSONS = (
    "insurance", "schooling", "courses", "travel", "hr", "households", "sports", "events", "clubs", "groups", "safety", "police",
    "accounts", "volunteers", "childcare", "fitness", "academia",
)  # fmt: skip
BESIDE: dict[str, Context] = {
    "seen": _seen,
    "partied": _partied,
    "stated": _stated,
    "partof": _part_of,
    "diagnosed": _diagnosed,
}
