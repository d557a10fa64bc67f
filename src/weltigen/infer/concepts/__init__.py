"""Concepts: what names of fields mean, as declarations grouped by subject. A line is

    names, apart by commas : types : what values there are ; share of rows that have one, how sure, whether it is secret

A name of several words counts as a whole name or as the end of one; `is *` as its beginning. Types are letters (`_TYPES`). What
plain nouns hold whatever the trade (`of_any_trade`) is less sure, so that a trade's own words come first.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache, lru_cache
from importlib.resources import files

from ...model import TypeName
from ...model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from ..naming import abbreviations, canonical, singular

_TYPES: dict[str, frozenset[TypeName]] = {
    "t": TEXTS,
    "i": INTEGERS,
    "n": NUMBERS,
    "f": NUMBERS - INTEGERS,
    "d": MOMENTS,
    "h": frozenset({TypeName.TIME}),
    "b": frozenset({TypeName.BOOLEAN}),
    "u": frozenset({TypeName.UUID}),
    "j": frozenset({TypeName.JSON}),
    "a": frozenset({TypeName.ARRAY}),
    "y": frozenset({TypeName.BYTEA}),
    "v": frozenset({TypeName.INTERVAL}),
    "p": frozenset({TypeName.INET}),
    "m": frozenset({TypeName.MACADDR}),
    "F": INTEGERS | TEXTS | {TypeName.BIT},
    "s": frozenset({TypeName.SMALLINT}),
    "I": frozenset({TypeName.INTEGER, TypeName.BIGINT}),
    "R": frozenset(),
    "B": frozenset(),
    "E": frozenset(),
}
_SUBJECTS = (
    "flags",
    "persons",
    "places",
    "moments",
    "money",
    "quantities",
    "states",
    "technical",
    "systems",
    "codes",
    "texts",
    "health",
    "trades",
    "everyday",
    "measures",
    "choices",
    "applications",
    "of_any_trade",
    "structures",
    "professions",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Concept:
    """What fields of some names hold: `what` and its arguments; `room`: the most characters that such a field has."""

    subject: str
    types: frozenset[TypeName]
    what: str
    arguments: str
    there: float | None = None
    sure: float = 0.86
    secret: bool = False
    room: int | None = None
    flag: bool = False
    alone: bool = False


@dataclass(frozen=True, slots=True)
class Found:
    """A concept, the words that told it, and how sure it is."""

    concept: Concept
    words: tuple[str, ...]
    whole: bool
    confidence: float


def declared(subject: str, line: str, sure: float = 0.86) -> tuple[list[tuple[str, ...]], Concept]:
    """The names of a line, each as words, and the concept that it declares."""
    names, _, told = line.partition(" : ")
    return _words_of(names), _concept(subject, told, sure)


def _words_of(names: str) -> list[tuple[str, ...]]:
    return [tuple(name.split()) for name in names.split(", ")]


@cache
def _concept(subject: str, told: str, sure: float = 0.86) -> Concept:
    """What stands behind the names of a line: read when a name of it is met for the first time."""
    body, _, extras = told.partition(" ; ")
    types, what = body.split(" : ", 1)
    options = {name: value for name, _, value in (option.partition("=") for option in extras.split())}
    word, _, arguments = what.strip().partition(" ")
    room = re.search(r"\d+", types)
    letters = re.sub(r"\d", "", types.strip())
    return Concept(
        subject=subject,
        types=frozenset().union(*(_TYPES[letter] for letter in letters)),
        what=word,
        arguments=arguments.strip(),
        there=float(options["there"]) if "there" in options else None,
        sure=float(options.get("sure", sure)),
        secret="secret" in options,
        room=int(room[0]) if room else None,
        flag="F" in letters,
        alone="alone" in options,
    )


_Line = tuple[str, str]  # its subject, and what stands behind its names


@dataclass(frozen=True, slots=True)
class _Table:
    """Lines by whole names and by how names begin; `known`: the words of names with their short forms spelled out."""

    whole: dict[tuple[str, ...], list[_Line]]
    begun: dict[str, list[_Line]]
    known: frozenset[str]


@lru_cache(maxsize=1)
def _every() -> _Table:
    lines: list[tuple[list[tuple[str, ...]], _Line]] = []
    for subject in _SUBJECTS:
        for line in filter(None, (files(__name__) / f"{subject}.txt").read_text("utf-8").split("\n")):
            names, _, told = line.partition(" : ")
            lines.append((_words_of(names), (subject, told)))
    long = abbreviations()
    # a short form stands for itself where it is a name of its own, as `os` does; elsewhere it is spelled out
    alone = {
        pattern[0] for patterns, (subject, _) in lines if subject != "structures" for pattern in patterns if len(pattern) == 1
    }
    short = {word: tuple(map(canonical, spelled)) for word, spelled in long.items() if word not in alone}
    whole: dict[tuple[str, ...], list[_Line]] = {}
    begun: dict[str, list[_Line]] = {}
    known: set[str] = set()
    for patterns, about in lines:
        for pattern in patterns:
            plain = spelled_out = tuple(map(canonical, pattern))
            if not short.keys().isdisjoint(pattern):
                spelled_out = tuple(one for word in pattern for one in short.get(word) or (canonical(word),))
            # as it is written as well: a topic may have the short form for a noun of its own
            written = [spelled_out, plain] if spelled_out != plain else [plain]
            if about[0] == "structures":  # mostly plurals, of which only the singular is a word for others
                single = tuple(map(singular, spelled_out))
                known.update(word for word in single if word not in long)
                written += [single] if single not in written else []
            else:
                known.update(spelled_out)
            for one in written:
                means = begun.setdefault(" ".join(one[:-1]), []) if one[-1] == "*" else whole.setdefault(one, [])
                if about not in means:
                    means.append(about)
    known.discard("*")
    return _Table(whole, begun, frozenset(known))


def known_words() -> frozenset[str]:
    """Every word of a pattern, its short forms spelled out."""
    return _every().known


def known_names() -> tuple[tuple[str, ...], ...]:
    """Every name of a concept, as words."""
    return tuple(_every().whole)


_OF_CATEGORIES = ("states", "choices", "technical", "systems", "applications", "codes", "flags", "measures")


@lru_cache(maxsize=1)
def known_values() -> frozenset[str]:
    """The values that we have for categories that tell of nobody: states, priorities, sorts of things."""
    out: set[str] = set()
    for lines in _every().whole.values():
        for subject, told in lines:
            concept = _concept(subject, told)
            if subject in _OF_CATEGORIES and concept.what == "words":
                out.update(item.rpartition(":")[0] for item in re.split(r", (?=[^,]*:\d)", concept.arguments))
    return frozenset(value for value in out if len(value) < 30 and not re.search(r"\d{3}|[@/\\]", value))


def number_of_concepts() -> int:
    return sum(len(concepts) for concepts in (*_every().whole.values(), *_every().begun.values()))


@lru_cache(maxsize=65_536)
def matching(words: tuple[str, ...]) -> tuple[Found, ...]:
    """What a name's words may mean: its longest known end first."""
    return tuple(_matching(words))


