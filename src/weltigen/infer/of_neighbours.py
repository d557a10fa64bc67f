"""What an entity is about by what it belongs to, or by what refers to it: programs that bugs have, comments on something."""

from __future__ import annotations

from collections import Counter

from ..model import World
from ..values.vocabulary import by_noun
from .naming import Vocabulary, singular
from .nouns import PERSONS, SYSTEMS
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


# what parts of something are called: lines of a bill, entries of a diary
_OF_WHOLES = frozenset("line item entry row detail position attempt note comment history log status part element".split())


def of_wholes(world: World, own: dict[str, Counter[str]], vocabulary: Vocabulary) -> dict[str, Counter[str]]:
    """Votes for parts of what another entity holds, which are of its trade: `ticket_lines` are no lines of a factory."""
    referred = {entity.name: {relation.target for relation in entity.relations} - {entity.name} for entity in world.entities}
    by_words = {tuple(map(singular, vocabulary.words(name.rpartition(".")[2]))): name for name in own}
    again = Counter(words[-1] for words, name in by_words.items() if by_words.get(words[:-1]) in referred[name])
    targets = (vocabulary.words(one.rpartition(".")[2]) for of in referred.values() for one in of)
    ending = {singular(words[-1]) for words in targets if words}
    shared = {word for word, times in again.items() if times >= _OF_MANY} - PERSONS - ending
    shared = {word for word in shared if by_noun().get(word, ("", 0))[0] not in SYSTEMS | {"groups"}}
    out = {}
    for words, name in by_words.items():
        whole = by_words.get(words[:-1])
        if whole is not None and (words[-1] in shared or (words[-1] in _OF_WHOLES and own[whole])):
            out[name] = own[whole]
        elif whole is None and len(words) == 2 and words[0] in shared and words[1] in _OF_WHOLES:  # a log of what many have
            out[name] = Counter()
    return out


_OF_MANY = 3  # wholes with a part of the same name, from which on that name tells nothing of a trade: mutations of claims
