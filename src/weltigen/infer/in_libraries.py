"""What words mean where books and films are lent, and what they mean elsewhere."""

from __future__ import annotations

from ..model import Field
from .around import Around, Context, Guessed
from .of_row import of_kind
from .offers import by_number, by_words, read_pairs

_LENT = ("isbn", "barcode", "author", "shelf", "pages", "publisher", "year published", "publication year", "authentication name")


def _formatted(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a book or a film comes as, where such are kept; else what a file is."""
    if around.has(*_LENT) and not around.has("mime type", "content type", "file name"):
        return by_words(field, read_pairs("paperback:40, hardback:28, large print:10, audiobook:12, DVD:10"), reason, sure)
    if _SOLD & set(around.noun) and not around.of_systems:
        return None  # goods come in bags, not in files
    return by_words(field, read_pairs("pdf:30, csv:28, html:18, json:14, xlsx:10"), reason, sure)


_SOLD = frozenset("order purchase sale product item lot batch line delivery goods stock ware bottle pack".split())


def _auth_named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Who wrote a work, beside its title; in a register of coordinates who gives the codes."""
    if around.has("title", "isbn", "barcode", "publisher", "publication year"):
        return of_kind(around, field, "other-person", {}, f"{reason}, an author", sure)
    return by_words(field, read_pairs("EPSG:70, ESRI:16, IGNF:8, OGC:6"), reason, sure)


def _fined(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What is asked for a thing that comes back late, or by a court or a warden."""
    if around.has("due", "due date", "due at", "returned", "returned at", "return date", "renewals", "renewal count", "overdue"):
        return by_number(field, "0.2 12 price", f"{reason}, for what comes back late", sure)
    return by_words(field, read_pairs("35:30, 50:24, 70:26, 100:12, 130:8"), reason, sure)


IN_LIBRARIES: dict[str, Context] = {"formatted": _formatted, "authnamed": _auth_named, "fined": _fined}
