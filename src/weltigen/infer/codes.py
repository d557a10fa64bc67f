"""The form of codes by what they are for: INV-2024-00121, 4-digit cost centres, serial numbers of makers, rooms."""

from __future__ import annotations

import re

from ..model import Field
from ..model.types import MOMENTS, TEXTS
from .around import Around, Guessed
from .offers import of_named_kind

_VOWELS = re.compile("[aeiou]")
_FORMS: dict[str, tuple[str, ...]] = {
    "invoice": ("{P}-202[3-5]-[0-9]{5}", "{P}202[3-5][0-9]{5}"), "bill": ("{P}-202[3-5]-[0-9]{5}",), "quote": ("{P}-202[3-5]-[0-9]{4}",),
    "order": ("{P}-[1-9][0-9]{5}",), "account": ("[1-9][0-9]{7}",), "customer": ("{P}[1-9][0-9]{5}", "[1-9][0-9]{6}"), "client": ("{P}[1-9][0-9]{5}",),
    "student": ("[1-9][0-9]{6}",), "employee": ("[1-9][0-9]{4}",), "personnel": ("[1-9][0-9]{4}",), "staff": ("[1-9][0-9]{4}",),
    "member": ("M[0-9]{6}",), "membership": ("M[0-9]{6}",), "serial": ("[A-Z]{2}[0-9]{2}-[0-9]{6}", "[A-Z]{2}[0-9]{7}", "[0-9]{8}"),
    "batch": ("[A-Z]2[3-6][0-9]{4}", "[A-Z][0-9]{5}"), "lot": ("L2[3-6][0-9]{4}", "L[0-9]{5}"), "asset": ("AT-[0-9]{5}",), "inventory": ("IN-[0-9]{5}",),
    "policy": ("{P}-[0-9]{3}-[0-9]{5}",), "claim": ("CL-202[3-5]-[0-9]{4}",), "ticket": ("{P}-[1-9][0-9]{3,4}",), "case": ("202[3-5]-[0-9]{5}",),
    "contract": ("{P}-[0-9]{6}",), "meter": ("1(EMH|ITR|LGZ|ISK)00[0-9]{8}", "[1-9][0-9]{7}"), "sample": ("S2[3-6]-[0-9]{5}", "S[0-9]{5}"),
    "specimen": ("S2[3-6]-[0-9]{5}",), "lab": ("L[0-9]{6}",), "project": ("P2[3-6]-[0-9]{3}",), "job": ("J-[0-9]{5}",), "course": ("[A-Z]{3}[1-4][0-9]{2}",),
    "module": ("[A-Z]{3}[1-4][0-9]{2}",), "class": ("[A-Z]{2}-[0-9]{3}",), "voucher": ("[A-HJ-NP-Z2-9]{4}-[A-HJ-NP-Z2-9]{4}",),
    "coupon": ("[A-Z]{4,6}[1-9][05]",), "promo": ("[A-Z]{4,6}[1-9][05]",), "gift": ("[A-HJ-NP-Z2-9]{4}-[A-HJ-NP-Z2-9]{4}",),
    "part": ("[1-9][0-9]{2}-[0-9]{4}-[0-9]{2}", "[1-9][0-9]{5}"), "product": ("[A-Z]{2}-[0-9]{4}",), "article": ("[1-9][0-9]{5}",), "item": ("[1-9][0-9]{5}",),
    "booking": ("[A-HJ-NP-Z2-9]{6}",), "reservation": ("[A-HJ-NP-Z2-9]{6}",), "confirmation": ("[A-HJ-NP-Z2-9]{6}",), "transaction": ("TX[0-9]{9}", "TX[0-9]{6}"),
    "payment": ("PAY-[0-9]{7}", "P[0-9]{6}"), "patient": ("P[0-9]{7}",), "insurance": ("[A-Z][0-9]{9}",), "container": ("[A-Z]{3}U[0-9]{7}",),
    "tax": ("[1-9][0-9]{2}/[0-9]{4}/[0-9]{4}",), "tracking": ("[A-Z]{2}[0-9]{9}[A-Z]{2}",), "registration": ("[A-Z]{2}[0-9]{6}",), "hire": ("{P}-[0-9]{6}",),
    "rental": ("{P}-[0-9]{6}",), "delivery": ("DN-[0-9]{6}",), "receipt": ("R-[0-9]{6}",), "department": ("[A-Z]{2,3}[1-9][0-9]",), "instrument": ("[A-Z]{2,3}-[0-9]{3}",),
    "site": ("[A-Z]{3}[0-9]",), "branch": ("[A-Z]{3}[0-9]{2}",), "depot": ("[A-Z]{3}[0-9]{2}",), "warehouse": ("WH[0-9]{2}",), "station": ("[A-Z]{2}[0-9]{3}",),
    "equipment": ("EQ-[0-9]{4}",), "machine": ("M-[0-9]{4}",), "device": ("D-[0-9]{5}",), "document": ("DOC-[0-9]{5}",), "card": ("[0-9]{10}",),
}  # fmt: skip
_FIXED: dict[str, tuple[str, ...]] = {
    "sku": ("[A-Z]{3}-[0-9]{4}-[A-Z]{2}", "[A-Z]{3}-[0-9]{4}", "[A-Z]{2}[0-9]{4}"), "personal": ("[A-Z]{2}[0-9]{7}", "[A-Z][0-9]{6}"),
    "licence": ("[A-Z]{2}-[0-9]{6}", "[A-Z][0-9]{6}"), "room": ("[A-D][0-4][0-9]{2}", "[1-4][0-9]{2}"),
    "model": ("[A-Z]{2}-?[1-9][0-9]{2}[A-Z]?", "[A-Z][1-9][0-9]"),
}  # fmt: skip
_SHORTER = ("{P}-[0-9]{6}", "{P}[0-9]{5}", "[A-Z]{2}[0-9]{4}", "[A-Z][0-9]{3}", "[A-Z][0-9]{2}", "[A-Z][0-9]", "[A-Z]")


