"""Which trades an entity is of, by the words of its names and of those around it: then it may use the words of that trade."""

from __future__ import annotations

from collections import Counter

from ..model import World
from ..values.vocabulary import NEUTRAL, topic
from .concepts.trades import OWN, trades
from .naming import Vocabulary, singular
from .nouns import SYSTEMS
from .plain_words import noun_words, plain_words

# how sure the words of a trade are that an entity is not most of: of another of its own, of one beside it, of the world's
_ALSO, _BESIDE, _AROUND = 0.985, 0.97, 0.94
_OF_SYSTEMS = frozenset(("dataplatforms", "telecoms", "esports"))  # whose models are about computers
_SMALL = 40  # entities of a model that is of one trade, most likely
Trades = tuple[tuple[str, float], ...]


def trades_of(world: World, vocabulary: Vocabulary) -> dict[str, Trades]:
    """By entity, its trades and how sure their words are."""
    own: dict[str, Counter[str]] = {}
    telling: Counter[str] = Counter()
    about = [topic(entity.topic or NEUTRAL).within(*SYSTEMS) for entity in world.entities]
    systems = sum(about) > 0.4 * len(about)
    for entity in world.entities:
        nouns = set(noun_words(entity, vocabulary))
        words = {singular(word) for told in plain_words(entity, vocabulary).values() for word in told} - nouns
        own[entity.name] = Counter()
        for name, trade in trades().items():
            told = 2.0 * len(nouns & trade.telling) + len(words & trade.telling) + 2 * (entity.topic == name)
            if not told or (systems and name not in _OF_SYSTEMS):
                continue
            told += len(nouns & trade.others) + 0.5 * len(words & trade.others)
            telling[name] += min(told, 3)
            if told >= 2:
                own[entity.name][name] = told
    most = max(telling.values(), default=0)
    small = len(world.entities) <= _SMALL
    around = {name for name, told in telling.items() if told >= max(3, 0.6 * most)} if small else set()
    beside: dict[str, set[str]] = {name: set() for name in own}
    for entity in world.entities:
        for relation in entity.relations:
            if relation.target in own:
                beside[entity.name] |= set(own[relation.target])
                beside[relation.target] |= set(own[entity.name])
    found = {}
    for name, mine in own.items():
        best = max(mine.values(), default=0)
        every = dict.fromkeys(around, _AROUND) | dict.fromkeys(beside[name], _BESIDE)
        every |= {trade: OWN if told == best else _ALSO for trade, told in mine.items()}
        found[name] = tuple(sorted(every.items(), key=lambda one: (-one[1], one[0])))
    return found
