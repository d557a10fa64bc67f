"""Topics: the words of a trade, and the sentences that are made of them."""

from __future__ import annotations

import gzip
import re
from dataclasses import dataclass, field, replace
from functools import lru_cache
from importlib.resources import files

NEUTRAL = "office"
_FILES = ("nature", "work", "society", "computing", "technology", "living", "trades", "culture", "civic", "callings", "outdoors")


# lists of which sentences are made: in another language than English they are of that language, whatever the topic
_IN_SENTENCES = frozenset("things parts uses issues kinds reasons reports questions titles locations roles methods units".split())
Words = tuple[tuple[str, tuple[str, ...]], ...]  # lists by name
WORD_LISTS = (
    "names", "things", "kinds", "parts", "uses", "issues", "materials", "reasons", "reports", "locations", "tags", "units",
    "roles", "methods", "titles", "questions", "keys", "events", "scopes", "species", "breeds", "genres", "sports",
)  # fmt: skip
_WITH_ARTICLE = re.compile(r"(?:der|die|das|le|la|les|el|los|las) |l'")


@dataclass(frozen=True, slots=True, eq=False)
class Topic:
    """`nouns`: what entities of it are called; `lists`: its words by what they name (things, kinds, parts, issues, …)."""

    name: str
    nouns: tuple[str, ...]
    lists: dict[str, tuple[str, ...]] = field(default_factory=dict)
    language: str = "en"
    said: Words = ()  # lists that a world file gives, before all others

    def spoken(self, language: str) -> Topic:
        """The topic in the words of a language; in English where it is none of ours."""
        return self if language == self.language or language not in ("en", *_elsewhere()) else replace(self, language=language)

    def words(self, name: str) -> tuple[str, ...]:
        """A list of the topic's own; of the one that it extends, or of any office, where it has none."""
        return tuple(map(without_article, self.nouns_of(name))) if self.language != "en" else self.nouns_of(name)

    def with_words(self, said: Words) -> Topic:
        return replace(self, said=said) if said else self

    def nouns_of(self, name: str) -> tuple[str, ...]:
        """As `words`; in other languages than English with their articles: `der Zähler`, `l'annexe f`."""
        for listed, words in self.said:
            if listed == name:
                return words
        if self.language == "en":
            return self._listed(name)
        own = _elsewhere()[self.language]
        found = next((own[one][name] for one in self._line() if name in own.get(one, ())), None)
        if found is None and (name in _IN_SENTENCES or not self._in_english(name)):
            found = own[NEUTRAL].get(name)
        return found if found is not None else self._listed(name)

    def _listed(self, name: str) -> tuple[str, ...]:
        if name in self.lists:
            return self.lists[name]
        above = self.lists.get("extends", (NEUTRAL,))[0]
        return topic(above)._listed(name) if self.name != NEUTRAL else ()

    def _line(self) -> tuple[str, ...]:
        """Its name, and those of the topics that it extends."""
        above = self.lists.get("extends")
        return (self.name, *(topic(above[0])._line() if above is not None else ()))

    def within(self, *names: str) -> bool:
        """Whether it is one of some topics, or extends one."""
        return any(name in names for name in self._line())

    def has(self, name: str) -> bool:
        """Whether there is such a list of its own, or of one that it extends, in its language; or a world file gives one."""
        if any(listed == name for listed, _ in self.said):
            return True
        if self.language != "en":
            return any(name in _elsewhere()[self.language].get(one, ()) for one in self._line())
        return self._in_english(name)

    def _in_english(self, name: str) -> bool:
        return any(name in topic(one).lists for one in self._line())


def without_article(noun: str) -> str:
    """`der Zähler` without its article, `l'annexe f` without it and its gender."""
    found = _WITH_ARTICLE.match(noun)
    return re.sub(r" [mf]$", "", noun[found.end() :]) if found else noun


@lru_cache(maxsize=1)
def topics() -> dict[str, Topic]:
    out: dict[str, Topic] = {}
    for name in _FILES:
        for head, lists in _read(name).items():
            one, _, nouns = head.partition("] ")
            out[one] = Topic(one, tuple(nouns.split()), lists)
    return out


