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


_OF_DEVICES = frozenset("serial warranty purchase purchased manufacturer model vendor mac location supplier depreciation".split())


def of_made_data(world: World, own: dict[str, Counter[str]], vocabulary: Vocabulary) -> dict[str, Counter[str]]:
    """Votes for assets of a model about computers: data of jobs, where none has a serial number or a maker."""
    named = {entity.name for entity in world.entities if "asset" in vocabulary.words(entity.name.rpartition(".")[2])}
    devices = any(
        not _OF_DEVICES.isdisjoint(words)
        for entity in world.entities if entity.name in named
        for words in plain_words(entity, vocabulary).values()
    )  # fmt: skip
    if devices or not any(own[entity.name]["jobs"] for entity in world.entities if entity.name not in named):
        return {}
    return {name: Counter({("datasets" if one == "devices" else one): w for one, w in own[name].items()}) for name in named}


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
