"""Tables of countries and of languages, whose columns tell of one country in each row: its codes, its name, its capital."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ..model import Field
from ..model.types import TEXTS
from ..values.atlas import countries
from ..values.facts import languages
from .around import Around, Guessed, default_of, is_keyed
from .called_by_noun import hangs_on_others
from .offers import by_words, has_room, of_named_kind

_NAMES = "name/display name/english name/title/label/common name/name english/long name/full name/description"
_CODES = "code/iso/iso 2/iso2/cca 2/iso code/alpha 2/code 2/short code/abbreviation"
_CODES_3 = "iso 3/iso3/cca 3/alpha 3/code 3/iso code 3"
# by noun and fact, what the column is called
_CALLED = {
    "country": {
        "code": f"{_CODES}/country code/iso alpha 2/iso code 2/iso 3166 1 a 2/iso 3166",
        "code3": f"{_CODES_3}/iso alpha 3/iso 3166 1 a 3/code iso 3",
        "name": _NAMES,
        "number": "numeric code/number code/iso number/numeric/iso numeric/code number/numcode/iso number code",
        "calling-code": "phone code/calling code/dial code/dialling code/phone prefix/calling prefix/telephone code/phone",
        "currency": "currency/currency code",
        "capital": "capital/capital city",
        "continent": "continent/continent name/region/region name/world region/area",
        "domain": "tld/top level domain/domain",
    },
    "language": {
        "code": f"{_CODES}/language code/iso 639 1/iso 639/tag/locale",
        "code3": f"{_CODES_3}/iso 639 2/iso 639 3",
        "name": _NAMES,
        "own-name": "native name/own name/local name/endonym/name native/name local/original name",
        "direction": "direction/text direction/writing direction/dir",
    },
}
_FACTS = {noun: {name: fact for fact, names in told.items() for name in names.split("/")} for noun, told in _CALLED.items()}
_BASES = ("code", "code3", "name")  # what the others follow from, the first that is there in every row
_SURE = 0.975
_LISTED = 60  # countries of a table that need not differ


def facts_of_row(around: Around, field: Field) -> Iterator[Guessed]:
    """What a column of such a table holds: the code of a country, or what follows from the code."""
    facts = _FACTS.get(around.head)
    told = None if facts is None else facts.get(" ".join(around.words[field.name]))
    if facts is None or told is None or field.type.name not in TEXTS or default_of(field) is not None:
        return
    columns = {
        fact: other
        for other in reversed(around.entity.fields)
        if (fact := facts.get(" ".join(around.words[other.name]))) is not None
        and other.type.name in TEXTS
        and (not other.nullable or other.name in around.entity.key)
    }
    base = next((columns[fact] for fact in _BASES if fact in columns), None)
    if base is None or (len(columns) < 2 and base is field):
        return
    if base is not field:
        said = f"{told} of the {around.head} that {base.name} tells"
        yield of_named_kind(f"{around.head}-fact", said, _SURE, of=base.name, tell=told)
    elif told != "name":
        yield from _codes(around, field, told)


def _codes(around: Around, field: Field, told: str) -> Iterator[Guessed]:
    """Each country or language once, where it stands for itself."""
    known = languages() if around.head == "language" else countries()
    codes = [one.code if told == "code" else one.code3 for one in known.values()]
    if not has_room(field, len(codes[0])):
        return
    reason = f"one {around.head} in each row, by its code"
    if around.head == "country" and is_keyed(around.entity, field):
        yield of_named_kind("iso-3166-country" if told == "code" else "iso-3166-country-3", reason, _SURE)
        return
    listed = codes if around.head == "language" or is_keyed(around.entity, field) else _spread(codes)
    made = by_words(field, tuple((code, 1.0) for code in listed), reason, _SURE)
    if made is not None:
        yield replace(made, guess=replace(made.guess, closed=not hangs_on_others(around.entity)))


def _spread(codes: list[str]) -> list[str]:
    return codes[:: max(1, len(codes) // _LISTED)]
