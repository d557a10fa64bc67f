"""Words of German, French and Spanish that English took from the same Latin or Greek: `clinica`, `hydrologie`, `capacidad`."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

# endings of a language, with those that the same words have in English, the likeliest first
_ENDS = {
    "es": """
        aciones:ation iciones:ition cion:tion ciones:tion sion:sion siones:sion dades:ty idad:ity dad:ty tad:ty
        encia:ence/ency ancia:ance/ancy mento:ment miento:ment ico:ic/ical ica:ic/ics/ical icos:ic icas:ic ario:ary/ar
        aria:ary ivo:ive iva:ive oso:ous ista:ist logia:logy ia:y/ia io:y/ium ura:ure ador:ator or:or/er ente:ent ante:ant
        al:al il:ile ismo:ism o:/e a:/e e:
    """,
    "fr": """
        tion:tion tions:tion ite:ity ites:ity te:ty ique:ic/ics/ical iques:ic eur:or/er eurs:or/er euse:er aire:ary/ar if:ive
        ive:ive iste:ist logie:logy ie:y oire:ory isme:ism eux:ous el:al elle:al re:er que:c/ck e: ee:y/e
    """,
    "de": """
        ionen:ion taet:ty itaet:ity ik:ic/ics iv:ive isch:ic/ical logie:logy ie:y enz:ence/ency anz:ance/ancy ismus:ism
        eur:or/er ist:ist ur:ure al:al aet:ate iker:ician :/e
    """,
}
_PAIRS = {
    language: tuple((end, tuple(others.split("/"))) for end, _, others in (pair.partition(":") for pair in text.split()))
    for language, text in _ENDS.items()
}
# letters within a word that languages write for one sound, so that English may have another there
_WITHIN: dict[str, tuple[tuple[str, str], ...]] = {
    "es": (("f", "ph"), ("cu", "qu"), ("t", "th"), ("i", "y"), ("c", "cc"), ("n", "mm")),
    "fr": (("qu", "c"),),
    "de": (("k", "c"), ("kt", "ct"), ("z", "c"), ("f", "ph"), ("sch", "sh")),
}


@lru_cache(maxsize=8192)
def cognates(word: str, language: str) -> tuple[str, ...]:
    """English words that a word of another language may be by its form; whether they are any is for the caller to know."""
    return tuple(dict.fromkeys(one for one in _spelled(word, language) if len(one) > 4))


def _spelled(word: str, language: str) -> Iterator[str]:
    for end, others in _PAIRS.get(language, ()):
        if not word.endswith(end) or len(word) - len(end) < 3:
            continue
        stem = word[: len(word) - len(end)]
        for other in others:
            yield stem + other
            yield from (stem.replace(here, there) + other for here, there in _WITHIN[language] if here in stem)
