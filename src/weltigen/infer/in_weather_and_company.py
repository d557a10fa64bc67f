"""What a word means beside what else a row tells: how far one sees, who comes together, in which state something is."""

from __future__ import annotations

from ..model import Field
from .around import Around, Guessed
from .in_systems import Context
from .nouns import SYSTEMS
from .of_row import of_kind
from .offers import by_words, read_pairs

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
    return (
        by_words(field, read_pairs("good:52, moderate:26, poor:14, fog:8"), f"{reason}, in the weather", sure) if told else None
    )


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


BESIDE: dict[str, Context] = {"seen": _seen, "partied": _partied, "stated": _stated}
