"""What each entity is about: by its own words, then by its fields', then by its neighbours'."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, replace
from itertools import pairwise

from ..model import Entity, World
from ..model.changing import changed
from ..model.types import TEXTS
from ..values.vocabulary import NEUTRAL, by_noun, listed, long_tail, topics
from .around import kept_of
from .company import ANY, EVERY_APPLICATION, VAGUE, beside_the_trade, by_the_company, of_its_things, without_strays
from .concepts import known_words
from .naming import Vocabulary, folded, noun_of, singular
from .nouns import SYSTEMS
from .of_neighbours import of_made_data, of_programs, of_what_is_spoken, of_wholes
from .plain_words import plain_words
from .told_by_fields import LOGGED, WRITTEN, is_held, is_logged, is_of_events, is_of_files, is_of_users, is_written
from .vocabularies import vocabulary_of

_TAGS = {"en": "en-GB", "de": "de-DE", "fr": "fr-FR", "es": "es-ES", "it": "it-IT", "nl": "nl-NL", "pt": "pt-BR", "pl": "pl-PL"}


def guess_topics(world: World) -> World:
    """Entities with their topics, and the world with its language, where nobody said them; once more changes nothing."""
    vocabulary = vocabulary_of(world)
    if world.language is None:
        tag = _TAGS.get(vocabulary.language, "en-GB")
        world = replace(world, language="en-US" if tag == "en-GB" and _is_american(world) else tag)
    mark = _shared_mark(world, vocabulary)
    own = {entity.name: _by_name(kept_of(world, entity), vocabulary, mark) for entity in world.entities}
    own |= _of_frameworks(own)
    own |= of_wholes(world, own, vocabulary)
    fields = {entity.name: _by_fields(entity, vocabulary) for entity in world.entities}
    telling = [name for name in own if not _IN_ANY & set(map(singular, vocabulary.words(name)[-1:]))] or list(own)
    said = [votes[name] for votes in (own, fields) for name in telling]
    systems = _is_of_systems(said) and not _is_of_a_trade({n: own[n] for n in telling}, vocabulary)
    of_logs = {entity.name: LOGGED for entity in world.entities if is_logged(entity, vocabulary)}
    of_logs |= {entity.name: WRITTEN for entity in world.entities if is_written(entity, vocabulary)}
    own |= of_what_is_spoken(world, own, vocabulary)
    own |= {name: Counter({"software": 6}) for name in of_programs(world, vocabulary)}
    own |= {entity.name: Counter({"accounts": 6}) for entity in world.entities if is_of_users(entity, vocabulary)}
    own |= {entity.name: Counter({"files": 6}) for entity in world.entities if is_of_files(entity, vocabulary)}
    if systems:
        taught = _is_of_teaching(world, vocabulary)
        own = {n: _in_software(_named(n, votes, vocabulary, _INSIDE | of_logs.get(n, {})), taught) for n, votes in own.items()}
        own = without_strays(own | of_made_data(world, own, vocabulary), vocabulary)
        fields = {name: _in_software(votes, taught) for name, votes in fields.items()}
        own |= {entity.name: Counter({"events": 3}) for entity in world.entities if is_held(entity, vocabulary)}
    else:  # events that somebody comes to, wherever they take place
        own |= {name: Counter({"events": 3}) for name in own if name not in of_logs and is_of_events(name, vocabulary)}
    if not systems and not any(votes["network"] or votes["software"] for votes in own.values()):
        own = {n: _named(n, votes, vocabulary, _OUTSIDE | of_logs.get(n, {})) for n, votes in own.items()}
        own = {n: Counter({one: w for one, w in votes.items() if one != "testing"}) for n, votes in own.items()}  # of skaters
    own = by_the_company(world, own, fields, vocabulary)
    own = own if systems else of_its_things(own, vocabulary)
    everywhere = _everywhere(own, vocabulary)
    leading = _leading(everywhere, systems)
    if not systems:
        own, everywhere, leading = _of_the_trade(own, everywhere, leading, vocabulary)
    near = _of_neighbours(world, own)
    if leading is not None and not systems:
        own = beside_the_trade(own, fields, leading, vocabulary)
    entities = []
    for entity in world.entities:
        if entity.topic is None or entity.topic_is_guessed:
            told = _Told(own[entity.name], fields[entity.name], near[entity.name], everywhere)
            entity = changed(entity, topic=_best(entity, told, leading, vocabulary), topic_is_guessed=True)
        entities.append(entity)
    return replace(world, entities=tuple(entities))


_ZIP = re.compile(r"(.*_)?zip(_?code|5)?")
_TOWN = re.compile(r"(.*_)?(city|town)")
_ELSEWHERE = re.compile(r"(.*_)?(post_?code|iban|vat_(no|nr|number|id))")


def _is_american(world: World) -> bool:
    """Whether addresses are those of the United States: a state beside a zip code, or one of two letters beside a town."""
    american = False
    for entity in world.entities:
        spelled = [(field, folded(field.name)) for field in entity.fields]
        if any(_ELSEWHERE.fullmatch(name) for _, name in spelled):
            return False
        states = [field for field, name in spelled if name.split("_")[-1] == "state" and field.type.name in TEXTS]
        if states and not american:
            zips, towns = (any(form.fullmatch(name) for _, name in spelled) for form in (_ZIP, _TOWN))
            american = any(zips or (towns and field.room == 2) for field in states)
    return american


@dataclass(frozen=True, slots=True)
class _Told:
    """What speaks for the topics of an entity: its name, its fields, those around it, and the whole world."""

    own: Counter[str]
    fields: Counter[str]
    near: Counter[str]
    everywhere: Counter[str]


def _of_neighbours(world: World, own: dict[str, Counter[str]]) -> dict[str, Counter[str]]:
    """What the names of the entities that one refers to, or that refer to it, speak for."""
    near: dict[str, Counter[str]] = {entity.name: Counter() for entity in world.entities}
    for entity in world.entities:
        for relation in entity.relations:
            for one, other in ((entity.name, relation.target), (relation.target, entity.name)):
                if one in near and other in own and one != other:
                    near[one] += own[other]
    return {name: _agreed(votes) for name, votes in near.items()}


def _everywhere(own: dict[str, Counter[str]], vocabulary: Vocabulary) -> Counter[str]:
    """What all names together speak for; none of them says much, and ten tables of notifications little more than one."""
    everywhere: Counter[str] = Counter()
    seen: set[tuple[str, str]] = set()
    for name, votes in own.items():
        noun = vocabulary.words(name.rpartition(".")[2])[-1:]
        for topic, weight in votes.items():
            again = (topic, *noun) in seen
            everywhere[topic] += min(weight, 3.0) * (_AGAIN if again else 1.0)  # type: ignore[assignment]
            seen.add((topic, *noun))  # type: ignore[arg-type]
    everywhere.pop(NEUTRAL, None)
    return everywhere


_AGAIN = 0.35  # what a noun says that has spoken before


def _leading(everywhere: Counter[str], systems: bool) -> str | None:
    """The trade of the world: of two entities or more, so that a single table that is added moves no other's words."""
    trades = [vote for vote in everywhere.items() if vote[0] not in EVERY_APPLICATION | ({"support"} if systems else set())]
    leading = max(trades, key=lambda vote: (vote[1], vote[0]), default=(NEUTRAL, 0))
    return leading[0] if leading[1] >= max(4.0, 0.25 * sum(weight for _, weight in trades)) else None


