"""What a text is taken for whose name no concept knows: by its default and its room; then by the last word of its name."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..model import (
    Field,
    Guess,
    PatternSource,
    TypeName,
)
from ..model.origins import Origin
from ..model.types import TEXTS
from .around import Around, Guessed, default_of, is_keyed
from .by_last_word import by_last_word
from .flags_by_name import is_done
from .naming import plain_english
from .offers import by_family, by_pattern, by_weight, by_words, holds, of_named_kind


def texts_by_type(around: Around, field: Field) -> Iterator[Guessed]:
    """What a text's default, its room and the last word of its name say."""
    yield from _of_default(field)
    yield from _of_room(around, field)
    yield from by_last_word(around, field)


def _of_default(field: Field) -> Iterator[Guessed]:
    """A text's default is its usual value, beside others of its form."""
    default = default_of(field)
    if default == "" and field.type.name is TypeName.CHAR and field.room == 2:
        yield by_weight((("", 70.0), ("on", 30.0)), "two characters, empty by default", 0.42)
    if not default or not holds(field, default):
        return
    if default in ("0", "1") and field.room is not None and field.room <= 2:
        yield by_weight((("0", 55.0), ("1", 45.0)), f"a flag, by its default {default}", 0.46)
    if (family := by_family(field, default, "a text", 0.45)) is not None:
        yield family
    if (span := re.fullmatch(r"(\d{1,4})([a-z]{1,2})", default)) is not None:
        several = [f"{max(1, round(int(span[1]) * times))}{span[2]}" for times in (0.5, 2, 3, 5)]
        pairs = ((default, 60.0), *((one, 10.0) for one in dict.fromkeys(several) if one != default and holds(field, one)))
        yield by_weight(pairs, "its default, an amount with a unit", 0.45)
    forms = (
        (r"#[0-9A-Fa-f]{6}", "#[0-9A-F]{6}", "a colour"),
        (r"\d\d:\d\d", "(0[0-9]|1[0-9]|2[0-3]):[0-5]0", "a time"),
        (r"\d\d:\d\d:\d\d", "(0[0-9]|1[0-9]|2[0-3]):[0-5]0:00", "a time"),
    )
    for form, pattern, what in forms:
        if re.fullmatch(form, default) and (made := by_pattern(field, pattern, f"{what}, by its default", 0.47)) is not None:
            yield made
    number = default.replace(".", "").isdigit()
    others = [one for one in ("1", "5", "10", "50", "100") if one != default and holds(field, one)] if number else []
    reason = "its default, a number" if number else "its default, of which nothing else is known"
    yield by_weight(((default, 60.0), *((one, 11.0) for one in others)), reason, 0.42)


def _of_room(around: Around, field: Field) -> Iterator[Guessed]:
    """A text too short for words."""
    room = field.room
    asked = any(f.room == 1 and _FLAG_ENDS & set(around.words[f.name][-1:]) for f in around.entity.fields if f.type.name in TEXTS)
    if room == 1 and not asked and is_done(around.words[field.name]) and holds(field, "Y"):
        yield by_weight((("Y", 62.0), ("N", 38.0)), "whether it was done, by its name", 0.5)
    if room == 1 and (asked or _FLAG_ENDS & set(around.words[field.name])) and holds(field, "Y"):
        yield by_weight((("Y", 62.0), ("N", 38.0)), "a text of one character, beside flags", 0.44)
    if room == 1:
        letters = (("A", 38.0), ("B", 24.0), ("C", 16.0), ("N", 14.0), ("X", 8.0))
        if held := tuple(one for one in letters if holds(field, one[0])):
            yield by_weight(held, "a text of one character", 0.43)
    if room is not None and room <= 3:
        pattern = PatternSource(pattern=f"[A-Z]{{{room}}}", origin=Origin.GUESSED)
        yield Guessed(pattern, Guess(reason=f"a text of at most {room} characters", confidence=0.41))
    if room is not None and 3 < room <= 10 and _is_plain_english(around, field):
        one = by_words(field, _SHORT_WORDS, f"a text of at most {room} characters, called by plain words", 0.412)
        yield from () if one is None else (one,)
    if room is not None and room <= 10:
        yield of_named_kind("code", f"a text of at most {room} characters", 0.41)


_FLAG_ENDS = frozenset("flag ok indicator yn allowed required given signed".split())
_SHORT_WORDS = (("all", 26.0), ("none", 20.0), ("basic", 16.0), ("full", 14.0), ("own", 12.0), ("other", 12.0))
_WRITTEN_AS_CODES = frozenset(
    "code number id key reference ref symbol mark token serial series abbreviation prefix suffix tag".split()
)


def _is_plain_english(around: Around, field: Field) -> bool:
    """Whether the words of a name are English ones, none of which tells of a code."""
    words = around.words[field.name]
    plain = around.vocabulary.language == "en" and len(words) > 1 and set(words) <= plain_english()
    return plain and _WRITTEN_AS_CODES.isdisjoint(words) and not is_keyed(around.entity, field)
