"""Values that a field may take: numbers, words by weight, flags, patterns, kinds; None where they do not fit it."""

from __future__ import annotations

import re
from functools import lru_cache

from ..model import (
    Field,
    FieldType,
    Guess,
    KindSource,
    PatternSource,
    TypeName,
    WeightsSource,
)
from ..model.literals import read_literal
from ..model.origins import Origin
from ..model.types import INTEGER_BITS, INTEGERS, NUMBERS, TEXTS
from ..values import written_lengths
from .around import Around, Guessed, default_of
from .concepts import Found
from .naming.values import family_of

# the least room in which values of a kind look like themselves
_ROOM = {
    "tel": 13,
    "uuid": 36,
    "uri": 24,
    "email": 30,
    "username": 12,
    "ipv4": 15,
    "ipv6": 24,
    "iso-4217-currency": 3,
    "iban": 22,
    "isbn-13": 13,
    "ean-13": 13,
    "mac-address": 17,
    "postal-code": 5,
    "street-address": 16,
    "sha-256": 16,
    "mime-type": 16,
    "file-path": 12,
    "kept-file": 42,
    "file-extension": 4,
    "time-zone": 16,
    "thing-name": 4,
    "term": 4,
    "host-name": 6,
    "file-name": 10,
    "town": 8,
    "organization": 10,
    "md5": 32, "ulid": 26, "nanoid": 21, "isrc": 15, "doi": 14, "bic": 11, "mmsi": 9, "duns": 9, "geohash": 7,
    "sha-1": 40, "sha-512": 128, "crc-32": 8, "json-web-token": 48, "licence-key": 29, "hex-colour": 7,
    "us-ssn": 11, "us-ein": 10, "icao-24": 6, "un-locode": 6, "tracking-number": 13, "sort-code": 8, "atc-code": 7, "icd-10": 5,
} | written_lengths()  # fmt: skip


# words that fit most of what comes in sorts, whatever the sorts are
CLASSES = (("A", 34.0), ("B", 30.0), ("C", 22.0), ("D", 14.0))
SORTS = (("standard", 40.0), ("basic", 20.0), ("special", 16.0), ("mixed", 12.0), ("custom", 12.0))


def of_named_kind(kind: str, reason: str, confidence: float, **parameters: str) -> Guessed:
    return Guessed(
        KindSource(kind=kind, parameters=tuple(parameters.items())), Guess(reason=reason, confidence=round(confidence, 2))
    )


def by_weight(pairs: tuple[tuple[str, float], ...], reason: str, confidence: float) -> Guessed:
    return Guessed(WeightsSource(weights=pairs), Guess(reason=reason, confidence=round(confidence, 2)))


def by_number(field: Field, arguments: str, reason: str, sure: float) -> Guessed | None:
    low, high, *shape = arguments.split()
    kind = field.type
    least, greatest = _declared_ends(field)
    if least is None and greatest is None and (usual := _by_default(field, reason, sure)) is not None:
        return usual
    inside = least is not None and greatest is not None and float(least) <= float(low) < float(high) <= float(greatest)
    known = inside and sure >= 0.92  # what is known well lies within what is allowed at all
    if least is not None and greatest is not None and not known:  # declared limits say more than a guess
        low, high = least, greatest
    elif (least is not None and float(least) > float(low)) or (greatest is not None and float(greatest) < float(high)):
        low, high = max(low, least or low, key=float), min(high, greatest or high, key=float)
        if float(low) >= float(high):
            return None
    most = _most(kind)
    if most is not None and float(high) > most:
        if most <= float(low):
            return None
        high = f"{most:g}" if most < 1e9 else str(int(most))
    if kind.name in INTEGERS:
        low, high = str(int(float(low))), str(max(int(float(low)) + 1, int(float(high))))
    if kind.name is TypeName.NUMERIC and not (kind.scale or 0) and kind.precision is not None:
        low, high = str(int(float(low))), str(max(int(float(low)) + 1, int(float(high))))
    ordering = re.search(_OF_AN_ORDER, field.name, re.I) is not None  # of which 0 is the first
    if default_of(field) == "0" and shape[:1] == ["tail"] and float(low) in (0, 1) and not ordering:
        low, shape = "0", ["low"]  # mostly none
    told = f"{reason}: {low} to {high}"
    parameters = {"from": low, "to": high} | ({"shape": shape[0]} if shape and shape[0] != "even" else {})
    return Guessed(KindSource(kind="number", parameters=tuple(parameters.items())), Guess(reason=told, confidence=round(sure, 2)))


