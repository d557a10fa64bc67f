"""What a concept makes of a field: a kind, a number, some values, a text or a code."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

from ..model import (
    Field,
    KindSource,
    TypeName,
)
from ..model.types import INTEGERS, MOMENTS, TEXTS
from ..values.vocabulary import NEUTRAL, topic
from .around import Around, Guessed, default_of, field_beside, is_keyed, is_time_of_day
from .called import titled
from .called_by_noun import called_by_noun, has_listed_names
from .codes import code_pattern, numbered_by_date
from .company import EVERY_APPLICATION
from .concepts import Found
from .flags_by_name import ASKING
from .in_context import in_context
from .naming import folded, singular
from .naming.values import in_language
from .nouns import LINES, SYSTEMS, what_is
from .of_numbers import below_ten
from .of_row import of_kind
from .offers import as_flag, as_json, by_number, by_pattern, by_words, has_room, of_named_kind, read_pairs
from .roots import is_participle
from .states import has_states

_FACTS = frozenset("description content body text".split())  # of what is rated, where no opinion of it is asked
_OPINIONS = frozenset(
    "comment comments remark remarks text body feedback message opinion note notes description content review".split()
)


def by_concept(around: Around, field: Field, found: Found, reason: str) -> Iterator[Guessed]:
    concept, kind = found.concept, field.type
    if kind.name is TypeName.ARRAY and kind.element is not None and kind.element.name not in TEXTS:
        return
    if concept.arguments.startswith("epoch"):
        dated = any(one.type.name in MOMENTS for one in around.entity.fields)
        alone = len(around.words[field.name]) == 1 and is_participle(around.words[field.name][0])
        if dated and (alone or is_time_of_day(field, around.words[field.name])) and field.name not in around.in_seconds:
            return
        if not found.whole and not _tells_moment(around, field, found):
            return
    if concept.subject == "systems" and not around.topic.within(*SYSTEMS, NEUTRAL):
        return  # elsewhere these words mean something else: a satellite, a distribution, a macro
    if concept.what == "kind" and concept.arguments.split(" ")[0] == "region" and _tells_a_state_of_work(around):
        return  # in which state a run is, and no county
    if concept.room is not None and (field.room is None or field.room > concept.room):
        return
    ways = _coded(around, field, found, reason) if concept.what == "code" else (_made(around, field, found, reason),)
    for made in ways:
        if made is not None:
            same = made.share == concept.there and (made.secret or not concept.secret)
            yield made if same else replace(made, share=concept.there, secret=concept.secret or made.secret)


def _tells_a_state_of_work(around: Around) -> bool:
    """Whether rows are states that runs, orders and tasks went through."""
    return around.head in ("state", "status") and len(around.noun) > 1 and has_states(around.noun[-2])


# what tells of a length of time or of a limit, and of no moment: maximum usage block time
NO_POINT = frozenset("maximum minimum limit block duration wait grace total average mean spent elapsed estimated budget".split())


def _tells_moment(around: Around, field: Field, found: Found) -> bool:
    """Whether a number whose name ends in a word for a moment may well be one: others are, or the word says so plainly."""
    if NO_POINT & set(around.words[field.name]):
        return False
    turn = len(found.words) > 1 and found.words[0] in ("last", "next")
    return turn or bool(around.in_seconds - {field.name}) or found.words[-1] in _PLAINLY


_PLAINLY = frozenset("time timestamp date at seen login visit updated created modified accessed clock".split())


def _made(around: Around, field: Field, found: Found, reason: str) -> Guessed | None:
    """What a concept makes of a field; nothing where that does not go into it."""
    arguments, sure = found.concept.arguments, found.confidence
    match found.concept.what:
        case "flag" if field.type.name in INTEGERS and any(
            word != singular(word) and word not in ASKING for word in around.words[field.name][:-1]
        ):
            return None  # `sheets_reviewed` are so many
        case "flag":
            return as_flag(around, field, float(arguments), found, reason)
        case "kind":
            name, *pairs = arguments.split(" ")
            return of_kind(around, field, name, dict(pair.split("=") for pair in pairs), reason, sure)
        case "num":
            return _numbered(around, field, arguments, found, reason, sure)
        case "words":
            words = tuple(read_pairs(arguments))
            said = in_language(words, around.vocabulary.language)
            same = sum(one == other for one, other in zip(said, words, strict=True)) if len(said) == len(words) else 0
            told = same == len(words) or (found.concept.subject == "by trade" and same > 0.4 * len(words))
            return by_words(field, said, reason, sure * _FOREIGN if told and _is_foreign(around, arguments) else sure)
        case "pattern":
            return by_pattern(field, arguments, reason, sure * _FOREIGN if _is_foreign(around, arguments) else sure)
        case "text" if around.words[field.name][-1:] == ("summary",) and (short := _summed_up(around, field, reason, sure)):
            return short
        case "text" if folded(field.name).endswith("descr") and around.topic.within("network") and has_room(field, 8):
            return of_named_kind("thing-name", f"{reason}, as networks are described", sure)
        case "text" if around.head in _CHOSEN and (chosen := called_by_noun(around, field, reason, sure)) is not None:
            return chosen
        case "text":
            fitting = field.room is None or field.room >= _LONG_FORMS.get(found.concept.arguments, 8)
            return of_named_kind("text", reason, sure, purpose=_purpose(around, field, found)) if fitting else None
        case "json":
            return as_json(field, arguments, reason, sure)
        case "of" if not around.topic.has(arguments) and (listed := _of_the_trade(around, arguments)):
            return by_words(field, tuple((one, float(max(2, 20 - 3 * at))) for at, one in enumerate(listed)), reason, sure * 0.9)
        case "of":
            fitting = around.topic.has(arguments) and (field.type.name is TypeName.ARRAY or has_room(field, 3))
            if fitting and field.type.name is TypeName.JSON:
                items = {"type": "string", "enum": list(around.topic.words(arguments))}
                schema = json.dumps({"type": "array", "items": items, "minItems": "1", "maxItems": "3"})
                return of_named_kind("json", reason, sure, schema=schema)
            return of_named_kind("term", reason, sure, list=arguments) if fitting else None
        case what:
            return in_context(around, field, what, reason, sure)


def _of_the_trade(around: Around, listed: str) -> tuple[str, ...]:
    """What somebody is good at, in a trade that has no list of that: its sorts, or the things that it deals with."""
    if listed != "specialties" or around.of_systems:
        return ()
    told = Counter(entity.topic for entity in around.world.entities if entity.topic not in (None, NEUTRAL, *EVERY_APPLICATION))
    often = sorted(told.items(), key=lambda one: (-one[1], one[0]))
    trades = (topic(name).spoken(around.vocabulary.language) for name, number in often if name is not None and number > 1)
    trade = next((one for one in (*trades, around.topic) if one.name != NEUTRAL and one.has("kinds")), None)
    return trade.words("kinds")[:6] if trade is not None else ()


_CHOSEN = frozenset(("option", "choice"))  # whose text is what somebody chooses
# English words in another language are less sure than whatever is known there
_FOREIGN = 0.72
_ENGLISH = re.compile(r"(?<![\[\\\w-])[A-Za-z][a-z]{3,}(?![\w-]*\])")


def _is_foreign(around: Around, text: str) -> bool:
    """Whether values hold plain English words, in a model of another language."""
    return not around.vocabulary.language.startswith("en") and _ENGLISH.search(text) is not None


def _numbered(around: Around, field: Field, arguments: str, found: Found, reason: str, sure: float) -> Guessed | None:
    if arguments == "1 24 tail" and around.words[field.name][-1:] == ("quantity",) and _is_bought(around):
        return by_words(field, _FEW, f"{reason}, of what somebody buys", sure)
    if found.words == ("count",) and not found.whole and not around.of_systems and not around.topic.within(*SYSTEMS):
        arguments = "0 14 tail"  # of what nobody knows there are a few
    if found.words[-1:] == ("number",) and default_of(field) in ("0", "1"):
        arguments = "1 20 tail"  # how many, where one is usual
    if field.follows or any(one.field == field.name for f in around.entity.fields for one in f.follows):
        arguments = " ".join(arguments.split()[:2])  # ties would hide the ranks
    whole = (field.type.precision or 0) - (field.type.scale or 0)
    if (
        arguments.startswith("0 1 ")
        and whole > 2
        and (field.type.scale or 0) < 3
        and found.words[-1] in ("rate", "share", "ratio")
        and not field.limits.bounds
    ):
        arguments = "0 100 hump"  # of a hundred, since it has room for them
    if below_ten(field.type) and (field.type.scale or 0) > 1 and float(arguments.split()[1]) > 10:
        arguments = "0 1 hump"  # a share: a score of numeric(4,3) does not go to 100
    if arguments.startswith("1 ") and _counts_in_owner(around, field):
        arguments = "1 60"
    made = by_number(field, arguments, reason, sure)
    endless = field.type.name is TypeName.NUMERIC and field.type.precision is None
    counted = _PIECES & set(around.words[field.name]) and ((field.type.scale or 0) > 2 or endless)
    words = around.words[field.name]
    how_many = words[-1:] == ("count",) or (words[:1] == ("number",) and len(words) > 1)
    counted = counted or how_many or (field.type.name is TypeName.NUMERIC and found.concept.types <= INTEGERS)
    counted = counted and field.type.name not in INTEGERS
    if made is not None and counted and isinstance(made.source, KindSource):
        return replace(made, source=replace(made.source, parameters=(*made.source.parameters, ("step", "1"))))
    return made


_IN_OWNER = frozenset("number index sequence ordinal iid".split())


def _counts_in_owner(around: Around, field: Field) -> bool:
    """Whether a number tells rows of one owner apart: the third task of a project."""
    referring = {column for relation in around.entity.relations for column in relation.columns}
    rules = [rule.columns for rule in around.entity.unique_rules if field.name in rule.columns and len(rule.columns) > 1]
    return around.words[field.name][-1] in _IN_OWNER and any(referring & set(columns) for columns in rules)


_FEW = (("1", 56.0), ("2", 21.0), ("3", 9.0), ("4", 5.0), ("5", 4.0), ("6", 2.0), ("10", 2.0), ("12", 1.0))
_BOUGHT_IN = frozenset("order cart basket sale checkout receipt shopping wishlist".split())
_BOUGHT_BY_FIRMS = frozenset("purchase work production supplier stock manufacturing transfer requisition wholesale".split())


def _is_bought(around: Around) -> bool:
    """Whether somebody buys what a row is of, and not a firm."""
    noun = set(around.noun)
    return bool(around.head in LINES and noun & _BOUGHT_IN and not noun & _BOUGHT_BY_FIRMS)


def _summed_up(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A summary that is a title: of an appointment in a calendar (RFC 5545), of a ticket."""
    if around.topic.within("calendars") and has_room(field, 8):
        return of_named_kind("thing-name", f"{reason}, of an appointment", sure)
    if around.head in _TICKETS and has_room(field, 12) and not around.has("title", "subject", "name"):
        return of_named_kind("text", f"{reason}, of a {around.head}", sure, purpose="title")
    short = field.room is not None and 8 < field.room <= 256 and not field.nullable
    if short and not around.has("title", "subject", "name", "label", "headline", "description"):
        return titled(around, field, f"{reason}, by which a {around.head or 'row'} is called", sure)
    return None


