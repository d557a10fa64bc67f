"""Words that mean something of their own in one trade: the shade of a crown, the schedule of a kiln. A file of `by_trade/` has

    [name: words that tell of the trade | words that other trades have as well]

above lines as concepts are declared in. The name is that of a topic where there is one. The trades whose models are about
computers stand in `systems.txt`.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib.resources import files

from ..naming import abbreviations, canonical, singular
from . import Concept, Found, declared

_ITS_WORDS = 1.01  # whole names of two words or more that are of a trade which is told of around the entity
OWN = 1.0  # how sure the words of an entity's own trade are
_OF_ANY = frozenset(
    "title type kind category status state unit amount price cost fee location description result outcome level class code "
    "number position value weight length width height depth size colour quantity count channel source reason role material "
    "product item service language grade score rating rate total balance reference format method mode group section area "
    "zone region stage phase step priority severity condition label note comment message text subject notes duration minutes "
    "hours seconds days age period term start end from to direction side temperature pressure speed volume version "
    "event action task activity operation model make brand manufacturer supplier vendor address phone email symbol tag "
    "season year month author editor owner operator organizer relation relationship decision frequency interval attempt rank "
    "order sequence capacity ref skin reaction".split()
)

# what tells the unit of a number, and how it is meant
_MEASURED = frozenset(
    "mm cm m km g kg t l ml c k pa bar v a w kw kwh hz s min h percent pct maximum minimum average mean net gross per "
    "metres centimetres millimetres kilometres grams kilograms tonnes litres millilitres celsius day week month year".split()
)


@dataclass(frozen=True)
class Trade:
    """`telling`: nouns that speak of it by themselves; `others`: such as do so beside another; `lines`: what its words mean,
    which is read when the first entity of it asks."""

    telling: frozenset[str]
    others: frozenset[str]
    lines: tuple[str, ...]
    of_systems: bool  # whether its models are about computers

    @cached_property
    def concepts(self) -> dict[tuple[str, ...], tuple[Concept, ...]]:
        """By whole names, each as words."""
        concepts: dict[tuple[str, ...], tuple[Concept, ...]] = {}
        for line in self.lines:
            names, concept = declared("by trade", line, sure=0.96)
            for words in names:
                plain = tuple(map(canonical, words))
                short = len(words) == 1 and words[0] in abbreviations()  # which is short for something else elsewhere
                for spelled in dict.fromkeys((plain,) if short else (_spelled(words), plain)):
                    concepts[spelled] = (*concepts.get(spelled, ()), concept)
        return concepts

    def as_written(self, name: str, trust: float) -> Iterator[Found]:
        """What a folded name means as it stands, where its words are short for something else elsewhere: the ph of a wine."""
        words = tuple(map(canonical, name.split("_")))
        if trust == OWN and any(word in abbreviations() for word in words):
            for concept in self.concepts.get(words, ()):
                yield Found(concept, words, True, concept.sure)

    def matching(self, words: tuple[str, ...], trust: float) -> Iterator[Found]:
        """What a name's words mean in this trade, its longest known end first. No word that every trade has means anything at
        the end of others, nor by itself where an entity is less surely of the trade."""
        for start in range(len(words)):
            if (trust < OWN or start) and len(words) - start == 1 and words[start] in _OF_ANY:
                continue
            for concept in self.concepts.get(words[start:], ()):
                share = 1.0 if start == 0 else 0.95 if len(words) - start > 1 else 0.9
                own = max(trust, _ITS_WORDS) if start == 0 and len(set(words) - _OF_ANY - _MEASURED) > 1 else trust
                if not (concept.alone and start):
                    yield Found(concept, words[start:], start == 0, concept.sure * share * own)


@lru_cache(maxsize=1)
def trades() -> dict[str, Trade]:
    found: dict[str, Trade] = {}
    for file in sorted((files(__name__.rpartition(".")[0]) / "by_trade").iterdir(), key=lambda one: one.name):
        for section in f"\n{file.read_text('utf-8')}".split("\n[")[1:]:
            head, *lines = section.splitlines()
            name, _, cues = head.rstrip("]").partition(": ")
            telling, _, others = cues.partition("|")
            found[name] = Trade(_nouns(telling), _nouns(others), tuple(filter(None, lines)), file.name == "systems.txt")
    return found


def _nouns(text: str) -> frozenset[str]:
    return frozenset(map(singular, text.split()))


def _spelled(words: tuple[str, ...]) -> tuple[str, ...]:
    """The words of a name with its short forms spelled out, as names of fields are."""
    return tuple(canonical(one) for word in words for one in abbreviations().get(word, (word,)))


@lru_cache(maxsize=1)
def by_word() -> tuple[dict[str, tuple[str, ...]], dict[str, tuple[str, ...]]]:
    """The trades that a word tells of by itself, and those that have it as well."""
    telling: dict[str, tuple[str, ...]] = {}
    others: dict[str, tuple[str, ...]] = {}
    for name, trade in trades().items():
        for words, found in ((trade.telling, telling), (trade.others, others)):
            for word in words:
                found[word] = (*found.get(word, ()), name)
    return telling, others


@lru_cache(maxsize=1)
def words_of_trades() -> tuple[frozenset[str], frozenset[str]]:
    """Every word of the lines of a trade, and every one that tells of some."""
    lines = {
        word for trade in trades().values() for line in trade.lines for word in line.partition(" : ")[0].replace(",", "").split()
    }
    cues = {word for trade in trades().values() for words in (trade.telling, trade.others) for word in words}
    long_lines, long_cues = (
        frozenset(word for word in words if len(word) > 3 and word not in abbreviations()) for words in (lines, cues)
    )
    return long_lines, long_cues
