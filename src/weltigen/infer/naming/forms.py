"""Forms of a word: without accents and capitals, in the singular, in one spelling, with its article."""

from __future__ import annotations

import re
from functools import lru_cache
from unicodedata import normalize

_PREFIXES = frozenset("tbl tb t fld col str txt dtm vc c n fk pk b dt lu ref dim fact stg int".split())
_KEPT = frozenset(
    "status address class process access canvas news series species alias basis lens os dns sms gps tls https http bus gas "
    "campus status bonus virus plus minus kubernetes ops sis cms rss css js aws pos cross pass loss less business sales goods "
    "tax max index vertex suffix prefix address progress success mass glass grass press dress chess compass always ms ns us "
    "analysis diagnosis thesis emphasis axis oasis chassis premises means lbs hours days bytes args details".split()
)
_IRREGULAR = {
    "people": "person",
    "children": "child",
    "men": "man",
    "women": "woman",
    "mice": "mouse",
    "feet": "foot",
    "teeth": "tooth",
    "indices": "index",
    "vertices": "vertex",
    "matrices": "matrix",
    "media": "medium",
    "criteria": "criterion",
    "analyses": "analysis",
    "diagnoses": "diagnosis",
    "leaves": "leaf",
    "lives": "life",
    "shelves": "shelf",
    "knives": "knife",
    "wolves": "wolf",
    "halves": "half",
    "emojis": "emoji",
    "taxis": "taxi",
    "skis": "ski",
    "kiwis": "kiwi",
    "quizzes": "quiz",
    "uris": "uri",
    "apis": "api",
    "wikis": "wiki",
    "kpis": "kpi",
    "rois": "roi",
}


# one spelling for words that have two
_ONE = {
    "max": "maximum",
    "min": "minimum",
    "no": "number",
    "pct": "percent",
    "color": "colour",
    "license": "licence",
    "favorite": "favourite",
    "canceled": "cancelled",
    "enrollment": "enrolment",
    "organisation": "organization",
    "organiser": "organizer",
    "cancelation": "cancellation",
}


def canonical(word: str) -> str:
    return _ONE.get(word, word)


@lru_cache(maxsize=65_536)
def folded(name: str) -> str:
    """Lower case, without accents, words joined by underscores: `lastName` and `Last-Name` are `last_name`."""
    spelled = (
        name.replace("ß", "ss").replace("ä", "ae").replace("ö", "oe").replace("ü", "ue").replace("Ä", "Ae").replace("Ö", "Oe")
    )
    plain = normalize("NFKD", spelled.replace("Ü", "Ue")).encode("ascii", "ignore").decode()
    apart = plain if plain.isupper() else re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", "_", plain)
    return re.sub(r"[^a-z0-9]+", "_", apart.lower()).strip("_")


def is_plural(name: str) -> bool:
    """Whether a folded name ends in a noun that plainly stands for several."""
    last = name.rpartition("_")[2]
    return singular(last) != last


def without_prefix(parts: list[str]) -> list[str]:
    """The parts of a name behind one that says only what is named: `tbl_member`, `str_name`."""
    return parts[1:] if len(parts) > 1 and parts[0] in _PREFIXES else parts


@lru_cache(maxsize=65_536)
def singular(noun: str) -> str:
    """A noun without its plural, where it plainly has one."""
    if noun in _IRREGULAR:
        return _IRREGULAR[noun]
    if len(noun) < 4 or noun in _KEPT or noun.endswith(("ss", "us", "is")):
        return noun
    if noun.endswith("ies") and len(noun) > 4:
        return noun[:-3] + "y"
    if noun.endswith(("ches", "shes", "sses", "xes", "zes")) or (noun.endswith("uses") and noun[:-2] in _KEPT):
        return noun[:-2]
    return noun[:-1] if noun.endswith("s") else noun


def with_article(noun: str) -> str:
    return f"{'an' if noun[:1] in 'aeiou' else 'a'} {noun}"
