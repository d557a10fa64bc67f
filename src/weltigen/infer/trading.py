"""Which trades an entity is of, by the words of its names and of those around it: then it may use the words of that trade."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Entity, World
from ..values.vocabulary import NEUTRAL, topic
from .concepts.trades import OWN, by_word, trades
from .naming import Vocabulary, folded, singular
from .nouns import SYSTEMS
from .plain_words import noun_words, plain_words

# how sure the words of a trade are that an entity is not most of: of another of its own, of one beside it, of the world's
_ALSO, _BESIDE, _AROUND = 0.99, 0.985, 0.94
_BY_TOPIC = 1.5  # what an entity's guessed topic says for the trade of its name: nearly enough
_TOGETHER = 2.5  # what words that other trades have as well must say, where none is of the trade alone
_SMALL = 40  # entities of a model that is of one trade, most likely
Trades = tuple[tuple[str, float], ...]


def is_of_systems(world: World) -> bool:
    """Whether a good part of a model is about computers, where words of daily life mean something else."""
    about = [topic(entity.topic or NEUTRAL).within(*SYSTEMS) for entity in world.entities]
    return sum(about) > 0.4 * len(about)


def trades_of(world: World, vocabulary: Vocabulary) -> dict[str, Trades]:
    """By entity, its trades and how sure their words are."""
    systems = is_of_systems(world)
    own = {entity.name: _told(entity, vocabulary, systems) for entity in world.entities}
    around: set[str] = set()
    if len(own) <= _SMALL:
        telling: dict[str, float] = {}
        for told in own.values():
            for name, weight in told.items():
                telling[name] = telling.get(name, 0.0) + min(weight, 3.0)
        most = max(telling.values(), default=0.0)
        around = {name for name, weight in telling.items() if weight >= max(3.0, 0.6 * most)}
    sure = {name: {trade: weight for trade, weight in told.items() if weight >= 2} for name, told in own.items()}
    beside: dict[str, set[str]] = {name: set() for name in own}
    for entity in world.entities:
        for relation in entity.relations:
            if relation.target in own:
                beside[entity.name].update(sure[relation.target])
                beside[relation.target].update(sure[entity.name])
    found = {}
    for name, mine in sure.items():
        best = max(mine.values(), default=0.0)
        every = dict.fromkeys(around, _AROUND) | dict.fromkeys(beside[name], _BESIDE)
        every |= {trade: OWN if weight == best else _ALSO for trade, weight in mine.items()}
        found[name] = tuple(sorted(every.items(), key=lambda one: (-one[1], one[0])))
    return found


def _together(words: tuple[str, ...]) -> Iterator[str]:
    """Each word, and two or three of them written together, as `checkcommand` is."""
    return ("".join(words[start:stop]) for stop in range(len(words) + 1) for start in range(max(0, stop - 3), stop))


def _told(entity: Entity, vocabulary: Vocabulary, systems: bool) -> dict[str, float]:
    """How much speaks for each trade: a noun that tells of it twice, a word of a field once, what others have as well by half."""
    nouns = set(_together(noun_words(entity, vocabulary)))
    nouns.update(map(singular, _together(tuple(folded(entity.name.rpartition(".")[2]).split("_")))))
    words = {singular(word) for said in plain_words(entity, vocabulary).values() for word in _together(said)} - nouns
    telling, others = by_word()
    told: dict[str, float] = {entity.topic: _BY_TOPIC} if entity.topic in trades() else {}
    for said, weight in ((nouns, 2.0), (words, 1.0)):
        for word in said:
            for name in telling.get(word, ()):
                told[name] = told.get(name, 0.0) + weight
    beside: dict[str, float] = {}
    for said, weight in ((nouns, 1.0), (words, 0.5)):
        for word in said:
            for name in others.get(word, ()):
                beside[name] = beside.get(name, 0.0) + weight
    for name, weight in beside.items():
        if name in told or weight >= _TOGETHER:
            told[name] = told.get(name, 0.0) + weight
    return {name: weight for name, weight in told.items() if not systems or trades()[name].of_systems}
