"""What the type of a field suggests when its name says nothing."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import (
    Field,
    Guess,
    PatternSource,
    TypeName,
)
from ..model.origins import Origin
from ..model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from ..values.vocabulary import by_noun, topic
from .around import Around, Guessed, default_of
from .naming import folded, singular
from .nouns import what_is
from .offers import by_number, by_weight, by_words, fits, holds, of_named_kind
from .topics import VAGUE

_TYPE_KINDS = {
    TypeName.UUID: "uuid",
    TypeName.DATE: "moment",
    TypeName.TIME: "time",
    TypeName.TIMESTAMP: "moment",
    TypeName.TIMESTAMPTZ: "moment",
    TypeName.INET: "ipv4",
    TypeName.MACADDR: "mac-address",
    TypeName.JSON: "json",
}


def by_type(around: Around, field: Field) -> Iterator[Guessed]:
    kind, room, default = field.type, field.room, default_of(field)
    if kind.name is TypeName.BOOLEAN:
        share = {"true": 0.82, "false": 0.18, "1": 0.82, "0": 0.18}.get((default or "").lower(), 0.5)
        yield by_weight((("true", round(100 * share)), ("false", round(100 - 100 * share))), "its type", 0.5)
        yield of_named_kind("boolean", "its type", 0.4)
    elif kind.name is TypeName.BYTEA:
        if room is None or room > 120:
            yield of_named_kind("document", "its type", 0.5)
        yield of_named_kind("octets", "its type", 0.4)
    elif kind.name in _TYPE_KINDS:
        if kind.name in MOMENTS and field.name.lower() in around.tied:
            yield of_named_kind("date-time", "its type", 0.5)
            return
        yield of_named_kind(_TYPE_KINDS[kind.name], "its type", 0.5, **({"shape": "day"} if kind.name is TypeName.TIME else {}))
        if kind.name in MOMENTS:
            yield of_named_kind("date-time", "its type", 0.4)
        elif kind.name is TypeName.TIME:
            yield of_named_kind("time", "its type", 0.4)
    elif kind.name is TypeName.ARRAY:
        if kind.element is None or kind.element.name in TEXTS:
            yield of_named_kind("term", "its type", 0.5, list="tags")
    elif kind.name in NUMBERS:
        small = kind.name is TypeName.SMALLINT
        if kind.name in INTEGERS and default in ("0", "1") and small:
            yield _words_or_none(field, (("0", 70.0), ("1", 30.0)), "a small number whose default is 0 or 1")
        top = "100" if kind.name in INTEGERS else "200"
        last = folded(field.name).rpartition("_")[2]
        if kind.name in INTEGERS and last != singular(last) and default is None:  # how many of something
            counted = by_number(field, "0 30 tail", "how many, by the plural of its name", 0.42)
            if counted is not None:
                yield counted
        if default is not None and default.lstrip("-").replace(".", "").isdigit() and 1 < float(default) < 1e6:
            top = f"{max(10.0, 4 * float(default)):g}"
        plain = by_number(field, f"{'1' if default != '0' else '0'} {top} {'low' if default == '0' else 'tail'}", "its type", 0.4)
        if plain is not None:
            yield plain
        yield of_named_kind("number", "its type", 0.3)
    elif kind.name is TypeName.BIT:
        return
    else:
        if default is not None and default.replace(".", "").isdigit() and holds(field, default):
            pairs = (
                (default, 60.0),
                *((one, 10.0) for one in ("1", "5", "10", "50", "100") if one != default and holds(field, one)),
            )
            yield by_weight(pairs, "its default, a number", 0.43)
        elif default is not None and default and holds(field, default) and kind.name in TEXTS:
            listed = [one for one in topic(around.entity.topic or "office").words("kinds") if holds(field, one)][:4]
            yield by_weight(
                ((default, 60.0), *((one, 12.0) for one in listed if one != default)), "its default, and words of its trade", 0.42
            )
        if room == 2 and default == "" and kind.name is TypeName.CHAR:
            yield by_weight((("", 70.0), ("on", 30.0)), "two characters, empty by default", 0.42)
        if room is not None and room <= 3:
            yield Guessed(
                PatternSource(pattern=f"[A-Z]{{{room}}}", origin=Origin.GUESSED),
                Guess(reason=f"a text of at most {room} characters", confidence=0.41),
            )
        if room is not None and room < 8:
            yield of_named_kind("code", f"a text of at most {room} characters", 0.4)
        if around.words[field.name][-1:] == ("by",) and fits("username", field):
            yield of_named_kind("username", "who did it", 0.5)
        last = singular(around.words[field.name][-1]) if around.words[field.name] else ""
        if what_is(last) == "person" and fits("name", field):
            yield of_named_kind("name", f"{last} is a person", 0.5)
        elif what_is(last) == "firm" and fits("organization", field):
            yield of_named_kind("organization", f"{last} is a firm", 0.5)
        elif last in by_noun() and last not in VAGUE:
            yield of_named_kind("thing-name", f"{last} is of the topic {by_noun()[last][0]}", 0.45, topic=by_noun()[last][0])
        yield of_named_kind("thing-name", "a text, and its name says no more", 0.4)
        yield of_named_kind("code", "a text, and its name says no more", 0.2)


def _words_or_none(field: Field, pairs: tuple[tuple[str, float], ...], reason: str) -> Guessed:
    return by_words(field, pairs, reason, 0.45) or of_named_kind("number", "its type", 0.3)
