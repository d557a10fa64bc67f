"""Texts in the form of a standard: HTML, XML, YAML, Markdown, SVG, cards, calendars, tables, certificates, pictures as text."""

from __future__ import annotations

import base64
from collections.abc import Callable, Sequence

from ..randomness import Key
from ..randomness.mixing import word
from .choosing import pool_of
from .grammar import capitalised
from .person_names import folded_names
from .pictures import square
from .registry import Request, Values
from .vocabulary import Topic

KEY = Key(0x428A2F98D728AE22, 0x7137449123EF65CD)
Sentences = Callable[[], Sequence[str]]
_COLOURS = ("#1b4965", "#2a6f97", "#62b6cb", "#5fa8d3", "#9a031e", "#fb8b24", "#0f4c5c", "#588157", "#6d597a", "#b56576")


def _made(request: Request, own: Topic, remarks: Sequence[str], form: Callable[[str, str, str], str], what: str) -> Values:
    """A thing of the topic and two remarks, in a form."""
    pairs = list(zip(remarks[:40:2], remarks[1:40:2], strict=False))
    return pool_of([form(capitalised(thing), *pair) for thing in own.words("things")[:20] for pair in pairs], request, what)


def _of_form(form: Callable[[str, str, str], str], what: str) -> Callable[[Request, Topic, Sentences], Values]:
    return lambda request, own, remarks: _made(request, own, remarks(), form, what)


def _listed(texts: Callable[[Topic], list[str]], what: str) -> Callable[[Request, Topic, Sentences], Values]:
    return lambda request, own, remarks: pool_of(texts(own), request, what)


def _traces(own: Topic) -> list[str]:
    return [
        f'Traceback (most recent call last):\n  File "{module}.py", line {line}, in {name}\n{error}: {said}'
        for module in ("worker", "views", "tasks", "export", "models")
        for line in range(17, 400, 29)
        for name in ("run", "load", "handle")
        for error, said in (("ValueError", "invalid date"), ("KeyError", "'amount'"), ("TimeoutError", "no answer in 30 s"))
    ]


def _headers(own: Topic) -> list[str]:
    return [
        f"Received: from mail{n}.example.com\nContent-Type: text/{kind}; charset=utf-8\nX-Priority: {p}"
        for n in range(1, 60)
        for kind in ("plain", "html")
        for p in (1, 3, 5)
    ]


def names_in(part: str, locale: str, number: int) -> tuple[str, ...]:
    """The commonest given or family names of a locale."""
    from .people import names_of

    return names_of(locale, part)[:number]


def _cards(request: Request, own: Topic, remarks: Sentences) -> Values:
    card = "BEGIN:VCARD\r\nVERSION:3.0\r\nFN:{} {}\r\nEMAIL:{}.{}@example.com\r\nEND:VCARD\r\n"
    texts = [
        card.format(given, family, folded_names(given), folded_names(family))
        for given in names_in("given", request.locale, 30)
        for family in names_in("family", request.locale, 40)
    ]
    return pool_of(texts, request, "card")


def _pictures(own: Topic) -> list[str]:
    """Scalable Vector Graphics 1.1: a disc or a square of one colour."""
    shapes = ('<circle cx="12" cy="12" r="{r}" fill="{c}"/>', '<rect x="2" y="2" width="20" height="20" rx="{r}" fill="{c}"/>')
    return [
        '<svg xmlns="http://www.w3.org/2000/svg" width="24" height="24" viewBox="0 0 24 24">' + shape.format(r=r, c=c) + "</svg>"
        for shape in shapes
        for r in range(4, 12)
        for c in _COLOURS
    ]


def _calendars(own: Topic) -> list[str]:
    """One appointment each (RFC 5545)."""
    return [
        f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//example.com//EN\r\nBEGIN:VEVENT\r\nUID:{day:02}{hour}-{at}@example.com\r\n"
        f"DTSTAMP:202503{day:02}T080000Z\r\nDTSTART:202504{day:02}T{hour:02}0000Z\r\nDTEND:202504{day:02}T{hour + 1:02}0000Z\r\n"
        f"SUMMARY:{capitalised(thing)}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        for at, thing in enumerate(own.words("things")[:12])
        for day in range(1, 29, 3)
        for hour in (9, 11, 14, 16)
    ]


def _tables(own: Topic) -> list[str]:
    """Rows separated by commas (RFC 4180)."""
    things = own.words("things")
    lines = [f"{things[at % len(things)]},{1 + at * 7 % 20},{5 + at * 13 % 400 / 10:.2f}\r\n" for at in range(123)]
    return ["name,quantity,price\r\n" + "".join(lines[start : start + 3]) for start in range(120)]


def _certificates(own: Topic) -> list[str]:
    """Blocks as RFC 7468 writes them; what they hold is random and no certificate of anybody."""

    def body(n: int) -> str:
        octets = b"\x30\x82\x01\x8a" + b"".join(word(KEY, n * 64 + at).to_bytes(8, "big") for at in range(49))
        text = base64.b64encode(octets).decode()
        return "\n".join(text[at : at + 64] for at in range(0, len(text), 64))

    return [f"-----BEGIN CERTIFICATE-----\n{body(n)}\n-----END CERTIFICATE-----\n" for n in range(200)]


def _stylesheets(own: Topic) -> list[str]:
    return [
        f".{part} {{ color: {colour}; padding: {space}px; }}"
        for part in ("header", "card", "button", "footer", "sidebar", "banner")
        for colour in _COLOURS
        for space in (4, 8, 12, 16)
    ]


def _squares(own: Topic) -> list[str]:
    """Small pictures in one colour, as data URLs (RFC 2397)."""
    tones = range(20, 256, 40)
    every = (square(red, green, blue, 4) for red in tones for green in tones for blue in tones)
    return [f"data:image/png;base64,{base64.b64encode(one).decode()}" for one in every]


FORMS: dict[str, Callable[[Request, Topic, Sentences], Values]] = {
    "html": _of_form(lambda t, a, b: f"<h2>{t}</h2><p>{a} {b}</p>", "page"),
    "xml": _of_form(lambda t, a, b: f"<entry><title>{t}</title><note>{a}</note></entry>", "document"),
    "yaml": _of_form(lambda t, a, b: f"title: {t}\nnote: {a}\n", "document"),
    "markdown": _of_form(lambda t, a, b: f"## {t}\n\n{a}\n\n- {b}\n", "document"),
    "trace": _listed(_traces, "trace"),
    "headers": _listed(_headers, "header"),
    "vcard": _cards,
    "svg": _listed(_pictures, "picture"),
    "calendar": _listed(_calendars, "calendar"),
    "table": _listed(_tables, "table"),
    "certificate": _listed(_certificates, "certificate"),
    "stylesheet": _listed(_stylesheets, "style sheet"),
    "picture": _listed(_squares, "picture"),
}
