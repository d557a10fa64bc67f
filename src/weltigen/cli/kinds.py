"""weltigen kinds"""

from __future__ import annotations

from datetime import datetime
from typing import Any

import click
import numpy as np

from ..model import FieldType, TypeName
from ..model.problems import UsageError, nearest
from ..randomness import Bits
from ..randomness.mixing import below
from ..values import LANGUAGES, FromText, Kind, KindError, People, PersonPart, Request, Turn, Values, get_kind, kind_names
from . import options
from .show import cell, columns, dim, out, out_json, strong

_PREFERRED = (TypeName.TEXT, TypeName.NUMERIC, TypeName.TIMESTAMP, TypeName.DATE, TypeName.TIME, TypeName.BOOLEAN)


@click.command()
@click.argument("kind", required=False)
@click.option("--topics", is_flag=True, help="The topics that texts and names can be about, with samples.")
@click.option(
    "--language",
    metavar="TAG",
    default="en",
    help="What samples are in: de, en-US, pt …; texts are in English, German, French or Spanish.",
)
@options.as_json
def kinds(kind: str | None, topics: bool, language: str, json_: bool) -> None:
    """The kinds of value that a field can have, with samples; or one KIND in full."""
    if language.partition("-")[0].lower() not in LANGUAGES:
        raise UsageError(f"no names are known in '{language}'", hint=f"there are {', '.join(LANGUAGES)}")
    if topics:
        _show_topics(kind, language, json_)
        return
    if json_:
        asked = [get_kind(kind)] if kind is not None else [get_kind(name) for name in kind_names()]
        out_json([_facts(known, language) for known in asked])
        return
    if kind is None:
        lines = [["kind", "such as", "what it is"]]
        lines += [
            [name, _short(samples(get_kind(name), 1, language)), get_kind(name).summary.rstrip(".")] for name in kind_names()
        ]
        printed = columns(lines)
        out("\n".join([dim(printed[0]), *printed[1:]]))
        out("Next: weltigen kinds KIND")
        return
    known = get_kind(kind)
    out(f"{strong(known.name)}  {known.summary}")
    said = [["standard", known.standard or "none"], ["fills", ", ".join(sorted(known.suits))]]
    said += [["parameters", ", ".join(known.parameters)]] if known.parameters else []
    size = space(known, language)
    said += (
        [["values", f"{size:,} different ones" if size < 10**9 else f"about 10^{len(str(size)) - 1} different ones"]]
        if size
        else []
    )
    said.append(["such as", samples(known, 5, language)])
    out("\n".join(columns(said)))


def _show_topics(name: str | None, language: str, json_: bool) -> None:
    from ..values.vocabulary import topics

    known = {key: one.spoken(language.partition("-")[0]) for key, one in topics().items()}
    if name is not None and name not in known:
        raise UsageError(f"no topic is called '{name}'", hint=nearest(name, list(known)))
    chosen = [known[name]] if name is not None else [known[one] for one in sorted(known)]
    if json_:
        out_json(
            [
                {"topic": one.name, "entities": list(one.nouns), **{key: list(one.words(key)) for key in one.lists}}
                for one in chosen
            ]
        )
        return
    if name is not None:
        one = chosen[0]
        out(f"{strong(one.name)}  for {', '.join(one.nouns)}")
        lists = ((key, one.words(key)) for key in one.lists)
        out("\n".join(columns([[key, " · ".join(words[:6]) + (" …" if len(words) > 6 else "")] for key, words in lists])))
        return
    printed = columns(
        [
            ["topic", "of entities called", "such as"],
            *([one.name, ", ".join(one.nouns[:4]), " · ".join(one.words("things")[:3])] for one in chosen),
        ]
    )
    out("\n".join([dim(printed[0]), *printed[1:]]))
    out("Next: weltigen kinds --topics TOPIC")


_SHOWN = 34  # characters of a sample in a list


def _short(text: str) -> str:
    return text if len(text) <= _SHOWN else f"{text[: _SHOWN - 1].rstrip()}…"


def _facts(kind: Kind, language: str) -> dict[str, Any]:
    return {
        "kind": kind.name, "summary": kind.summary, "standard": kind.standard, "fills": sorted(kind.suits),
        "parameters": list(kind.parameters), "space": space(kind, language), "samples": samples(kind, 5, language).split(" · "),
    }  # fmt: skip


