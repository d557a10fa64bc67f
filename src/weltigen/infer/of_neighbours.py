"""What an entity is about by what it belongs to, or by what refers to it: programs that bugs have, comments on something."""

from __future__ import annotations

from collections import Counter

from ..model import World
from .naming import Vocabulary, singular
from .plain_words import plain_words

_OF_PROGRAMS = frozenset("product component module classification".split())
_IN_PROGRAMS = frozenset("bug commit changeset patch release build milestone testcase".split())
_SOLD = frozenset("price cost stock weight sku barcode brand unit supplier".split())


def of_programs(world: World, vocabulary: Vocabulary) -> set[str]:
    """Products and components that bugs and releases refer to, and that nobody sells."""
    nouns = {entity.name: singular(vocabulary.words(entity.name.rpartition(".")[2])[-1]) for entity in world.entities}
    told = {relation.target for entity in world.entities for relation in entity.relations if nouns[entity.name] in _IN_PROGRAMS}
    sold = {
        entity.name for entity in world.entities
        if any(not _SOLD.isdisjoint(words) for words in plain_words(entity, vocabulary).values())
    }  # fmt: skip
    return {name for name in told - sold if nouns.get(name) in _OF_PROGRAMS}


_SAID = frozenset("comment note remark annotation review rating feedback attachment".split())


def of_what_is_spoken(world: World, own: dict[str, Counter[str]], vocabulary: Vocabulary) -> dict[str, Counter[str]]:
    """Votes for comments and notes: they speak of the one thing that they belong to."""
    out = {}
    for entity in world.entities:
        words = vocabulary.words(entity.name.rpartition(".")[2])
        of = {relation.target for relation in entity.relations if relation.target != entity.name}
        of = {name for name in of if own.get(name) and not own[name]["accounts"]}
        if len(words) == 1 and singular(words[0]) in _SAID and len(of) == 1:
            out[entity.name] = own[of.pop()]
    return out
