"""What a text is taken for by the last word of its name, which no concept knows."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache

from ..model import Field, Guess
from ..model.types import TEXTS
from ..values.vocabulary import also_by_noun, by_noun
from .around import Around, Guessed, is_keyed, may_hold_moment, names_moment
from .by_sense import is_act, is_adjective, is_artifact, is_state, text_by_sense
from .company import VAGUE
from .naming import folded, is_plural, plain_english, singular
from .naming.values import in_language
from .nouns import PERSONS, SYSTEMS, is_noun, is_somebody, is_tool, what_is
from .of_row import is_of_another, of_kind
from .offers import CLASSES, SORTS, by_pattern, by_words, fits, has_room, of_named_kind
from .persons_abroad import is_firm_abroad, is_somebody_abroad
from .roots import is_participle, is_same_verb
from .steps import is_step_alone

_OF = frozenset("de du des d del".split())


def _head_of(words: tuple[str, ...], language: str) -> str:
    """The word that says what a name is of: the last one, in French and Spanish the one before `de`."""
    at = next((at for at, word in enumerate(words) if at and word in _OF), len(words)) if language in ("fr", "es") else len(words)
    return words[at - 1] if words else ""


def by_last_word(around: Around, field: Field) -> Iterator[Guessed]:
    """What the last word of a name is: somebody, a firm, a thing of some trade; else a name of the entity's own."""
    last = singular(_head_of(around.words[field.name], around.vocabulary.language))
    yield from _by_its_use(around, field, last)
    yield from _who_or_what(around, field, last)
    yield from _as_text(around, field, last)


def _by_its_use(around: Around, field: Field, last: str) -> Iterator[Guessed]:
    """Who did something, a remark, a part of an address, one of a few sorts."""
    words = around.words[field.name]
    if words[-1:] == ("by",) and not around.topic.within(*SYSTEMS) and (field.room or 60) >= 40 and fits("name", field):
        yield of_named_kind("other-person" if is_of_another(around, field) else "name", "who did it", 0.5)
    if words[-1:] == ("by",) and fits("username", field):
        yield of_named_kind("username", "who did it", 0.5)
    yield from _for_anything(around, field)
    if words in (("other",), ("others",), ("misc",)) and has_room(field, 30):
        yield of_named_kind("text", "whatever else is to be said", 0.48, purpose="remark")
    if last in ("slug", "permalink", "urlname", "subdomain", "handle") and has_room(field, 12):
        yield of_named_kind("slug", f"{last}, of a name of its trade", 0.46)
    if len(words) > 1 and last in ("type", "kind", "sort", "variety"):
        yield from text_by_sense(around, field)
    if len(words) > 1 and last in _SORTS and not around.topic.within(*SYSTEMS):
        sorts = by_words(field, in_language(SORTS, around.vocabulary.language), f"{last} tells one of a few", 0.47)
        yield from () if sorts is None else (sorts,)


