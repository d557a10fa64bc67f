"""What rows are called by the noun of their entity, where its trade has no names for them: a policy, a payment term."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib.resources import files

from ..model import Entity, Field
from ..values.vocabulary import by_noun, topic
from .around import Around, Guessed
from .company import VAGUE
from .naming import folded, singular, with_article
from .naming.values import translated
from .of_row import of_kind
from .offers import by_pattern, by_words, has_room, of_named_kind


@dataclass(frozen=True, slots=True)
class _Called:
    form: str
    arguments: str
    unless: frozenset[str]
    within: frozenset[str]


@lru_cache(maxsize=1)
def _by_noun() -> dict[tuple[str, ...], list[_Called]]:
    text = (files(__package__) / "concepts" / "called.txt").read_text("utf-8")
    found: dict[tuple[str, ...], list[_Called]] = {}
    for line in text.splitlines():
        if not line or line.startswith("#"):
            continue
        nouns, _, rest = line.partition(" : ")
        said, *options = rest.split(" ; ")
        form, _, arguments = said.partition(" ")
        told = dict(option.strip().partition("=")[::2] for option in options)
        unless, within = (frozenset(told.get(key, "").split()) for key in ("unless", "in"))
        for noun in nouns.split(", "):
            found.setdefault(tuple(noun.split()), []).append(_Called(form, arguments, unless, within))
    return found


def called_by_noun(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """One of what such rows are called in any application."""
    if not has_room(field, 6):
        return None
    own, noun = around.topic.name, around.noun
    for length in (2, 1):
        for one in _by_noun().get(noun[-length:], ()) if len(noun) >= length else ():
            if (one.within and own not in one.within) or (own in one.unless and is_of_trade(around, own)):
                continue
            told = f"{reason} of {with_article(' '.join(noun[-length:]))}, by its entity"
            spoken = _in_language(one, around.vocabulary.language)
            if spoken is not None:
                return _made(around, field, spoken, told, max(sure, _SURE if length == 2 else 0.86))
    return _of_its_sorts(around, reason) if around.vocabulary.language == "en" else None


def _in_language(one: _Called, language: str) -> _Called | None:
    """The words in a language, where most of them are known in it; nothing else is said in others than English."""
    if language == "en":
        return one
    words = one.arguments.split(" | ")
    known = [said for word in words if (said := translated(word.lower(), language)) is not None]
    if one.form != "words" or len(known) < _ENOUGH or 2 * len(known) < len(words):
        return None
    return replace(one, arguments=" | ".join(dict.fromkeys(said[0].upper() + said[1:] for said in known)))


_ENOUGH = 4  # words of a list that are known in a language


_SURE = 0.97  # two nouns say more than what any trade has for the last of them
_SORTS = frozenset("type category kind class sort".split())


def is_of_trade(around: Around, trade: str) -> bool:
    """Whether the model is of a trade, which one noun alone does not say."""
    others = (entity for entity in around.world.entities if entity.topic == trade and entity.name != around.entity.name)
    return any(
        by_noun().get(singular(word), ("",))[0] == trade for entity in others for word in around.vocabulary.words(entity.name)
    )


_FEW_FIELDS = 14
_BY_SOMEBODY = re.compile(r"(_by(_id)?|^(creator|author|owner|editor)(_id)?)$")  # whose rows they are does not tell how many


def is_lookup(around: Around) -> bool:
    """Whether others refer to the rows, and these hang on none: there are as many as there are names."""
    entity = around.entity
    return not hangs_on_others(entity) and entity.name in around.world.referred_to and len(entity.fields) <= _FEW_FIELDS


def hangs_on_others(entity: Entity) -> bool:
    """Whether each row belongs to a row of another entity, whoever made it."""
    return any(
        relation.target != entity.name
        and not any(entity.field(column).nullable or _BY_SOMEBODY.search(folded(column)) for column in relation.columns)
        for relation in entity.relations
    )


def has_listed_names(around: Around) -> bool:
    """Whether each row has one of some names of its own."""
    noun = around.noun
    told = (one for length in (2, 1) for one in _by_noun().get(noun[-length:], ()) if one.form == "words")
    return any(_in_language(one, around.vocabulary.language) for one in told) and is_lookup(around)


def has_called(noun: tuple[str, ...]) -> bool:
    """Whether it is known what rows of a noun are called."""
    return any(noun[-length:] in _by_noun() for length in (2, 1))


def _of_its_sorts(around: Around, reason: str) -> Guessed | None:
    """The sorts of what stands before `type` or `category`, where the entity itself is of no trade."""
    if len(around.noun) < 2 or around.head not in _SORTS:
        return None
    name = by_noun().get(around.noun[-2], ("",))[0] if around.noun[-2] not in VAGUE else ""
    if not name or name == around.topic.name or not topic(name).has("kinds"):
        return None
    said = f"{reason} of a sort of {around.noun[-2]}, by its entity"
    return of_named_kind("thing-name", said, _SURE, topic=name, list="kinds")


def _made(around: Around, field: Field, one: _Called, reason: str, sure: float) -> Guessed | None:
    match one.form:
        case "words":
            made = by_words(field, tuple((word, 10.0) for word in one.arguments.split(" | ")), reason, sure)
            return replace(made, guess=replace(made.guess, closed=True)) if made is not None and is_lookup(around) else made
        case "pattern":
            return by_pattern(field, one.arguments, reason, sure)
        case "topic":
            name, _, listed = one.arguments.partition(" ")
            return of_named_kind("thing-name", reason, sure, topic=name, **({"list": listed} if listed else {}))
    return of_kind(around, field, one.arguments, {}, reason, sure)
