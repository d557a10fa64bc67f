"""Words that lost vowels: `rcncld` is reconciled, `retnr` retainer, `martl` marital."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

_VOWELS = re.compile("[aeiou]")
_NO_VOWELS = str.maketrans("", "", "aeiou")
_DOUBLED = re.compile(r"(.)\1+")


def skeleton(word: str) -> str:
    """The first letter and the consonants after it, doubled ones once."""
    return _DOUBLED.sub(r"\1", word[:1] + word[1:].translate(_NO_VOWELS))


def by_skeleton(words: Iterable[str], often: Mapping[str, int] | None = None) -> dict[str, tuple[str, ...]]:
    """Plain words by their skeletons: those that names have most often first, then shorter ones. A word that begins with a
    vowel may have lost that as well: `xpry` is expiry."""
    out: dict[str, list[str]] = {}
    plain = (word for word in words if len(word) > 4 and word.isascii() and word.isalpha())
    known = sorted(plain, key=lambda word: (-(often or {}).get(word, 0), len(word), word))
    bare = "\n".join(word[0] + word[1:].translate(_NO_VOWELS) for word in known)
    for bones, word in zip(_DOUBLED.sub(r"\1", bare).split("\n"), known, strict=False):  # all at once: there are thousands
        out.setdefault(bones, []).append(word)
    for bones, found in list(out.items()):
        if bones[0] in "aeiou" and len(bones) > 4:
            out.setdefault(bones[1:], []).extend(found)
    return {bones: tuple(found) for bones, found in out.items()}


def lengthened(part: str, words: dict[str, tuple[str, ...]]) -> str | None:
    """The word that a part of a name is short for, if it has lost vowels alone, and two at least or all that it had."""
    bare = _VOWELS.search(part[1:]) is None
    if len(part) < (4 if bare else 5):
        return None
    found = [word for word in words.get(skeleton(part), ()) if len(word) > len(part) + (0 if bare else 1)]
    found = [word for word in found if _runs_through(part, word) and not word.startswith(part)]
    return found[0] if found else None


def _runs_through(part: str, word: str) -> bool:
    """Whether the letters of a part stand in the word in the same order."""
    letters = iter(word)
    return all(letter in letters for letter in part)
