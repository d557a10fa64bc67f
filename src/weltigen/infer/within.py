"""What lies in lists, and in columns of bytes: what a single value of the name would be, as a text or as JSON."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import replace

from ..model import Field, FieldType, Guess, KindSource, PatternSource, TypeName, WeightsSource
from ..model.changing import changed
from ..model.types import TEXTS
from ..values import get_kind
from .around import Around, Guessed
from .naming import folded, is_plural
from .offers import has_room, of_named_kind
from .otherwise import Guessing


def texts_in_bytes(around: Around, field: Field, guessing: Guessing) -> Iterator[Guessed]:
    """What the field would hold if it were a text, as far as bytes hold it: titles, paths, settings."""
    text = changed(
        field, type=FieldType(name=TypeName.VARCHAR, length=field.room) if field.room else FieldType(name=TypeName.TEXT)
    )
    for one in guessing(around, text):
        if isinstance(one.source, KindSource) and get_kind(one.source.kind).fills(TypeName.BYTEA) and one.guess.confidence > 0.6:
            yield replace(one, guess=replace(one.guess, confidence=one.guess.confidence * 0.95))
        elif isinstance(one.source, WeightsSource) and one.guess.confidence > 0.6 and has_room(text, 12):
            yield of_named_kind("thing-name", f"{one.guess.reason}, in bytes", one.guess.confidence * 0.9)
    if _OF_ANY_FORM.isdisjoint(around.words[field.name]) and (field.room or 4096) >= 1024:
        for one in guessing(around, changed(field, type=FieldType(name=TypeName.JSON))):
            if isinstance(one.source, KindSource) and one.source.kind == "json" and one.guess.confidence > 0.6:
                told = Guess(reason=f"{one.guess.reason}, as JSON in bytes", confidence=round(0.9 * one.guess.confidence, 2))
                yield replace(one, guess=told)


# what may be of any form where it is kept as bytes: a file, a picture, something encrypted
_OF_ANY_FORM = frozenset("data content body value raw blob file image payload extra info message output".split())
_COUNTRIES = (
    "United Kingdom", "Germany", "France", "Spain", "Italy", "Netherlands", "Ireland", "Poland", "Sweden", "Austria", "Belgium",
    "Denmark", "Canada", "Australia", "Japan", "Brazil",
)  # fmt: skip
_MEMBERS = frozenset(
    "name organization uri email tel town country-name file-path job-title username brand uuid ipv4 host-name domain-name".split()
)


def of_elements(around: Around, field: Field, guessing: Guessing) -> Iterator[Guessed]:
    """Lists of what a single value of the name would be: addresses, persons, one of a few."""
    element = field.type.element
    several = field.type.name is TypeName.JSON and around.words[field.name] and is_plural(folded(field.name))
    if not several and (element is None or element.name not in TEXTS):
        return
    for one in guessing(around, changed(field, type=FieldType(name=TypeName.TEXT))):
        source = one.source
        items: dict[str, object] | None = None
        if isinstance(source, KindSource) and source.kind == "country-name":
            items = {"type": "string", "enum": list(_COUNTRIES)}
        elif isinstance(source, KindSource) and source.kind in _MEMBERS:
            items = {"kind": "other-person" if source.kind == "name" else source.kind}  # several persons, not the row's
        elif isinstance(source, WeightsSource):
            items = {"type": "string", "enum": [value for value, _ in source.weights]}
        elif isinstance(source, PatternSource):
            one_of = re.sub(r"\(, [^()]*(\([^()]*\))?[^()]*\)\?$", "", source.pattern)  # one of what may be several
            plain = re.fullmatch(r"\(([\w &'-]+(?:\|[\w &'-]+)+)\)", one_of)
            items = {"pattern": one_of} if plain is None else {"type": "string", "enum": plain[1].split("|")}
        if items is not None and one.guess.confidence >= 0.6:
            schema = json.dumps({"type": "array", "items": items, "minItems": "1", "maxItems": "3"})
            made = of_named_kind("json", f"a list; {one.guess.reason}", one.guess.confidence * 0.9, schema=schema)
            yield replace(made, secret=one.secret)