def _who_or_what(around: Around, field: Field, last: str) -> Iterator[Guessed]:
    """Somebody, a place, a firm, a thing of some trade."""
    words = around.words[field.name]
    if is_somebody(last) and around.topic.within(*SYSTEMS - _ABOUT_PERSONS) and fits("username", field):
        yield of_named_kind("username", f"{last} is a person, of a system", 0.51)
    if is_somebody_abroad(around, field) and fits("name", field):
        somebody = of_kind(around, field, "name", {}, f"{words[-1]} ends as words for persons do", 0.48)
        yield from () if somebody is None else (somebody,)
    if is_firm_abroad(around, field) and fits("organization", field):
        yield of_named_kind("organization", f"{words[-1]} ends as words for firms do", 0.48)
    person = last in PERSONS or ((is_somebody(last) or _does_it(around, last)) and not around.of_systems)
    if person and fits("name", field) and not (last in _BOTH and around.topic.within(*SYSTEMS)):
        somebody = of_kind(around, field, "name", {}, f"{last} is a person", 0.5)
        yield from () if somebody is None else (somebody,)
    elif what_is(last) in ("place", "landmark") and not around.topic.within(*SYSTEMS) and fits("place-name", field):
        yield of_named_kind("place-name", f"{last} is a place", 0.47)
    elif what_is(last) == "firm" and fits("organization", field):
        yield of_named_kind("organization", f"{last} is a firm", 0.5)
    elif field.name in around.world.names_of_many and (marked := by_pattern(field, _LABELS, "", 0.46)) is not None:
        yield replace(marked, guess=Guess(reason="many entities have it, so it is of none's trade", confidence=0.46))
    elif what_is(last) == "vessel" and not around.of_systems and fits("vessel-name", field):
        yield of_named_kind("vessel-name", f"{last} is a vessel", 0.47)
    elif around.topic.name in also_by_noun().get(last, ()):
        yield of_named_kind("thing-name", f"{last} is of the entity's own topic, {around.topic.name}", 0.45)
    elif (numbered := _numbered(around, field, last)) is not None:
        yield numbered
    elif last in by_noun() and last not in VAGUE and not _of_another_trade(around, last):
        yield of_named_kind("thing-name", f"{last} is of the topic {by_noun()[last][0]}", 0.45, topic=by_noun()[last][0])


def _as_text(around: Around, field: Field, last: str) -> Iterator[Guessed]:
    """What a text may hold whatever its last word is, by its keys, its room and its company."""
    words = around.words[field.name]
    alone = any(rule.columns == (field.name,) for rule in around.entity.unique_rules)
    if alone and len(words) == 1 and last in _NUMBERED_PAPERS and has_room(field, 10):
        yield of_named_kind("code", f"a {last} is told by its number, which differs in each row", 0.47)
    yield from () if alone else text_by_sense(around, field)
    if alone and not field.nullable and field.room is not None and 6 <= field.room <= 24:
        yield of_named_kind("code", "a short text that differs in each row", 0.42)
    prose = of_named_kind("text", "a long text, beside shorter ones, and its name says no more", 0.43, purpose="remark")
    for_prose = _is_for_prose(around, field)
    if for_prose and around.topic.within(*_ABOUT_PERSONS):
        yield prose
    yield from _of_a_system(around, field)
    if for_prose:
        yield prose
    if (names_moment(words) or is_step_alone(words)) and may_hold_moment(field):
        day = words[-1] == "on" or (field.room is not None and field.room < 19)
        yield of_named_kind("iso-time", "a moment as a text, by its name", 0.53, **({"form": "date"} if day else {}))
    if last == "material":
        materials = by_words(field, in_language(_MATERIALS, around.vocabulary.language), "what things are made of", 0.46)
        yield from () if materials is None else (materials,)
    yield from () if alone else _told_by_how(around, field, last)
    rules = (*around.entity.unique_rules, *around.entity.uniques)
    ruled = any(field.name in rule.columns or any(field.name in text for text in rule.expressions) for rule in rules)
    if not ruled and not around.of_systems and last not in by_noun():
        sorts = by_words(field, in_language(SORTS, around.vocabulary.language), "one of a few, of which nothing is known", 0.402)
        yield from () if sorts is None else (sorts,)
    yield of_named_kind("thing-name", "a text, and its name says no more", 0.4)
    yield of_named_kind("code", "a text, and its name says no more", 0.2)


def _of_a_system(around: Around, field: Field) -> Iterator[Guessed]:
    """A text of a system of which nothing else is known: a label, a part, a setting."""
    if not around.topic.within(*SYSTEMS) or not (around.of_systems or len(around.world.entities) < _SMALL):
        return
    ruled = any(field.name in rule.columns for rule in around.entity.unique_rules)
    plain = by_pattern(field, _LABELS, "", 0.41) if ruled or is_keyed(around.entity, field) else None
    if plain is None and (field.room or 60) >= 17:
        several = folded(field.name) != singular(folded(field.name)) and (field.room or 60) > 40
        plain = of_named_kind("part-name", "", 0.41, **({"several": "yes"} if several else {}))
    plain = plain or by_words(field, _SETTINGS, "", 0.41)
    if plain is not None:
        yield replace(plain, guess=Guess(reason="a text of a system, and its name says no more", confidence=0.41))