def _matching(words: tuple[str, ...]) -> Iterator[Found]:
    plain = tuple(word for word in words if not word.isdigit())
    ends = list(_ends_of(words))
    numbered = list(_ends_of(plain)) if plain and len(plain) < len(words) else []
    more = max((len(found.words) for found in numbered), default=0)  # a MAC address 1 is no first line of an address
    shorter = 0.97 if all(len([word for word in found.words if not word.isdigit()]) >= more for found in ends) else 0.88
    yield from (replace(found, confidence=found.confidence * (1.0 if shorter > 0.9 else shorter)) for found in ends)
    for found in numbered:  # `witness 1 name` is a witness's name
        yield replace(found, confidence=found.confidence * 0.97)


def _ends_of(words: tuple[str, ...]) -> Iterator[Found]:
    table = _every()
    for start in range(len(words)):
        for concept in (_concept(*line) for line in table.whole.get(words[start:], ())):
            if concept.alone and start:
                continue
            share = 1.0 if start == 0 else 0.95 if len(words) - start > 1 else 0.9
            if "of" in words[1:start]:  # a type of contact is a type
                share *= 0.6
            yield Found(concept, words[start:], start == 0, concept.sure * share)
        if start == 0:
            for length in (length for length in (2, 1) if len(words) > length):
                for concept in (_concept(*line) for line in table.begun.get(" ".join(words[:length]), ())):
                    yield Found(concept, words[:length], False, concept.sure * 0.9)