def initials(word: str, language: str) -> str:
    return _INITIALS.get(language, {}).get(word) or abbreviated(word)


def abbreviated(word: str) -> str:
    """Two or three capitals for a word: INV for invoice, HIR for hire."""
    start, rest = word[:1], _VOWELS.sub("", word[1:])
    short = (start + rest)[:3] if len(start + rest) >= 3 else word[:3]
    return re.sub("[^A-Z]", "", short.upper()) or "NR"


# what numbers of documents begin with in other languages
_INITIALS = {
    "de": {"invoice": "RE", "bill": "RE", "order": "AU", "customer": "KD", "client": "KD", "contract": "VT", "quote": "AN", "delivery": "LS",
           "claim": "SN", "policy": "VS", "ticket": "TK", "hire": "MV", "rental": "MV", "receipt": "Q", "member": "MG"},
    "fr": {"invoice": "FA", "bill": "FA", "order": "CM", "customer": "CL", "client": "CL", "contract": "CT", "quote": "DV", "delivery": "BL",
           "claim": "SI", "policy": "PO", "hire": "LO", "rental": "LO", "receipt": "RC", "member": "AD"},
    "es": {"invoice": "FA", "bill": "FA", "order": "PE", "customer": "CL", "client": "CL", "contract": "CO", "quote": "PR", "delivery": "AL",
           "claim": "SI", "policy": "PO", "hire": "AQ", "rental": "AQ", "receipt": "RC", "member": "SO"},
}  # fmt: skip


def code_pattern(style: str, words: tuple[str, ...], entity: tuple[str, ...], room: int | None, language: str = "en") -> str:
    """A regular expression for codes of a field with these words, in an entity with those, that fits the room."""
    if style in _FIXED:
        forms = _FIXED[style]
    else:
        subject = next(
            (word for word in reversed(words[:-1]) if word in _FORMS or word not in _PLAIN), entity[-1] if entity else "number"
        )
        named = next((word for word in (*reversed(words), *reversed(entity[-1:])) if word in _FORMS), None)
        forms = _FORMS[named] if named is not None else ("{P}-[0-9]{6}",)
        forms = tuple(
            form.replace("{P}", initials(subject if subject not in _PLAIN else (entity[-1] if entity else subject), language))
            for form in forms
        )
        forms += tuple(form.replace("{P}", initials(subject, language)[:2]) for form in _SHORTER)
    forms += tuple(form.replace("{P}", "NR") for form in _SHORTER)
    return next((form for form in forms if room is None or _longest(form) <= room), "[A-Z0-9]")


# words of the date that a document's number tells of, the likeliest first
_DATED = ("issued issue invoice", "ordered order", "filed submitted received reported opened", "collected sampled taken", "booked placed raised quoted",
          "created started date dated", "registered recorded")  # fmt: skip


def numbered_by_date(around: Around, field: Field, pattern: str, reason: str, sure: float) -> Guessed | None:
    """A number of a document with the year of the row's own date, where its pattern has a year and such a date is always there."""
    parts = re.fullmatch(r"([A-Z-]*)(202\[3-5\]|2\[3-6\])(-?)\[0-9\]\{(\d)\}", pattern)
    if parts is None or field.name in around.tied or field.name in around.entity.key or field.type.name not in TEXTS:
        return None
    numbers = [f.name for f in around.entity.fields if f.type.name in TEXTS and around.words[f.name][-1:] in _NUMBERS]
    if numbers[:1] not in ([], [field.name]):
        return None  # a police report's number is not its claim's
    dates = [f for f in around.entity.fields if f.type.name in MOMENTS and not f.nullable and f.generated is None]
    ranked = [f.name for words in _DATED for f in dates if set(words.split()) & set(around.words[f.name])]
    if not ranked or any(field.name in relation.target_columns for e in around.world.entities for relation in e.relations
                         if relation.target == around.entity.name):  # fmt: skip
        return None
    year = "{year}" if parts[2].startswith("202") else "{yy}"
    form = f"{parts[1]}{year}{parts[3]}{{number:{parts[4]}}}"
    return of_named_kind("document-number", f"{reason}, with the year of {ranked[0]}", sure, of=ranked[0], form=form)


_NUMBERS = (("number",), ("code",), ("reference",))
_PLAIN = frozenset("number no code reference ref id identifier key external internal unique short old legacy tag nr auto".split())


def _longest(pattern: str) -> int:
    import re._parser as parser  # type: ignore[import-not-found]

    return int(parser.parse(pattern).getwidth()[1])
