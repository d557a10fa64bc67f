"""Values of lists: what they are in other languages, and which of them stand side by side."""

from __future__ import annotations

import re
from functools import lru_cache
from importlib.resources import files

_FOLDER = __name__.rpartition(".")[0]


@lru_cache(maxsize=1)
def _values() -> dict[str, dict[str, str]]:
    out: dict[str, dict[str, str]] = {"de": {}, "fr": {}, "es": {}}
    for line in (files(_FOLDER) / "values.txt").read_text("utf-8").splitlines():
        english, _, others = line.partition(": ")
        for language, value in zip(out, others.split("; "), strict=False) if line[:1] != "#" else ():
            out[language][english] = value
    return out


_OF_ORDERS = frozenset(("processing", "delivered", "open", "closed", "in progress", "done", "cancelled", "shipped", "paid"))
_ENOUGH = 3  # values that stand for all of a list


def in_language(values: tuple[tuple[str, float], ...], language: str) -> tuple[tuple[str, float], ...]:
    """Values with their weights in another language, as far as they are known in it; where too few are, as they stand."""
    known = _values().get(language)
    if known is None:
        return values
    words = [one for one in values if one[0].replace(" ", "").isalpha() and one[0].islower()]
    told = [one for one in words if one[0] in known]
    if len(told) < len(words):
        if len(told) < _ENOUGH or 2 * sum(weight for _, weight in told) < sum(weight for _, weight in words):
            return values
        values = tuple(one for one in values if one in told or one not in words)
    said: dict[str, float] = {}
    if language == "fr" and _OF_ORDERS & {value for value, _ in values}:  # what is new in French was just ordered, or never used
        known = known | {"new": "nouveau"}
    for value, weight in values:
        said[known.get(value, value)] = said.get(known.get(value, value), 0.0) + weight
    return tuple(said.items())


def translated(value: str, language: str) -> str | None:
    """A value in another language; None where it is not known in it."""
    return _values().get(language, {}).get(value)


@lru_cache(maxsize=1)
def _families() -> dict[str, tuple[str, ...]]:
    lines = (files(_FOLDER) / "families.txt").read_text("utf-8").splitlines()
    out: dict[str, tuple[str, ...]] = {}
    for family in (tuple(line.split(", ")) for line in lines):
        out.setdefault(family[0], family)
    for family in (tuple(line.split(", ")) for line in lines):
        for value in family:
            out.setdefault(value, family)
    return out


def family_of(value: str) -> tuple[str, ...]:
    """A value and those that stand where it stands, spelled as it is: Enabled, Disabled; nothing where none are known."""
    spaced = value.lower() if value.lower() in _families() else re.sub("[_-]", " ", value.lower())
    family = _families().get(spaced, ())
    mark = "_" if "_" in value else "-" if "-" in value else None

    def spelled(one: str) -> str:
        one = one.upper() if value.isupper() else one.capitalize() if value[:1].isupper() else one
        return one.replace(" ", mark) if mark is not None else one

    return (value, *(spelled(one) for one in family if one != spaced)) if family else ()
