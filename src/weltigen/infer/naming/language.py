"""Which language the names of a model are in."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from . import abbreviations, folded, languages


def language_of(names: Iterable[str], entities: Iterable[str] = (), said: str | None = None) -> str:
    """The language of enough words of the names, each taken once; en where few words belong to one language alone.

    What things are called tells more than their fields, which many write in English (`facture` with `created_at`): a third of the
    words of `entities` is enough; where somebody said that the world is in `said`, a word in twelve.
    """
    things = {part for name in entities for part in folded(name).split("_") if len(part) > 1}
    parts = things | {part for name in names for part in folded(name).split("_") if len(part) > 1}
    counts = _by_language(parts)
    if not counts:
        return said or "en" if not parts else "en"
    if said in counts and counts[said] > len(parts) / 12:
        return said
    language, number = max(counts.items(), key=lambda one: one[1])
    told = _by_language(things).get(language, 0.0)
    return language if number >= 4 and (number > 0.15 * len(parts) or told >= max(3.0, len(things) / 3)) else "en"


def _by_language(parts: set[str]) -> dict[str, float]:
    """How many of the words belong to each language; one of several languages counts in parts."""
    known, german = abbreviations(), languages()["de"]
    counts: defaultdict[str, float] = defaultdict(float)
    for part in sorted(parts - known.keys()):
        those = [language for language, words in languages().items() if part in words and words[part] != (part,)]
        for language in those:
            counts[language] += 1.0 / len(those)
        if (
            not those
            and len(part) > 7
            and any(german.get(part[at:], (part[at:],)) != (part[at:],) for at in range(1, len(part) - 4))
        ):
            counts["de"] += 1.0
    return counts
