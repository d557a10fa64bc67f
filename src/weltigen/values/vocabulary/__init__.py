"""Topics: the words of a trade, and the sentences that are made of them."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import lru_cache
from importlib.resources import files

NEUTRAL = "office"
_FILES = ("nature", "work", "society", "computing", "technology", "living", "trades", "culture", "civic")


@dataclass(frozen=True, slots=True, eq=False)
class Topic:
    """`nouns`: what entities of it are called; `lists`: its words by what they name (things, kinds, parts, issues, …)."""

    name: str
    nouns: tuple[str, ...]
    lists: dict[str, tuple[str, ...]] = field(default_factory=dict)

    def words(self, name: str) -> tuple[str, ...]:
        """A list of the topic's own; of the one that it extends, or of any office, where it has none."""
        if name in self.lists:
            return self.lists[name]
        above = self.lists.get("extends", (NEUTRAL,))[0]
        return topic(above).words(name) if self.name != NEUTRAL else ()

    def within(self, *names: str) -> bool:
        """Whether it is one of some topics, or extends one."""
        above = self.lists.get("extends")
        return self.name in names or (above is not None and topic(above[0]).within(*names))

    def has(self, name: str) -> bool:
        if name in self.lists:
            return True
        above = self.lists.get("extends")
        return above is not None and topic(above[0]).has(name)


@lru_cache(maxsize=1)
def topics() -> dict[str, Topic]:
    out: dict[str, Topic] = {}
    for name in _FILES:
        for line in (files(__name__) / f"{name}.txt").read_text("utf-8").splitlines():
            if head := re.match(r"\[(\w+)\] (.*)", line):
                current = out[head[1]] = Topic(head[1], tuple(head[2].split()))
            elif line:
                list_name, _, words = line.partition(": ")
                current.lists[list_name] = tuple(word.strip() for word in words.split(";") if word.strip())
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
def long_tail() -> dict[str, str]:
    """Topics of nouns that ours do not name, and for some that they are a person, a firm, a place, a landmark (WordNet 3.0)."""
    lines = (files("weltigen.values") / "data" / "nouns.txt").read_text("utf-8").splitlines()
    return {noun: name for name, _, nouns in (line.partition(": ") for line in lines) for noun in nouns.split(" ")}


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
    """Whole sentences of other languages by language and purpose: `de remark`."""
    return _sections("other_languages")


def _sections(name: str) -> dict[str, tuple[str, ...]]:
    out: dict[str, list[str]] = {}
    for line in (files(__name__) / f"{name}.txt").read_text("utf-8").splitlines():
        if line.startswith("[") and line.endswith("]"):
            current = out.setdefault(line[1:-1], [])
        elif line and not line.startswith("#"):
            current.append(line)
    return {key: tuple(lines) for key, lines in out.items()}
