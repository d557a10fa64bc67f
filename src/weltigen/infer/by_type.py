"""What the type of a field suggests when its name says nothing."""

from __future__ import annotations

import json
from collections.abc import Iterator

from ..model import (
    Field,
    TypeName,
)
from ..model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from .around import Around, Guessed, default_of
from .by_sense import number_by_sense
from .concepts import matching
from .flags_by_name import flags_by_name
from .naming import folded, is_plural, singular
from .offers import by_number, by_weight, by_words, is_scale, of_named_kind
from .roots import has_happened
from .texts_by_type import texts_by_type

_WRITTEN = frozenset(
    "doc document body content text data file payload message attachment note mail report description upload".split()
)
_TYPE_KINDS = {
    TypeName.UUID: "uuid",
    TypeName.DATE: "moment",
    TypeName.TIME: "time",
    TypeName.TIMESTAMP: "moment",
    TypeName.TIMESTAMPTZ: "moment",
    TypeName.INET: "ipv4",
    TypeName.MACADDR: "mac-address",
    TypeName.JSON: "json",
    TypeName.INTERVAL: "duration",
}


_RARELY = 0.1  # how often there is what calls for a reason


def _is_excused(around: Around, field: Field) -> bool:
    """Whether a row tells why it is so: `early_return`, beside `early_return_reason`."""
    words = around.words[field.name]
    return any(other in ((*words, "reason"), ("reason", *words)) for other in around.words.values())


def by_type(around: Around, field: Field) -> Iterator[Guessed]:
    """What a field's type and default say, the likeliest first; nothing where a plan knows what to do with the type."""
    kind, room, default = field.type, field.room, default_of(field)
    if kind.name is TypeName.BOOLEAN:
        usual = _RARELY if _is_excused(around, field) else 0.5
        share = {"true": 0.82, "false": 0.18, "1": 0.82, "0": 0.18}.get((default or "").lower(), usual)
        yield by_weight((("true", round(100 * share)), ("false", round(100 - 100 * share))), "its type", 0.5)
        yield of_named_kind("boolean", "its type", 0.4)
    elif kind.name is TypeName.BYTEA:
        if (room is None or room > 120) and around.words[field.name][-1:] != () and around.words[field.name][-1] in _WRITTEN:
            yield of_named_kind("document", "its type and its name", 0.5)
        yield of_named_kind("octets", "its type", 0.4)
    elif kind.name in _TYPE_KINDS:
        yield from _of_plain_type(around, field)
    elif kind.name is TypeName.ARRAY:
        if kind.element is None or kind.element.name in TEXTS:
            yield of_named_kind("term", "its type", 0.5, list="tags")
        elif kind.element.name in INTEGERS and default is None:
            yield of_named_kind("json", "its type: up to three numbers", 0.5, schema=_FEW_NUMBERS)
    elif kind.name in NUMBERS:
        yield from flags_by_name(around, field)
        yield from number_by_sense(around, field)
        yield from _of_numbers(around, field)
    elif kind.name in TEXTS:
        yield from texts_by_type(around, field)


def _of_plain_type(around: Around, field: Field) -> Iterator[Guessed]:
    kind = field.type.name
    if kind in MOMENTS and field.name.lower() in around.tied - around.ordered:
        yield of_named_kind("date-time", "its type", 0.5)
        return
    words = around.words[field.name]
    if kind in MOMENTS and has_happened(words):
        yield of_named_kind("moment", f"{' '.join(words)} tells of what has happened", 0.55, when="past")
    if kind is TypeName.JSON and words[-1:] and words[-1] in _SAID:
        yield of_named_kind("json", "its name, in several languages", 0.6, schema=_SAID[words[-1]])
    if kind is TypeName.JSON:
        shape = "things" if is_plural(folded(field.name)) else "metadata" if words[-1:] and words[-1] in _LOOSE else "thing"
        yield of_named_kind("json", "its type", 0.5, **{"for": shape})
        return
    yield of_named_kind(_TYPE_KINDS[kind], "its type", 0.5, **({"shape": "day"} if kind is TypeName.TIME else {}))
    if kind in MOMENTS:
        yield of_named_kind("date-time", "its type", 0.4)
    elif kind is TypeName.TIME:
        yield of_named_kind("time", "its type", 0.4)


