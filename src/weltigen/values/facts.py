"""What is known of a country or a language, by its code or its name in the same row: tables that applications keep of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from .atlas import Country, countries
from .pools import told_apart
from .registry import FromText, KindError, Request, declare


@dataclass(frozen=True, slots=True)
class Language:
    """Its codes of ISO 639-1 and 639-2, its name in four languages and in its own, and which way it is written."""

    code: str
    code3: str
    name: str
    german: str
    french: str
    spanish: str
    own: str
    direction: str

    def called(self, language: str) -> str:
        return {"de": self.german, "fr": self.french, "es": self.spanish}.get(language, self.name)


@lru_cache(maxsize=1)
def languages() -> dict[str, Language]:
    """By code, the likeliest first."""
    lines = (files("weltigen.values") / "data" / "languages.txt").read_text("utf-8").splitlines()
    return {one.code: one for one in (Language(*line.split("\t")) for line in lines)}


_OF_COUNTRIES: dict[str, Callable[[Country, str], str]] = {
    "name": lambda one, language: one.called(language),
    "code": lambda one, _: one.code,
    "code3": lambda one, _: one.code3,
    "number": lambda one, _: one.number,
    "currency": lambda one, _: one.currency,
    "calling-code": lambda one, _: f"+{one.phone if len(one.phone) < 5 else one.phone[:2]}",
    "capital": lambda one, _: one.capital,
    "continent": lambda one, _: one.continent,
    "domain": lambda one, _: one.domain,
}
_OF_LANGUAGES: dict[str, Callable[[Language, str], str]] = {
    "name": lambda one, language: one.called(language),
    "own-name": lambda one, _: one.own,
    "code": lambda one, _: one.code,
    "code3": lambda one, _: one.code3,
    "direction": lambda one, _: one.direction,
}


def _told(request: Request, facts: Mapping[str, Callable[[Any, str], str]], known: Mapping[str, Any]) -> FromText:
    if "of" not in request.parameters:
        raise KindError("it needs the field that holds the code or the name: {of: FIELD, tell: name}")
    tell = request.parameters.get("tell", "name")
    if tell not in facts:
        raise KindError(f"nothing is known of '{tell}'; it tells: {', '.join(facts)}")
    texts = {code: facts[tell](one, request.language) for code, one in known.items()}
    longest = max(map(len, texts.values()))
    if not request.fits(longest):
        raise KindError(f"the longest has {longest} characters")
    by_any: dict[str, str] = {}
    for code, one in known.items():
        for spelled in (one.code, one.code3, one.name, one.called(request.language)):
            by_any.setdefault(spelled.casefold(), texts[code])

    def convert(told: Any) -> Any:
        encoded = pc.dictionary_encode(told)
        named = [by_any.get((text or "").casefold(), text) for text in encoded.dictionary.to_pylist()]
        return pa.array(named, pa.string()).take(encoded.indices)

    apart = len(told_apart(texts.values())) == len(texts)
    return FromText(field=request.parameters["of"], convert=convert, apart=apart)


@declare(
    "country-fact",
    "A fact of the country whose code or name another field holds; `tell`: name, capital, currency, calling-code …",
    standard="ISO 3166-1",
    parameters=("of", "tell"),
)
def country_fact(request: Request) -> FromText:
    return _told(request, _OF_COUNTRIES, countries())


@declare(
    "language-fact",
    "A fact of the language whose code or name another field holds; `tell`: name, own-name, code, code3, direction.",
    standard="ISO 639-1",
    parameters=("of", "tell"),
)
def language_fact(request: Request) -> FromText:
    return _told(request, _OF_LANGUAGES, languages())
