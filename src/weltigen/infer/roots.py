"""Verbs by their roots, in whatever form names have them: scrubbed, scrub and scrubbing; deferral and deferred."""

from __future__ import annotations

import re
from functools import lru_cache

from .naming import is_plural

# what was done, where the word does not end in -ed
DONE = frozenset(
    "since kept lent sown drawn taken held built made sent begun sold bought paid won lost grown born died seen frozen broken "
    "chosen flown hidden laid shown stolen sworn thrown torn woven written withdrawn hung bred spun struck ridden shorn "
    "learnt taught rung".split()
)


_ENDINGS = (
    "ations",
    "ation",
    "ition",
    "ment",
    "tion",
    "sion",
    "ings",
    "ing",
    "als",
    "al",
    "ure",
    "ied",
    "ed",
    "es",
    "ion",
    "y",
    "e",
)
# verbs whose nouns are other words
_NOUNS = {
    **dict.fromkeys("inspected inspection control controlled examined examination reviewed review".split(), "checked"),
    "death": "died", "deceased": "died", "sale": "sold", "loss": "lost", "theft": "stolen", "growth": "grown",
}  # fmt: skip
_SHORTEST = 4  # letters of a root behind which an ending is cut off


@lru_cache(maxsize=16_384)
def root_of(word: str) -> str:
    """What all forms of a verb have in common."""
    word = _NOUNS.get(word, word)
    for ending in _ENDINGS:
        if word.endswith(ending) and len(word) - len(ending) >= (3 if ending in ("ed", "ing") else _SHORTEST):
            word = word[: -len(ending)]
            break
    return re.sub(r"([bdfglmnprst])\1$", r"\1", word)


def is_same_verb(one: str, other: str) -> bool:
    """Whether two words are forms of one verb: diverted, diversion; evicted, eviction."""
    first, second = root_of(one), root_of(other)
    shorter = min(len(first), len(second))
    return first == second or (shorter > 3 and first[: max(4, shorter - 1)] == second[: max(4, shorter - 1)])


def is_participle(word: str) -> bool:
    """Whether a word tells what was done: launched, sent."""
    return (len(word) > 4 and word.endswith("ed") and not word.endswith("eed")) or (word in DONE and word != "since")


_OPEN = frozenset(
    "expected scheduled planned estimated needed required promised proposed anticipated targeted next until by due valid".split()
)


def has_happened(words: tuple[str, ...]) -> bool:
    """Whether a moment's name tells of what was done: sown on, tasted at; not expected on, needed by."""
    done = [word for word in words if word in DONE or (len(word) > 4 and word.endswith("ed"))]
    return bool(done) and not _OPEN & set(words)


def are_things(words: tuple[str, ...]) -> bool:
    """Whether a name is of several things to which something was done, and of no moment: parts changed."""
    return len(words) == 2 and is_plural(words[0]) and is_participle(words[1])
