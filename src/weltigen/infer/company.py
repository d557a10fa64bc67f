"""What the other entities of a world make of an entity's topic: which of a noun's trades they speak of, and which are strays."""

from __future__ import annotations

from collections import Counter
from functools import lru_cache

from ..model import World
from ..values.vocabulary import NEUTRAL, also_by_noun, by_noun, listed, topic
from .naming import Vocabulary, noun_of, singular
from .nouns import SYSTEMS

# nouns that say little of a trade: what stands around them says more
VAGUE = frozenset(listed("vague nouns"))
# what any application has tables for, whatever it is about
EVERY_APPLICATION = frozenset(("accounts", "permissions"))


def by_the_company(
    world: World, own: dict[str, Counter[str]], fields: dict[str, Counter[str]], vocabulary: Vocabulary
) -> dict[str, Counter[str]]:
    """Votes of names whose noun several trades have, given to the one that the other entities speak of most."""
    support: Counter[str] = Counter()
    for entity in world.entities:
        told = Counter({topic: min(weight, 2.0) for topic, weight in own[entity.name].items()})
        support += told + Counter({topic: min(weight, 2.0) for topic, weight in fields[entity.name].items()})
    named: Counter[str] = Counter()  # by topic, the entities whose nouns it has, whatever else they may mean
    for entity in world.entities:
        nouns = {singular(word) for word in noun_of(vocabulary.words(entity.name.rpartition(".")[2]))[-1:]}
        named.update(
            {topic for noun in nouns for topic in (*also_by_noun().get(noun, ()), *by_noun().get(noun, ("",))[:1]) if topic}
        )
    out = {}
    for entity in world.entities:
        votes = own[entity.name]
        for word in map(singular, noun_of(vocabulary.words(entity.name.rpartition(".")[2]))):
            first = by_noun().get(word, (NEUTRAL, 0))[0]
            if word not in also_by_noun() or first not in votes:
                continue
            others = [topic for topic in also_by_noun()[word] if topic != first]
            best = max(others, key=lambda topic: (support[topic], named[topic], topic))
            said = support[best] >= 3.0 and support[best] > support[first] - min(votes[first], 2.0) + 1.0
            if said or (word in VAGUE and named[best] > 3 and named[best] > 2 * named[first]):
                votes = Counter({(best if topic == first else topic): weight for topic, weight in votes.items()})
        out[entity.name] = votes
    return out


# what any application may have to do with, beside what it is about
_ANYWHERE = frozenset(
    "projects support payments invoicing subscriptions products marketing organizations calendars events groups websites "
    "courses surveys forums languages hr timesheets office".split()
)


def without_strays(own: dict[str, Counter[str]], vocabulary: Vocabulary) -> dict[str, Counter[str]]:
    """Votes of a model about computers without trades of which a single noun speaks: an artifact is no find of a dig there."""
    nouns: dict[str, set[str]] = {}
    for name in own:
        for word in map(singular, vocabulary.words(name.rpartition(".")[2])):
            if (found := by_noun().get(word)) is not None:
                nouns.setdefault(found[0], set()).add(word)
    strays = {topic for topic, words in nouns.items() if len(words) < 2} - SYSTEMS - _ANYWHERE
    return {n: Counter({topic: weight for topic, weight in votes.items() if topic not in strays}) for n, votes in own.items()}


_NAMED, _TWO, _MUCH = 2.0, 2, 0.3  # votes of a table that names a trade; tables called by its things; so much of all tables


def of_its_things(own: dict[str, Counter[str]], vocabulary: Vocabulary) -> dict[str, Counter[str]]:
    """Votes for tables that are called by things of a trade that another names: the puzzles of an escape room are no toys."""
    heads = {name: singular(noun_of(vocabulary.words(name.rpartition(".")[2]))[-1]) for name in own if vocabulary.words(name)}
    best: tuple[int, str, list[str]] = (0, "", [])
    for trade in sorted({one for votes in own.values() for one, weight in votes.items() if weight >= _NAMED} - ANY):
        things = _nouns_of_things(trade) - VAGUE
        called = [name for name, head in heads.items() if head in things and own[name][trade] == 0]
        naming = sum(votes[trade] > 0 for votes in own.values())
        if len({heads[name] for name in called}) >= _TWO and len(called) + naming >= _MUCH * len(own):
            best = max(best, (len(called) + naming, trade, called))
    return own | {name: Counter({best[1]: 3}) for name in best[2]}


ANY = _ANYWHERE | EVERY_APPLICATION | SYSTEMS


@lru_cache(maxsize=256)
def _nouns_of_things(trade: str) -> frozenset[str]:
    """The last words of what a trade has, of the parts of it and of what it is about."""
    own = topic(trade)
    return frozenset(
        thing.split()[-1].lower() for part in ("things", "parts", "names") if own.has(part) for thing in own.words(part)
    )


_LEADS = 2  # up to here the nouns of a topic are its own: a chemical
_ITS_OWN, _STRAY = 2, 0.3  # entities that make a trade the world's; what a noun of another one says then


def beside_the_trade(
    own: dict[str, Counter[str]], fields: dict[str, Counter[str]], leading: str, vocabulary: Vocabulary
) -> dict[str, Counter[str]]:
    """Votes of a world that is of one trade, where nouns say less of others of which nothing else speaks: passengers of balloons
    are none of a railway."""
    of_trade = {name for name, votes in own.items() if max(votes, key=lambda topic: votes[topic], default="") == leading}
    if len(of_trade) < _ITS_OWN:
        return own
    speaking = Counter(topic for votes in own.values() for topic in votes)
    speaking.update(topic for votes in fields.values() for topic, weight in votes.items() if weight > 0.5)
    kept = _ANYWHERE | EVERY_APPLICATION | SYSTEMS | {leading}
    out = {}
    for name, votes in own.items():
        found = [by_noun().get(singular(word), ("", 99)) for word in vocabulary.words(name.rpartition(".")[2])]
        sure = kept | {topic for topic, rank in found if rank <= _LEADS}
        out[name] = Counter({topic: w if topic in sure or speaking[topic] > 1 else w * _STRAY for topic, w in votes.items()})
    return out