def _of_the_trade(
    own: dict[str, Counter[str]], everywhere: Counter[str], leading: str | None, vocabulary: Vocabulary
) -> tuple[dict[str, Counter[str]], Counter[str], str | None]:
    """Votes of a world with trades of its own and without a help desk, where faults, repairs and complaints are of these."""
    nouns = {word for name in own for word in map(singular, vocabulary.words(name.rpartition(".")[2]))}
    if not nouns.isdisjoint(_HELP_DESK):
        return own, everywhere, leading
    kept = {name: Counter({topic: w for topic, w in votes.items() if topic != "support"}) for name, votes in own.items()}
    others = _everywhere(kept, vocabulary)
    telling = sum(weight for topic, weight in others.items() if topic not in ANY)
    return (kept, others, _leading(others, systems=False)) if telling >= _TELLING else (own, everywhere, leading)


_TELLING = 2  # what a single noun of a trade says
_HELP_DESK = frozenset("ticket helpdesk support bug agent sla stoerung".split())


def _best(entity: Entity, told: _Told, leading: str | None, vocabulary: Vocabulary) -> str:
    """The topic that most speaks for; none of the world's where little does."""
    votes: Counter[str] = Counter()
    vague = max(told.own.values(), default=0) < 1.3  # its own words say little: those around it say more
    beside = 1.6 if vague else 0.7
    for source, share in ((told.own, 4.0), (told.fields, 1.0), (told.near, beside), (told.everywhere, 0.08)):
        for topic, weight in source.items():
            votes[topic] += weight * share  # type: ignore[assignment]
    of_every = any(told.own[topic] > 0 for topic in EVERY_APPLICATION)  # users are users, whatever the trade
    if vocabulary.words(entity.name.rpartition(".")[2])[-1:] in (("user",), ("users",)):
        votes["accounts"] += 6  # and beside others they say nothing of those
    if leading is not None and vague and not of_every:  # it is of the world's trade
        much = max(told.near.values(), default=0) >= 2  # a neighbour says much: the world's trade says less
        votes[leading] += 1.0 if much else 2.6  # type: ignore[assignment]
    if told.own["projects"] and max(votes, key=lambda topic: votes[topic], default="") in _HELPED:
        votes["projects"] += 6
    best = max(votes.items(), key=lambda vote: (vote[1], vote[0]), default=(NEUTRAL, 0))
    whose = noun_of(vocabulary.words(entity.name.rpartition(".")[2]))[:-1]
    unknown = vague and bool(whose) and not any(word in by_noun() or singular(word) in by_noun() for word in whose)
    return best[0] if best[1] >= (_MORE_THAN_VAGUE if unknown else 1) else NEUTRAL