_FEW_NUMBERS = json.dumps(
    {"type": "array", "items": {"type": "integer", "minimum": 1, "maximum": 99}, "minItems": 0, "maxItems": 3}
)
_ONCE = frozenset(
    "built opened founded established constructed erected launched lit installed restored renovated commissioned discovered "
    "inaugurated completed rebuilt extended incorporated listed".split()
)


def _is_year(words: tuple[str, ...]) -> bool:
    """Whether a whole number is the year in which a thing came to be: `opened`, `first_lit`."""
    return words[-1:] != () and words[-1] in _ONCE and (len(words) == 1 or words[:-1] in (("first",), ("last",), ("originally",)))


_CODES = (("0", 52.0), ("1", 26.0), ("2", 14.0), ("3", 8.0))  # of choices that applications number


def _is_one_of_few(around: Around, field: Field) -> bool:
    """Whether a text of the same name would be one of a few words."""
    return any(
        found.whole and found.concept.types & TEXTS and found.concept.what in ("words", "status", "kindof", "language")
        for found in matching(around.words[field.name])
    )


def _in_languages(kind: str | dict[str, dict[str, str]]) -> str:
    spoken = {"en": {"kind": kind}}
    return json.dumps({"type": "object", "properties": spoken, "required": ["en"]})


# what applications keep in several languages, as an object by the language
_SAID = {
    **dict.fromkeys(("name", "title", "label", "caption", "heading"), _in_languages("thing-name")),
    **dict.fromkeys(("description", "summary", "subtitle"), _in_languages({"text": {"purpose": "description"}})),
}
_LOOSE = frozenset("data info information json extra meta details misc blob object value context payload raw cache state".split())


def _of_numbers(around: Around, field: Field) -> Iterator[Guessed]:
    """A switch, how many of something, or a modest number with a tail."""
    whole, default = field.type.name in INTEGERS, default_of(field)
    last = folded(field.name).rpartition("_")[2]
    if whole and last != singular(last) and default is None:
        counted = by_number(field, "0 30 tail", "how many, by the plural of its name", 0.42)
        yield from () if counted is None else (counted,)
    digits = (field.type.precision or 0) - (field.type.scale or 0)
    if field.type.name is TypeName.NUMERIC and field.type.scale == 2 and digits >= 3 and default in (None, "0", "0.00"):
        amount = by_number(field, "2 90 price" if digits == 3 else "3 190 price", "an amount, by its two decimals", 0.41)
        yield from () if amount is None else (amount,)
    if field.type.name is TypeName.NUMERIC and digits in (0, 1) and (field.type.scale or 0) >= 3 and default in (None, "0", "1"):
        part = by_number(field, "0 1 even", "a part of one, by its decimals", 0.42)
        yield from () if part is None else (part,)
    if whole and default is None and _is_year(around.words[field.name]):
        year = by_number(field, "1890 2024 even", "the year in which it was done, by its name", 0.46)
        yield from () if year is None else (year,)
    if "percent" in around.words[field.name]:
        share = by_number(field, "0 100 even", "a share of a hundred, by its name", 0.42)
        yield from () if share is None else (share,)
    if whole and default in ("0", "1") and _is_one_of_few(around, field):
        few = by_words(field, _CODES[int(default) :], "one of a few, kept as a number", 0.43)
        yield from () if few is None else (few,)
    top = "20" if field.type.name is TypeName.SMALLINT else "100" if whole else "200"
    if default is not None and default.lstrip("-").replace(".", "").isdigit() and 1 < float(default) < 1e6:
        top = f"{max(10.0, 4 * float(default)):g}"
    shape = f"0 {top} low" if default == "0" else f"1 {top} hump" if whole and is_scale(field) else f"1 {top} tail"
    plain = by_number(field, shape, "its type", 0.4)
    yield from () if plain is None else (plain,)
    yield of_named_kind("number", "its type", 0.3)
