"""Times of day that a column keeps as a text, since the day stands in a column of its own: `date` and `time`."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Field, Guess, PatternSource
from ..model.origins import Origin
from ..model.types import MOMENTS, TEXTS
from .around import Around, Guessed

_CLOCK, _EARLY, _LATE = (f"{hours}:[0-5][05]" for hours in ("(0[6-9]|1[0-9]|2[0-2])", "(0[6-9]|1[0-2])", "(1[3-9]|2[0-2])"))
_FIRST = frozenset("start starts begin begins from opening open departure in".split())
_LAST = frozenset("end ends finish stop stops to until closing close arrival out".split())
_ENDS = frozenset("start starts begin begins end ends finish stop stops".split())
_COMING = frozenset("check time clock punch".split())
_DAYS = (("day",), ("on",), ("at",))
_OF_A_DAY = frozenset(
    "start begin end finish from to until arrival departure opening closing open close of day local clock catch".split()
)


def times_of_day(around: Around, field: Field) -> Iterator[Guessed]:
    """What the hands of a clock showed, where another field of the row tells the day."""
    own = around.words[field.name]
    coming = len(own) == 2 and own[0] in _COMING and own[1] in ("in", "out")
    spanned = len(own) == 1 and own[0] in _ENDS and ("date",) in around.words.values()  # the start of a shift, beside its date
    timed = spanned or (own[-1:] == ("time",) and set(own[:-1]) <= _OF_A_DAY)
    if field.type.name not in TEXTS or not (timed or coming) or (field.room or 5) < 5:
        return
    others = [other for other in around.entity.fields if other.name != field.name]
    told = [around.words[other.name] for other in (*others, field) if other.type.name in TEXTS | MOMENTS]
    if any(("date" in words or words[-1:] in _DAYS) and "time" not in words for words in told if words != own):
        ends = {
            word for words in told if words[-1:] == ("time",) or len(words) == 1 or words[:1] == own[:1] for word in words
        } & (_FIRST | _LAST)
        of_two = bool(ends & _FIRST and ends & _LAST)
        pattern = _EARLY if of_two and _FIRST & set(own) else _LATE if of_two and _LAST & set(own) else _CLOCK
        source = PatternSource(pattern=pattern, origin=Origin.GUESSED)
        yield Guessed(source, Guess(reason="a time of day, beside the day", confidence=0.93))