_MORE_THAN_VAGUE = 2.1  # a vague noun of what nobody knows says nothing: bait points are none of a scheme for loyal customers
_HELPED = SYSTEMS | {"support", "accounts"}  # a project with tickets is no ticket


_IN_ANY = frozenset(  # tables of any application, by their nouns
    "user role permission setting session log notification token group file attachment migration audit job config".split()
)


def _agreed(votes: Counter[str]) -> Counter[str]:
    """What neighbours say, each by the share of them that say the same: one of many that is of another trade says little."""
    total = sum(votes.values())
    return Counter({topic: weight * weight / total for topic, weight in votes.items()})


# trades whose words software has as well, for other things: a port, a class, a pipe, a field, a table
_DOUBLE = {
    "ships": "network", "courses": "software", "furniture": "databases", "plants": "databases", "waterworks": "software",
    "optics": "software", "parcels": "software", "labtests": "software", "invoicing": "software", "spareparts": "software",
    "broadcast": "messages", "groups": "permissions", "safety": "network",
    "subscriptions": "messages", "property": "software", "electronics": "software", "products": "software",
    "construction": "software", "rooms": "messages", "locks": "software", "dashboards": "dashboards",
}  # fmt: skip


def _is_of_a_trade(votes: dict[str, Counter[str]], vocabulary: Vocabulary) -> bool:
    """Whether tables that not every application has are of a trade that shares words with computers: ships, not ports alone."""
    nouns: dict[str, set[str]] = {}
    for name, one in votes.items():
        if one:
            nouns.setdefault(max(one, key=lambda topic: (one[topic], topic)), set()).add(vocabulary.words(name)[-1])
    systems = sum(len(of) for topic, of in nouns.items() if topic in SYSTEMS)
    return any(len(of) > max(1, 4 * systems) for topic, of in nouns.items() if topic in _DOUBLE)