@lru_cache(maxsize=1)
def _elsewhere() -> dict[str, dict[str, dict[str, tuple[str, ...]]]]:
    """Lists of topics by language and topic."""
    return {language: {head.rstrip("]"): lists for head, lists in _read(language).items()} for language in ("de", "fr", "es")}


def _read(name: str) -> dict[str, dict[str, tuple[str, ...]]]:
    out: dict[str, dict[str, tuple[str, ...]]] = {}
    for line in (files(__name__) / f"{name}.txt").read_text("utf-8").splitlines():
        if line.startswith("["):
            current = out[line[1:]] = {}
        elif line:
            list_name, _, words = line.partition(": ")
            current[list_name] = tuple(word.strip() for word in words.split(";") if word.strip())
    return out


def topic(name: str) -> Topic:
    return topics()[name]


@lru_cache(maxsize=1)
def by_noun() -> dict[str, tuple[str, int]]:
    """The topic that each noun belongs to, and how early it stands there; the first topic that names it counts."""
    out: dict[str, tuple[str, int]] = {}
    for one in topics().values():
        for place, noun in enumerate(one.nouns):
            if noun not in out or place < out[noun][1]:
                out[noun] = (one.name, place)
    return out


@lru_cache(maxsize=1)
def also_by_noun() -> dict[str, tuple[str, ...]]:
    """Every topic that names a noun, for nouns that more than one does: a production is of machines and of a theatre."""
    out: dict[str, list[str]] = {}
    for one in topics().values():
        for noun in dict.fromkeys(one.nouns):
            out.setdefault(noun, []).append(one.name)
    return {noun: tuple(names) for noun, names in out.items() if len(names) > 1}


def _unpacked(name: str) -> str:
    return gzip.decompress((files("weltigen.values") / "data" / f"{name}.txt.gz").read_bytes()).decode()


@lru_cache(maxsize=1)
def long_tail() -> dict[str, str]:
    """Topics of nouns that ours do not name, and for some that they are a person, a firm, a place, a landmark (WordNet 3.0)."""
    lines = _unpacked("nouns").splitlines()
    return {noun: name for name, _, nouns in (line.partition(": ") for line in lines) for noun in nouns.split(" ")}


@lru_cache(maxsize=1)
def senses() -> dict[str, tuple[str, ...]]:
    """What nouns are (`attribute`, `possession`), adjectives that are no nouns, `one word` that is not put together, and
    `sorts of pump` (WordNet 3.0)."""
    lines = _unpacked("senses").splitlines()
    named = (line.partition(": ") for line in lines)
    return {name: tuple(words.split("; " if name.startswith("sorts") else " ")) for name, _, words in named}


@lru_cache(maxsize=1)
def _lists() -> dict[str, tuple[str, ...]]:
    lines = (files(__name__) / "lists.txt").read_text("utf-8").splitlines()
    return {name: tuple(words.split("; ")) for name, _, words in (line.partition(": ") for line in lines)}


def listed(name: str, instead: str = "") -> tuple[str, ...]:
    """Words by what they are for, `trades of music`; those of `instead`, or none, where there are none of that name."""
    return _lists().get(name) or _lists().get(instead, ())


@lru_cache(maxsize=1)
def templates() -> dict[str, tuple[str, ...]]:
    """Sentences of English by purpose and place in a text: `description opening`."""
    return _sections("templates")


@lru_cache(maxsize=1)
def sentences() -> dict[str, tuple[str, ...]]:
    """Sentences of other languages by language, purpose and place: `de remark opening`."""
    return _sections("other_languages")


def _sections(name: str) -> dict[str, tuple[str, ...]]:
    out: dict[str, list[str]] = {}
    for line in (files(__name__) / f"{name}.txt").read_text("utf-8").splitlines():
        if line.startswith("[") and line.endswith("]"):
            current = out.setdefault(line[1:-1], [])
        elif line and not line.startswith("#"):
            current.append(line)
    return {key: tuple(lines) for key, lines in out.items()}