_MOST_OF_A_SCALE = 10


def is_scale(field: Field) -> bool:
    """Whether a rule lets a number be one of a few steps, from 0 or 1 on: mostly it is one in the middle."""
    least, greatest = _declared_ends(field)
    return least in ("0", "1") and greatest is not None and 2 < float(greatest) <= _MOST_OF_A_SCALE


_OF_AN_ORDER = r"(order|position|pos|sort|sequence|seq|rank)$"
_OF_A_LIST = r"(unit|scale|type|mode|kind|index|state|status|level|format|style)$"  # a number that stands for one of a few


def _by_default(field: Field, reason: str, sure: float) -> Guessed | None:
    """A number that somebody chose beforehand is the usual one, beside a half of it, twice and so on; -1 stands for no limit."""
    default = default_of(field)
    if default is None or field.type.name not in NUMBERS or not _is_number(default) or -1 < float(default) <= 1:
        return None
    told = float(default)
    whole = told.is_integer() and field.type.name in INTEGERS
    others: tuple[float, ...]
    hundred = told <= 100 and re.search(r"perc|pct", field.name, re.I) is not None
    if told == -1:
        others = (1, 2, 3, 4) if re.search(_OF_A_LIST, field.name, re.I) else (5, 10, 20, 50, 100)
    elif told <= 1:
        others = ()
    elif whole:
        others = (told / 2, told * 2, told * 3, told / 4, told * 5)
    else:  # what is measured lies near what is usual; a hundred is all of it
        parts = (0.95, 0.9, 0.8, 0.5) if told == 100 else (0.95, 1.05, 0.9, 1.1, 0.85)
        others = tuple(round(told * part, 3 if told < 10 else 1) for part in parts)
    written = (f"{max(1, round(one))}" if whole or told == -1 else f"{one:g}" for one in others)
    values = [one for one in dict.fromkeys(written) if float(one) != told and holds(field, one)]
    values = [one for one in values if not hundred or float(one) <= 100]
    if not values or not holds(field, default):
        return None
    pairs = ((default, 64.0), *((one, 36.0 / len(values)) for one in values))
    return by_weight(pairs, f"{reason}; {default} is its default", sure)


def _most(kind: FieldType) -> float | None:
    if kind.most is not None:
        return float(kind.most)
    if kind.name in INTEGERS:
        return float((1 << (INTEGER_BITS[kind.name] - 1)) - 1)
    if kind.name is TypeName.NUMERIC and kind.precision is not None:
        scale = kind.scale or 0
        return 10.0 ** min(kind.precision - scale, 300) - 10.0**-scale
    return None


@lru_cache(maxsize=16_384)
def read_pairs(text: str) -> tuple[tuple[str, float], ...]:
    return tuple(
        (value, float(weight)) for value, _, weight in (item.rpartition(":") for item in re.split(r", (?=[^,]*:\d)", text))
    )


def _by_initials(pairs: tuple[tuple[str, float], ...]) -> tuple[tuple[str, float], ...]:
    """Words by their first letters, where these tell them apart."""
    letters = tuple((value[:1].upper(), weight) for value, weight in pairs)
    return letters if len(dict(letters)) == len(letters) else pairs