_OF_ITS_KIND = 1  # up to here the nouns of a topic are what its things are: tools, not the drawers that they lie in


def _numbered(around: Around, field: Field, noun: str) -> Guessed | None:
    """A made thing of which somebody has a few, told by a number: Oven 3, and not what is baked in it."""
    told = by_noun().get(noun)
    several = told is not None and told[1] > _OF_ITS_KIND and noun not in VAGUE and is_artifact(noun)
    words = around.words[field.name]
    if not several or around.of_systems or words[-1:] != (noun,) or len(words) > 2 or is_plural(folded(field.name)):
        return None
    called = " ".join(words) if around.vocabulary.language == "en" else folded(field.name).replace("_", " ")
    return by_pattern(field, f"{called.capitalize()} [1-9]", f"{noun} is a thing of which there are several", 0.452)


def _does_it(around: Around, noun: str) -> bool:
    """Whether somebody is called by what they do, of which no dictionary has a thing: a prescriber; the compounder of what was
    compounded at some time."""
    if not noun.endswith(("er", "or")) or is_tool(noun) or is_noun(noun):
        return False
    beside = (word for words in around.words.values() for word in words[:1] if is_participle(word))
    if len(noun) > 6 and not {noun[:-2], noun[:-1]}.isdisjoint(plain_english()):
        return True
    return any(len(noun) > 5 and is_same_verb(noun[:-2], word) for word in beside)


# papers and marks that are called by the number on them
_NUMBERED_PAPERS = frozenset(
    "ticket permit voucher docket waybill coupon tag badge plate barcode receipt slip pass token certificate warrant chip label "
    "folio case claim requisition manifest".split()
)
_MATERIALS = (("steel", 24.0), ("wood", 22.0), ("aluminium", 16.0), ("plastic", 16.0), ("glass", 12.0), ("cotton", 10.0))
_NO_THING = ("tion", "sion", "ment", "ance", "ence", "ity", "ness", "logy", "ism", "ing", "origin")
_HOW_MUCH = (("none", 34.0), ("slight", 30.0), ("moderate", 22.0), ("severe", 14.0))
_HOW = ("standard", "light", "heavy", "small", "large", "special")
_NO_THINGS = frozenset(
    "name title text info data value note label remark detail content entry record item other extra misc field string line "
    "word list set history log state reason comment person user account party contact address place town location suffix "
    "prefix default help limit code form table sort display option provider original transaction chain counter alias mask "
    "subtitle one two three specialty speciality site status system step standard commodity goods cargo product service "
    "center centre order number date time year text image picture link file path".split()
)


def _told_by_how(around: Around, field: Field, last: str) -> Iterator[Guessed]:
    """Some sorts of a thing of which nothing is known, each by how it is: a light scrub, a double one."""
    words = around.words[field.name]
    plain = last.isalpha() and len(last) > 2 and not last.endswith(("ed", "ly")) and not is_adjective(last)
    unsaid = around.vocabulary.language != "en" or around.of_systems or around.topic.within(*SYSTEMS)
    if unsaid or not plain or last in _NO_THINGS or len(words) > 2 or not is_noun(last):
        return
    if last == "class":
        lettered = by_words(field, CLASSES, "a class of which nothing is known", 0.405)
        yield from () if lettered is None else (lettered,)
        return
    if is_state(last) and not last.endswith("s"):
        much = by_words(field, in_language(_HOW_MUCH, around.vocabulary.language), f"how much {last} there is", 0.405)
        yield from () if much is None else (much,)
        return
    if is_tool(last) or last in _WAYS or is_act(last) or last.endswith(_NO_THING):
        ways = by_words(
            field, in_language(SORTS, around.vocabulary.language), f"some sorts of {last}, of which nothing is known", 0.405
        )
        yield from () if ways is None else (ways,)
        return
    if (field.room or 40) < 200 and words[-1] == last:
        pairs = tuple((f"{how} {last}", 24.0 - 2 * at) for at, how in enumerate(_HOW))
        made = by_words(field, pairs, f"some sorts of {last}, of which nothing is known", 0.405)
        yield from () if made is None else (made,)


