"""Nouns as sentences want them: with the article of their gender and case, in four languages."""

from __future__ import annotations

import re

from .vocabulary import without_article

# by language, and the article as a template has it: that of each gender
_ARTICLES = {
    "de": {
        "der": {"der": "der ", "die": "die ", "das": "das "},
        "den": {"der": "den ", "die": "die ", "das": "das "},
        "dem": {"der": "dem ", "die": "der ", "das": "dem "},
        "ein": {"der": "ein ", "die": "eine ", "das": "ein "},
        "einen": {"der": "einen ", "die": "eine ", "das": "ein "},
    },
    "fr": {
        "le": {"le": "le ", "la": "la ", "les": "les ", "l' m": "l'", "l' f": "l'"},
        "du": {"le": "du ", "la": "de la ", "les": "des ", "l' m": "de l'", "l' f": "de l'"},
        "au": {"le": "au ", "la": "à la ", "les": "aux ", "l' m": "à l'", "l' f": "à l'"},
        "un": {"le": "un ", "la": "une ", "les": "des ", "l' m": "un ", "l' f": "une "},
    },
    "es": {
        "el": {"el": "el ", "la": "la "},
        "del": {"el": "del ", "la": "de la "},
        "al": {"el": "al ", "la": "a la "},
        "un": {"el": "un ", "la": "una "},
    },
}


def with_article(noun: str, article: str, language: str) -> str:
    """A noun with an article of another case or kind: `der Zähler` with `den` is `den Zähler`; in English `a` or `an`."""
    if language == "en":
        return noun if is_plural(noun) else indefinite(noun)
    own = "l' " + noun[-1] if noun.startswith("l'") else noun.partition(" ")[0]
    return _ARTICLES[language][article].get(own, "") + without_article(noun)


def indefinite(noun: str) -> str:
    """An English noun after `a` or `an`, as it is spoken."""
    first = noun[:1].lower()
    spoken = (
        first in "aeio"
        or (first == "u" and not noun.lower().startswith(("uni", "use", "usu", "uti")))
        or noun[:4].lower() in ("hour", "heir")
    )
    letters = noun[:1].isupper() and noun[1:2].isupper() and first in "fhlmnrsx"
    return ("an " if spoken or letters else "a ") + noun


def is_plural(noun: str) -> bool:
    head = noun.split(" of ")[0].split(" for ")[0].split()[-1]
    return head.endswith("s") and not head.endswith(("ss", "us", "is", "ics", "lens", "gas", "news"))


def capitalised(text: str) -> str:
    return text[:1].upper() + text[1:]


def within_text(text: str) -> str:
    """An English word within a sentence: what is written in capitals stays."""
    return (
        text if any(sign.isupper() for sign in text[1:]) or text[:1].isdigit() or "-" in text[:3] else text[:1].lower() + text[1:]
    )


SLOT = re.compile(r"\{(?:(\w+) )?(thing2?|part2?|use|issue|kind)\}", re.IGNORECASE)