def by_words(field: Field, pairs: tuple[tuple[str, float], ...], reason: str, sure: float) -> Guessed | None:
    """Some values by weight; a default is the usual one."""
    kind, default = field.type.name, default_of(field)
    if (
        kind in TEXTS
        and default
        and default not in dict(pairs)
        and default.lower() not in _ANY
        and (family := by_family(field, default, reason, sure)) is not None
    ):
        return family
    if kind in TEXTS and default and default not in dict(pairs) and _is_of_another_form(default, pairs):
        return None
    if kind in TEXTS and field.room == 1 and not any(len(value) == 1 for value, _ in pairs):
        pairs = _by_initials(pairs)  # L and R
    kept = [(value, weight) for value, weight in pairs if holds(field, value)]
    if not kept or sum(weight for _, weight in kept) < 0.5 * sum(weight for _, weight in pairs):
        return None
    if default is not None and kind in TEXTS and default.strip() == "":
        default = None
    if default == "0" and kind in NUMBERS and re.search(_NEVER_NOTHING, field.name, re.I):
        default = None  # which says that nobody has looked
    if default is not None and holds(field, default) and (kind in TEXTS or kind in NUMBERS):
        total = sum(weight for value, weight in kept if value != default) or 1.0
        kept = [
            (default, max(1.6 * total, dict(kept).get(default, 0.0))),
            *((value, weight) for value, weight in kept if value != default),
        ]
    return by_weight(tuple(kept), reason, sure)


_NEVER_NOTHING = r"(width|height|port|year)$"
_ANY = frozenset("default auto automatic inherit inherited system any all none unknown".split())  # what may stand for any value


def _is_of_another_form(default: str, pairs: tuple[tuple[str, float], ...]) -> bool:
    """Whether a default of digits and signs stands for something else than words do: 00:00:00, 1-7, #0000BE."""
    signs = not any(letter.isalpha() for letter in default) and any(letter in ":-#/." for letter in default)
    return signs and all(value.replace(" ", "").isalpha() or value.isdigit() for value, _ in pairs[:3])


def by_family(field: Field, default: str, reason: str, sure: float) -> Guessed | None:
    """A default that is known, and what else stands where it does."""
    values = [value for value in family_of(default) if holds(field, value)]
    if len(values) < 2:
        return None
    pairs = ((values[0], 60.0), *((value, round(40.0 / (at + 1.5), 1)) for at, value in enumerate(values[1:])))
    return by_weight(pairs, f"{reason}; {default} is its default", sure)


_LETTERS = {
    "y": ("Y", "N"),
    "n": ("Y", "N"),
    "t": ("t", "f"),
    "f": ("t", "f"),
    "1": ("1", "0"),
    "0": ("1", "0"),
    "j": ("J", "N"),
    "yes": ("yes", "no"),
    "no": ("yes", "no"),
    "on": ("on", "off"),
    "off": ("on", "off"),
    "true": ("true", "false"),
    "false": ("true", "false"),
}


_ASKING = frozenset("is has can should does allow allows use uses enable disable follow verify requires includes".split())


def as_flag(around: Around, field: Field, share: float, found: Found, reason: str) -> Guessed | None:
    kind, default, sure = field.type.name, default_of(field), found.confidence
    declared = (field.type.declared or "").lower()
    if kind is TypeName.BOOLEAN:
        yes, no = "true", "false"
    elif kind is TypeName.BIT:
        if (field.type.length or 1) != 1:
            return None
        yes, no = "1", "0"
    elif kind in INTEGERS:
        small = kind is TypeName.SMALLINT or "tinyint" in declared or (field.type.most is not None and field.type.most <= 255)
        if default is not None and default not in ("0", "1") and not (default.isdigit() and found.words[0] in ("is", "has")):
            return None
        told = small or default == "1" or {found.words[0], around.words[field.name][0]} & {*_ASKING, "in"}
        if around.world.has_booleans and not told and (default is None or len(around.words[field.name]) > 1):
            return None  # flags of this model are booleans: dead count, estimated escaped
        wide = kind is TypeName.BIGINT and (field.type.spelled or "").lower() not in (
            "integer",
            "int",
        )  # which SQLite keeps in 64 bits
        if wide and found.words[0] not in _ASKING and default is None:
            return None
        sure *= 1.0 if small or default is not None or found.words[0] in ("is", "has", "can", "in") else 0.82
        yes, no = "1", "0"
    else:
        letters = _LETTERS.get((default or "").lower())
        if letters is None and kind is TypeName.CHAR and field.room == 2 and default in ("", None):
            letters = ("on", "") if default == "" else ("Y", "N")
        if letters is None and found.words[0] in ("is", "has", "can", "allow", "allows", "use", "uses") and holds(field, "yes"):
            letters = ("yes", "no")
        if letters is None and (field.room is None or field.room > 1):
            return None
        yes, no = letters or ("Y", "N")
        if default is not None and default.isupper() and len(default) > 1:
            yes, no = yes.upper(), no.upper()
    if not (holds(field, yes) and holds(field, no)):
        return None
    if default is not None:
        share = max(share, 0.8) if default.lower() == yes.lower() else min(share, 0.45 if share > 0.5 else share)
    pairs = ((yes, round(100 * share)), (no, round(100 * (1 - share))))
    return by_weight(tuple(sorted(pairs, key=lambda pair: -pair[1])), reason, sure)