def _is_of_systems(votes: list[Counter[str]]) -> bool:
    """Whether most of what a model's names tell is of computers."""
    told: Counter[str] = Counter()
    for one in votes:
        told += Counter({topic: min(weight, 2.0) for topic, weight in one.items() if topic != NEUTRAL})
    systems = sum(weight for topic, weight in told.items() if topic in SYSTEMS)
    return systems > 0.5 * sum(weight for topic, weight in told.items() if topic in SYSTEMS or topic not in _DOUBLE)


def _in_software(votes: Counter[str], taught: bool = False) -> Counter[str]:
    """Votes of a model about computers: words with two meanings have that one; a course is one where something is `taught`."""
    out: Counter[str] = Counter()
    for topic, weight in votes.items():
        out[topic if taught and topic == "courses" else _DOUBLE.get(topic, topic)] += weight
    return out


_OF_TEACHING = frozenset("course lesson exam quiz learner student pupil classroom teacher curriculum homework coursework".split())


def _is_of_teaching(world: World, vocabulary: Vocabulary) -> bool:
    """Whether several words of its tables' names are of a school, however much there is of computers."""
    words = {singular(word) for entity in world.entities for word in vocabulary.words(entity.name.rpartition(".")[2])}
    return len(words & _OF_TEACHING) > 2


def _named(name: str, votes: Counter[str], vocabulary: Vocabulary, meant: dict[str, tuple[str, str]]) -> Counter[str]:
    """Votes by what nouns mean in a model about computers, or in one about anything else."""
    for word in map(singular, noun_of(vocabulary.words(name.rpartition(".")[2]))):
        first, other = meant.get(word, ("", ""))
        if first in votes:
            votes = Counter({(other if topic == first else topic): weight for topic, weight in votes.items()})
            votes.pop("", None)
    return votes


_INSIDE = {  # a pool is no place to swim
    "pool": ("pools", "network"),
    "port": ("ships", "network"),
    "listener": ("broadcast", "network"),
    "channel": ("broadcast", "messages"),
    "policy": ("insurance", "permissions"),
    "load": ("freight", "network"),
    "container": ("freight", "hosting"),
    "conductor": ("music", "jobs"),
    "driver": ("vehicles", "software"),
    "target": ("astronomy", "network"),
    "health": ("medicine", "network"),
    "inventory": ("warehouse", "network"),
    "artifact": ("archaeology", "software"),
    "guard": ("security_services", "permissions"),
    "team": ("sports", "groups"),
    "share": ("securities", "files"),
    "site": ("sites", "web"),
    "runner": ("orienteering", "jobs"),
    "goal": ("therapy", "web"),
    "card": ("banking", "messages"),
    "automation": ("homeautomation", "jobs"),
}
_OUTSIDE = {  # an incident is no ticket of a help desk but an accident; nothing: it is of whatever trade the others are
    "job": ("jobs", ""),
    "case": ("law", ""),
    "step": ("jobs", ""),
    "incident": ("support", "safety"),
    "table": ("databases", "food"),
    "session": ("web", "courses"),
    "event": ("messages", "events"),
}


# pairs of nouns that mean something else than each by itself
_PAIRS = {" ".join(words[:2]): words[2] for words in map(str.split, listed("pairs of nouns"))}


_OF_ACCESS = frozenset(
    "public private api ssh gpg access deploy signing encryption auth authentication session refresh personal device push".split()
)


# what parts of any application are called, which tells nothing of a trade: `wagtailcore_page`, `common_setting`
_PARTS = frozenset("core base common main backend frontend util utils shared general generic".split())


