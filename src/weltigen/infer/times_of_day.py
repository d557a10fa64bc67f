"""Times of day that a column keeps as a text, since the day stands in a column of its own: `date` and `time`."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Field, Guess, PatternSource
from ..model.origins import Origin
from ..model.types import MOMENTS, TEXTS
from .around import Around, Guessed

_CLOCK = "(0[6-9]|1[0-9]|2[0-2]):[0-5][05]"
_DAYS = (("day",), ("on",), ("at",))
_OF_A_DAY = frozenset(
    "start begin end finish from to until arrival departure opening closing open close of day local clock catch".split()
)


def times_of_day(around: Around, field: Field) -> Iterator[Guessed]:
    """What the hands of a clock showed, where another field of the row tells the day."""
    own = around.words[field.name]
    if field.type.name not in TEXTS or own[-1:] != ("time",) or not set(own[:-1]) <= _OF_A_DAY or (field.room or 5) < 5:
        return
    others = [other for other in around.entity.fields if other.name != field.name]
    told = [around.words[other.name] for other in others if other.type.name in TEXTS | MOMENTS]
    if any(("date" in words or words[-1:] in _DAYS) and "time" not in words for words in told):
        source = PatternSource(pattern=_CLOCK, origin=Origin.GUESSED)
        yield Guessed(source, Guess(reason="a time of day, beside the day", confidence=0.93))