_TICKETS = frozenset("ticket issue bug incident request defect task fault problem".split())
_FAULTS = frozenset("fault defect damage breakdown malfunction snag problem".split())
_PIECES = frozenset("quantity pieces units items".split())


def _purpose(around: Around, field: Field, found: Found) -> str:
    """What a text is for; beside a rating an opinion of it."""
    judged = around.head in ("review", "rating", "feedback", "evaluation", "survey", "assessment", "opinion", "testimonial")
    rated = (judged and ("score",) in around.words.values()) or any(
        words[-1:] in (("rating",), ("stars",)) and "number" not in words for words in around.words.values()
    )
    last = around.words[field.name][-1]
    of_text = found.concept.arguments in ("remark", "message", "description") and last in _OPINIONS
    opinion = of_text and (judged or last not in _FACTS)
    if found.concept.arguments == "message" and around.head in ("log", "logs", "logline"):
        return "log-line"
    if found.concept.arguments == "message" and around.topic.within("logs") and not around.has("sender", "recipient", "subject"):
        return "log-line"
    if found.concept.arguments == "message" and last in _FACTS and _is_offered(around):
        return "description"
    if found.concept.arguments == "description" and last == "description" and _is_of_somebody(around):
        return "bio"
    if found.concept.arguments == "description" and last == "description" and around.head in _FAULTS:
        return "issue"
    return "review" if rated and opinion else found.concept.arguments


