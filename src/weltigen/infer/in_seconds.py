"""Whole numbers that tell of moments, in seconds since 1970: by a word for it, or beside others that do."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ..model import Field, TypeName
from .around import Around, Guessed, default_of, names_moment
from .by_concept import NO_POINT
from .concepts import matching
from .offers import of_named_kind
from .roots import has_happened, is_participle


def in_seconds(around: Around, field: Field) -> Iterator[Guessed]:
    """A whole number that tells of a moment, by a word for it or beside others that do."""
    if field.type.name not in (TypeName.INTEGER, TypeName.BIGINT) or default_of(field) not in (None, "0", "-1"):
        return
    words = around.words[field.name]
    in_thousandths = words[-1:] in (("ms",), ("milliseconds",), ("millis",)) and field.type.name is TypeName.BIGINT
    if in_thousandths and ({"timestamp", "until", "at"} & set(words) or has_happened(words)):
        yield of_named_kind("epoch", "a moment, in thousandths of seconds since 1970", 0.93, unit="ms")
    if len(words) == 2 and words[0] == "last" and is_participle(words[1]) and not NO_POINT & set(words):
        yield of_named_kind("epoch", f"last {words[1]} tells of a moment, in seconds since 1970", 0.9)
    if len(words) > 1 and words[0] == "timestamp" and field.type.name is TypeName.BIGINT and words[-1] not in _NO_MOMENT:
        yield of_named_kind("epoch", "timestamp tells of a moment, in seconds since 1970", 0.9)
    if names_moment(words) and not _ends_what_is_counted(around, field):
        share = next((found.concept.there for found in matching(words) if found.whole and found.concept.there is not None), None)
        yield replace(of_named_kind("epoch", f"{words[-1]} tells of a moment, in seconds since 1970", 0.95), share=share)
    elif (
        around.in_seconds - {field.name}
        and words[-1:]
        and words[-1] not in _NO_MOMENT
        and words[0] != "number"
        and not NO_POINT & set(words)
    ):
        ways = (words, tuple(reversed(words))) if len(words) == 2 else (words,)
        told = [one for way in ways for one in matching(way) if one.concept.arguments.startswith(("moment", "date-time"))]
        sure = max((one.confidence for one in told), default=0.0)
        if not sure and (has_happened(words) or {"last", "first", "current"} & set(words[:-1])):
            sure = 0.86 if len(around.in_seconds) > 1 and not has_happened(words) else 0.62
        if sure:
            yield of_named_kind("epoch", f"a moment, by its name, beside {min(around.in_seconds - {field.name})}", sure * 0.97)


def _ends_what_is_counted(around: Around, field: Field) -> bool:
    """Whether a number of the same type begins what this one ends, and tells of no moment: a season from month 4 until 9."""
    *stem, last = around.words[field.name]
    if last not in ("until", "to", "till", "end"):
        return False
    beginnings = [one for one in around.entity.fields if around.words[one.name] in ((*stem, "from"), (*stem, "start"))]
    return any(one.type.name == field.type.name and not names_moment(around.words[one.name]) for one in beginnings)


_NO_MOMENT = frozenset(  # what a number of some past thing counts or names
    "id number count position index page status result value code level version size total amount line limit length key name "
    "row item rate score step revision state type mode flag port pid revision user by duration seconds days hours minutes".split()
)