@lru_cache(maxsize=2048)
def _widths(pattern: str) -> tuple[int, int]:
    """The fewest and the most characters of what a pattern matches."""
    import re._parser as parser  # type: ignore[import-not-found]

    low, high = parser.parse(pattern).getwidth()
    return int(low), int(high)


def by_pattern(field: Field, pattern: str, reason: str, sure: float) -> Guessed | None:
    low, high = _widths(pattern)
    if (
        field.type.name not in TEXTS
        or (field.room is not None and low > field.room)
        or (field.limits.min_length or 0) > int(high)
    ):
        return None
    return Guessed(PatternSource(pattern=pattern, origin=Origin.GUESSED), Guess(reason=reason, confidence=round(sure, 2)))


def as_json(field: Field, arguments: str, reason: str, sure: float) -> Guessed | None:
    what, *mode = arguments.split()
    if field.type.name in TEXTS and (not mode or not has_room(field, 120)):
        return None
    if field.type.name in TEXTS and (default := default_of(field)) is not None and not default.startswith(("{", "[")):
        return None
    return of_named_kind("json", reason, sure, **{"for": what})


def holds(field: Field, value: str) -> bool:
    """Whether a guessed value may stand in the field at all."""
    if field.type.name in TEXTS:
        return (field.room is None or len(value) <= field.room) and len(value) >= (field.limits.min_length or 0)
    if field.type.name is TypeName.BIT:
        return set(value) <= {"0", "1"}
    try:
        read_literal(value, field.type)
    except (ValueError, ArithmeticError):
        return False
    most = _most(field.type) if field.type.name in NUMBERS else None
    if field.type.name in NUMBERS and not _within_bounds(field, float(value)):
        return False
    return field.type.name not in NUMBERS or (
        (most is None or float(value) <= most) and (field.type.least is None or float(value) >= field.type.least)
    )


def _declared_ends(field: Field) -> tuple[str | None, str | None]:
    """The numbers between which a field is declared to lie."""
    least = [b.operand for b in field.limits.bounds if not b.path and b.comparison in (">", ">=") and _is_number(b.operand)]
    greatest = [b.operand for b in field.limits.bounds if not b.path and b.comparison in ("<", "<=") and _is_number(b.operand)]
    return max(least, key=float, default=None), min(greatest, key=float, default=None)


def _is_number(text: str) -> bool:
    return re.fullmatch(r"-?\d+(\.\d+)?", text) is not None


def _within_bounds(field: Field, value: float) -> bool:
    """Whether a number lies within the field's own bounds that are numbers."""
    for bound in field.limits.bounds:
        try:
            end = float(bound.operand)
        except ValueError:
            continue
        fits = {">": value > end, ">=": value >= end, "<": value < end, "<=": value <= end}
        if not bound.path and not fits.get(bound.comparison, True):
            return False
    return True


def has_room(field: Field, length: int) -> bool:
    return (field.room is None or length <= field.room) and (field.limits.min_length or 0) <= max(length, 60)


def fits(kind: str, field: Field) -> bool:
    """A personal or a long kind does not go into a column too narrow for it."""
    return field.type.name not in TEXTS or (
        (field.room is None or field.room >= _ROOM.get(kind, 2)) and (field.limits.min_length or 0) <= _ROOM.get(kind, 2)
    )