def _is_offered(around: Around) -> bool:
    """Whether a text is of a thing that is offered or kept, and nobody's letter."""
    things = {"product", "category", "item", "list", "collection", "course", "event", "property", "plan", "package", "service"}
    return around.head in things or around.has("price", "sales price", "unit price", "base price", "sku")


def _is_of_somebody(around: Around) -> bool:
    """Whether an entity describes persons: users and authors also where it is about computers, whose hosts are none."""
    if around.topic.within(*SYSTEMS) and around.head not in ("user", "member", "author", "subscriber"):
        return False
    named = around.has("first name", "last name", "full name", "username", "birth date")
    return what_is(around.head) == "person" and named


# how many characters texts in the form of a standard take
_LONG_FORMS = {"svg": 130, "calendar": 330, "certificate": 700, "picture": 190, "table": 130, "markdown": 250, "stylesheet": 60}
_ROOMS = ("A1.04", "A1.12", "A2.07", "B0.01", "B1.15", "B2.03", "C0.11", "C1.02", "C2.20", "D1.09")


_SHORT_ROOMS = ("101", "102", "110", "204", "212", "305")


def _coded(around: Around, field: Field, found: Found, reason: str) -> Iterator[Guessed | None]:
    """A code of a concept's form: one of a few rooms, or an endless number; with the year of the row's date where it has one."""
    form, sure, vocabulary = found.concept.arguments, found.confidence, around.vocabulary
    beside = field_beside(around, field, ("name", "title", "label"))
    kind = "slug" if has_room(field, 12) else "abbreviation"
    told_apart = kind == "slug" or not is_keyed(around.entity, field)  # two names may have the same letters
    named = around.words[field.name] in (("code",), ("key",)) and beside is not None and has_listed_names(around)
    if named and beside is not None and told_apart:
        yield of_named_kind(kind, f"{reason}, made from {beside}", 0.95, of=beside)
        return
    if form == "room" and not is_keyed(around.entity, field):
        rooms = _ROOMS if has_room(field, 5) else _SHORT_ROOMS
        yield by_words(field, tuple((one, float(10 - at)) for at, one in enumerate(rooms)), reason, sure)
        return
    if form == "room" and has_room(field, 6):
        yield by_pattern(field, "[A-E][0-4]\\.[0-9]{2}[0-9]?", reason, sure)
    pattern = code_pattern(form, around.whole[field.name], around.noun, field.room, vocabulary.language)
    yield numbered_by_date(around, field, pattern, reason, sure)
    yield by_pattern(field, pattern, reason, sure * 0.98)