def space(kind: Kind, language: str = "en") -> int | None:
    """How many different values there are for a column without limits; None for what follows other fields of its row."""
    try:
        prepared = kind.prepare(asked(kind, language))
    except KindError:
        return None
    return prepared.space if isinstance(prepared, Values) else None


def asked(kind: Kind, language: str) -> Request:
    """What an invented field of an entity of a thousand rows asks for."""
    usual = (
        TypeName.DATE
        if kind.name in ("date", "bday")
        else next((name for name in _PREFERRED if name in kind.suits), min(kind.suits))
    )
    element = FieldType(name=TypeName.TEXT) if usual is TypeName.ARRAY else None
    of_type = FieldType(name=usual, precision=8, scale=2, element=element)
    parameters = {"pattern": {"of": "[A-Z]{2}[0-9]{3}"}, "slug": {"of": "title"}, "abbreviation": {"of": "title"},
                  "named-value": {"of": "name"}, "review": {"of": "stars"}, "thread": {"of": "ticket.subject"},
                  "turns": {"of": "ticket.opened_at"}, "side": {"of": "ticket_id", "first": "customer", "then": "agent"},
                  "course": {"of": "measured_at", "from": "2", "to": "14", "day": "3"},
                  "country-fact": {"of": "country_code"}, "language-fact": {"of": "language_code"},
                  "document-number": {"of": "issued_on", "form": "INV-{year}-{number:5}"}}.get(kind.name, {})  # fmt: skip
    window = (datetime(2024, 1, 1), datetime(2026, 1, 1))
    return Request(type=of_type, rows=1000, window=window, parameters=parameters, language=language.partition("-")[0],
                   locale=language)  # fmt: skip


_LONGEST = 600  # characters of one sample
_TITLES = ["Port Skerrow", "North Hollin", "Old Ulvness", "Tarnholm Bay", "Merlsund"]
_MADE_FROM: dict[str, list[Any]] = {
    "country-fact": ["NO", "GB", "DK", "IE", "IS"],
    "language-fact": ["nb", "en", "da", "ga", "is"],
    "review": [5, 3, 1, 4, 2],
    "course": [datetime(2024, 7, 1, hour) for hour in (3, 9, 15, 21, 23)],
    "side": [1] * 5,
    "turns": [datetime(2024, 7, 1, 9)] * 5,
    "thread": ["Lamp out on the quay"] * 5,
    "named-value": ["Voltage", "Material", "theme", "page_size", "due_date"],
}


def samples(kind: Kind, number: int, language: str = "en") -> str:
    """A few values, as the first rows of an invented entity would have them."""
    import pyarrow as pa

    bits, ordinals = Bits(1, "sample", kind.name), np.arange(2, 2 + number)
    values: Any
    try:
        prepared = kind.prepare(asked(kind, language))
    except KindError as error:
        return str(error)
    match prepared:
        case PersonPart(decode=decode):
            people = People(Bits(1, "sample", "person"), 1000, None, None, locale=language)
            values = decode(people, people.at(ordinals))
        case FromText(convert=convert, numbered=True):
            values = convert(pa.array([datetime(2024 + at // 3, 1 + 2 * at, 1) for at in range(number)]), 1 + ordinals)
        case FromText(convert=convert, in_turn=True):
            at = np.arange(number, dtype=np.int64)
            values = convert(pa.array(_MADE_FROM[kind.name][:number]), Turn(at * 0, at, at * 0 + number))
        case FromText(convert=convert, drawn=True):
            values = convert(pa.array(_MADE_FROM[kind.name][:number]), bits.words(ordinals))
        case FromText(convert=convert):
            values = convert(pa.array(_MADE_FROM.get(kind.name, _TITLES)[:number]))
        case _:
            words = bits.words(ordinals)
            values = prepared.decode(prepared.draw(words) if prepared.draw else below(words, prepared.space))
    return " · ".join(map(_cut, map(cell, values.to_pylist())))


def _cut(text: str) -> str:
    """A sample as the terminal shows it: of a whole file in base64 its beginning and its length."""
    return text if len(text) <= _LONGEST else f"{text[:48]}… ({len(text):,} characters)"