# tables of a framework, by what their names begin with: what they are about, whatever the application is
_FRAMEWORKS = {"django": "web", "auth": "accounts", "ir": "software", "sys": "software"}


def _of_frameworks(own: dict[str, Counter[str]]) -> dict[str, Counter[str]]:
    """Votes for tables of a framework, of which there are several, where their nouns say nothing of computers themselves."""
    of: dict[str, list[str]] = {}
    for name in own:
        of.setdefault(name.rpartition(".")[2].lower().partition("_")[0], []).append(name)
    out = {}
    for part, topic in _FRAMEWORKS.items():
        for name in of.get(part, ()) if len(of.get(part, ())) > 2 else ():
            if not any(own[name][one] for one in SYSTEMS):
                out[name] = Counter({topic: 3})
    return out


def _shared_mark(world: World, vocabulary: Vocabulary) -> tuple[str, ...]:
    """The words that most tables' names begin with, which tell whose they are and not what: `gw_readings`, `gw_wares`."""
    names = [vocabulary.words(entity.name.rpartition(".")[2]) for entity in world.entities]
    mark: tuple[str, ...] = ()
    while True:
        firsts = Counter(words[: len(mark) + 1] for words in names if len(words) > len(mark) + 1 and words[: len(mark)] == mark)
        longer, number = firsts.most_common(1)[0] if firsts else ((), 0)
        if number < 4 or number < 0.7 * len(names):
            return mark
        mark = longer


_OF_ANY_TRADE = frozenset(("asset", "equipment"))  # what is kept of hydrants is no laptop


def _by_name(name: str, vocabulary: Vocabulary, mark: tuple[str, ...] = ()) -> Counter[str]:
    words = noun_of(vocabulary.words(name.rpartition(".")[2]))
    words = words[len(mark) :] if len(words) > len(mark) and words[: len(mark)] == mark else words
    words = (*(word for word in words[:-1] if word not in _PARTS), *words[-1:])
    votes: Counter[str] = Counter()
    if len(words) > 1 and singular(words[-1]) in ("key", "token", "secret") and words[-2] in _OF_ACCESS:
        return Counter({"accounts": 3})
    if (pair := _PAIRS.get(" ".join(singular(word) for word in words[-2:]))) is not None:
        return Counter({pair: 3})
    for one, other in pairwise(words):  # what is also written as one word: a stock take
        if (found := by_noun().get(f"{one}{singular(other)}")) is not None:
            return Counter({found[0]: 3})
    for place, word in enumerate(reversed(words)):
        if (found := by_noun().get(word) or by_noun().get(singular(word))) is not None:
            vague = bool({word, singular(word)} & VAGUE) or (singular(word) in _OF_ANY_TRADE and place == 0 and len(words) > 1)
            strength = (0.5 if vague else 2.0) * (1.0 if place == 0 else 0.7)
            votes[found[0]] += strength  # type: ignore[assignment]
        elif word not in known_words() and (tail := long_tail().get(word)) in topics():
            votes[str(tail)] += 1.2 if place == 0 else 0.8  # type: ignore[assignment]
    return votes


def _by_fields(entity: Entity, vocabulary: Vocabulary) -> Counter[str]:
    votes: Counter[str] = Counter()
    plain = plain_words(entity, vocabulary)
    referring = {column for relation in entity.relations for column in relation.columns}
    for field in entity.fields:
        words = plain[field.name]
        weight = 0.1 if field.name in referring else 0.35  # what has a room is none
        for word in words[1:] if words[:1] == ("ship",) and len(words) > 1 else words:  # where something is shipped to
            if word not in VAGUE and (found := by_noun().get(word)) is not None:
                votes[found[0]] += weight  # type: ignore[assignment]
    for word in (entity.comment or "").lower().split()[:12]:
        if word not in VAGUE and (found := by_noun().get(word.strip(",.;:()"))) is not None:
            votes[found[0]] += 0.5  # type: ignore[assignment]
    return votes