# what something is done by, of which there is no light one
_WAYS = frozenset(
    "strategy algorithm approach mechanism handling procedure routine behaviour behavior technique calculation".split()
)
_TOO_FEW = 3  # texts of an entity, from which nothing can be told
_LONG_TEXT = 400  # characters, from which on a column is meant for more than a name


def _is_for_prose(around: Around, field: Field) -> bool:
    """Whether a text has room for sentences, in an entity that gives its names and words less."""
    if field.room is not None:
        return field.room >= _LONG_TEXT
    rooms = tuple(one.room for one in around.entity.fields if one.type.name in TEXTS and one.name != field.name)
    return _are_narrow(rooms if len(rooms) >= _TOO_FEW else around.world.rooms)  # else by what the others give


@lru_cache(maxsize=256)
def _are_narrow(rooms: tuple[int | None, ...]) -> bool:
    narrow = sum(room is not None and room < _LONG_TEXT for room in rooms)
    return narrow >= 2 and 2 * narrow > len(rooms)


# what is about computers, and about persons as much: who stands there is somebody with a name
_ABOUT_PERSONS = frozenset("web messages files devices datasets dashboards accounts".split())


def _of_another_trade(around: Around, noun: str) -> bool:
    """Whether a noun has another meaning in a system than its trade's: a pipe, a subscription."""
    trade = by_noun()[noun][0]
    own = around.of_systems and trade not in around.world.topics_of_some
    return (own or around.topic.within(*SYSTEMS)) and trade not in SYSTEMS | {"departments"}


# in systems no persons
_BOTH = frozenset(
    "parent child client agent driver master controller operator consumer observer worker runner publisher peer".split()
)
# what tells of one of a few, whatever the few are; and words that fit most of them
_SORTS = frozenset(
    "type kind class category level grade scheme design range mode method style format form group band tier pattern scope "
    "policy option variant sort rating system arrangement model structure setup".split()
)
_LABELS = "(alpha|central|core|delta|edge|lab|main|north|south|web)-[0-9]{2,3}"
_SMALL = 3  # entities, up to which a single one tells what a model is about
# what settings of systems mostly are
_SETTINGS = (
    ("default", 34.0),
    ("standard", 18.0),
    ("internal", 12.0),
    ("primary", 10.0),
    ("external", 9.0),
    ("custom", 9.0),
    ("basic", 8.0),
)


# columns that applications keep for whatever a user wants to write down
_FOR_ANYTHING = frozenset(
    "user defined custom extra attribute attr field free flex spare misc aux text option udf opt cust".split()
)
_ANYTHING = (
    ("yes", 18.0), ("no", 12.0), ("n/a", 10.0), ("other", 10.0), ("see notes", 8.0), ("A", 8.0), ("B", 7.0), ("12", 7.0),
    ("3", 7.0), ("2024", 7.0), ("confirmed", 6.0),
)  # fmt: skip


def _for_anything(around: Around, field: Field) -> Iterator[Guessed]:
    """What stands in a numbered column of no meaning: `ud18`, `custom_field_3`."""
    words = around.words[field.name]
    numbered = bool(words) and words[-1].isdigit() and (len(words) > 1 or not folded(field.name)[0].isdigit())
    unknown = all(word in _FOR_ANYTHING or (len(word) < 4 and word not in plain_english()) for word in words[:-1])
    if numbered and unknown and not is_keyed(around.entity, field):
        made = by_words(field, _ANYTHING, "one of several columns for whatever a user writes down", 0.46)
        yield from () if made is None else (made,)
