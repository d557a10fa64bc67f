"""Moments of a row in their natural order and at natural distances, by what their names say: ordered, sent, received, paid."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import permutations

from ..model import Bound, Entity, Field, Guess, KindSource, TypeName, World
from ..model.changing import changed
from ..model.origins import Origin
from ..values.vocabulary import NEUTRAL, topic
from .around import clock_of, tied_fields
from .free import named_in_rules
from .naming import Vocabulary, folded, singular
from .nouns import SYSTEMS
from .on_the_way import RARE_ENDS, goes_with, told_by_reasons
from .order_in_time import Order
from .plain_words import plain_words
from .roots import has_happened
from .step_rules import LONG, SPANS
from .steps import (
    CREATED,
    LASTING,
    MAIN_DAYS,
    ON_THE_WAY,
    UNLIKE,
    Match,
    followed,
    is_later,
    is_planned,
    span_of,
    stage_of,
    steps_not_awaited,
    words_of_step,
)
from .turns import guess_turns
from .vocabularies import vocabulary_of

_AHEAD = frozenset("starts start departs departure begins scheduled from hired appointment event arrival arrives".split())
_MOST = 3  # moments that one is held behind beside the one that it follows


def guess_lives(world: World) -> World:
    """Moments bounded by those that come before them, where nothing else bounds them."""
    vocabulary = vocabulary_of(world)
    tied = tied_fields(world)  # by rules that were there before
    return guess_turns(replace(world, entities=tuple(_live(entity, vocabulary) for entity in world.entities)), vocabulary, tied)


def _live(entity: Entity, vocabulary: Vocabulary) -> Entity:
    fields = {f.name: f for f in entity.fields if clock_of(f) and not f.generated}
    if len(fields) < 2:
        return entity
    noun = [singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2])]
    plain = plain_words(entity, vocabulary)
    if "task" in noun and any(not _OF_PEOPLE.isdisjoint(told) for told in plain.values()):
        noun = ["ticket" if word == "task" else word for word in noun]  # which somebody does within days
    if "job" in noun and not topic(entity.topic or NEUTRAL).within(*SYSTEMS):
        noun = ["workorder" if word == "job" else word for word in noun]
    words = {name: words_of_step(f, plain[name], noun) for name, f in fields.items()}
    keyed = {column for rule in entity.unique_rules for column in rule.columns}
    texts = [text.lower() for rule in entity.uniques for text in rule.expressions]
    keyed |= {f.name for f in entity.fields if any(f.name.lower() in text for text in texts)}
    rare = tuple(told_by_reasons(entity, plain).values())
    order = Order(noun, fields, words, keyed, tuple(name for name in entity.field_names if name != "id"), rare)
    _as_declared(order)
    _of_the_dead(order)
    _just_before(order)
    _signed_up_before(order)
    _after_earlier(order)
    _before_ahead(order)
    _before_the_day(order)
    _by_stages(order)
    _until_then(order)
    _in_column_order(order)
    _after_the_row(order)
    _behind_all(order, entity)
    return _bounded(entity, order.bounds) if order.bounds else entity


_OF_PEOPLE = frozenset("assignee assigned due deadline priority estimate reporter".split())


def _as_declared(order: Order) -> None:
    """What declared rules say comes before what; and how far at most, where one alone says so."""
    named = {name.lower(): name for name in order.fields}
    for name, one in order.fields.items():
        for bound in one.limits.bounds:
            if (other := named.get(bound.operand.lower())) is not None and bound.path:
                order.put(*((other, name) if bound.comparison in (">", ">=") else (name, other)))
    for name, one in order.fields.items():
        after = named.get(_declared_after(one))
        if after is None or name in order.keyed:
            continue
        first = next(iter(followed(one, list(order.fields.values()), order.words, order.noun)), None)
        if first is not None and first.other.name == after:
            span = first.span
        else:
            known = any(set(nouns.split()) & set(order.noun[-2:]) for nouns, _ in SPANS)
            exact = one.type.name is not TypeName.DATE and clock_of(one) != "time" and not LASTING & set(order.noun)
            span = span_of(order.noun, "") if known else "2 days" if exact else None
        if span is not None:
            order.choose(one, ">=", order.fields[after], span, f"not before {after}, by their names")


def _just_before(order: Order) -> None:
    """Who checks in is on the way into what begins then."""
    for name, one in order.fields.items():
        if "checkin" not in order.words[name] or "checked" not in folded(name) or not order.is_open(one):
            continue
        begins = (other for other in order.fields.values() if set(order.words[other.name]) & {"starts", "start", "scheduled"})
        if (ahead := next((other for other in begins if clock_of(other) == clock_of(one)), None)) is not None:
            order.choose(one, "<=", ahead, ON_THE_WAY, f"just before {ahead.name}, by their names")


def _of_the_dead(order: Order) -> None:
    """Where each row tells of a death, somebody was born a life before it."""
    for died in order.fields.values():
        if died.nullable or not {"died", "deceased", "death"} & set(order.words[died.name]) or not order.is_open(died):
            continue
        born = next((one for name, one in order.fields.items() if {"born", "birth"} & set(order.words[name])), None)
        if born is not None and order.is_open(born):
            order.choose(born, "<=", died, "36500 days", f"a life before {died.name}, by their names")


def _signed_up_before(order: Order) -> None:
    """Whoever takes part signs up before it begins: entries open, then close, then a race starts."""
    signs = {name: _SIGNED & set(order.words[name]) for name in order.fields}
    begins = [one for name, one in order.fields.items() if not signs[name] and _BEGINNING & set(order.words[name])]
    for name, one in order.fields.items():
        ahead = next((other for other in begins if other.type.name is one.type.name), None)
        if not signs[name] or not _CLOSING & set(order.words[name]) or ahead is None or not order.is_open(one):
            continue
        late = {"checkin", "check"} & signs[name] and clock_of(one) != "time" and one.type.name is not TypeName.DATE
        order.choose(one, "<=", ahead, "1 hour" if late else "30 days", f"before {ahead.name}, by their names")
        opens = (o for n, o in order.fields.items() if signs[n] & signs[name] and {"opens", "open", "from"} & set(order.words[n]))
        if (first := next(opens, None)) is not None and order.is_open(first):
            order.choose(first, "<=", one, "60 days", f"before {name}, by their names")


_SIGNED = frozenset(
    "registration registrations entries entry enrolment enrollment booking bookings signup checkin check rsvp".split()
)
_CLOSING = frozenset("closes close closed deadline end ends cutoff".split())
_BEGINNING = frozenset("starts start begins begin starting curtain".split())


def _matches(order: Order) -> Iterator[tuple[Field, Match]]:
    every = list(order.fields.values())
    for one in every:
        if one.name not in order.keyed and _may_come_later(one):
            yield from ((one, match) for match in followed(one, every, order.words, order.noun))


def _after_earlier(order: Order) -> None:
    """What names say comes after another: the surest rules first, whichever column stands first."""
    for one, match in sorted(_matches(order), key=lambda found: found[1][:2]):
        if order.is_open(one) and "paid" in order.words[one.name] and "due" in order.words[match.other.name]:
            order.choose(one, "<=", match.other, "100 days", f"before {match.other.name}, by their names")
        elif order.is_open(one):
            order.choose(one, ">=", match.other, match.span, f"not before {match.other.name}, by their names")
        elif match.score < UNLIKE:
            order.put(match.other.name, one.name)


def _before_ahead(order: Order) -> None:
    """What is booked is booked before it begins."""
    if {"run", "job", "task", "build", "check"} & set(order.noun):
        return
    words = order.words
    ahead = [o for o in order.fields.values() if set(words[o.name]) & _AHEAD and not set(words[o.name]) & CREATED]
    ahead.sort(key=lambda one: bool({"arrival", "arrives"} & set(words[one.name])))  # who arrives has departed before
    for name, one in order.fields.items():
        reported = not {"reported", "raised"}.isdisjoint(words[name])  # what somebody plans to do about it comes later
        if not order.is_open(one) or clock_of(one) not in _TOLD_BY_CLOCKS or not (set(words[name]) & CREATED or reported):
            continue
        for other in (o for o in ahead if not reported or {"planned", "scheduled"} & set(words[o.name])):
            if order.choose(one, "<=", other, "100 days", f"before {other.name}, by their names"):
                break


def _before_the_day(order: Order) -> None:
    """What is due, signed or agreed for a wedding, a party or a trip is so before that day."""
    days = [one for name, one in order.fields.items() if MAIN_DAYS & set(order.words[name]) and not one.nullable]
    for name, one in order.fields.items() if len(days) == 1 else ():
        if one is not days[0] and _FOR_THE_DAY & set(order.words[name]) and order.is_open(one) and clock_of(one) != "time":
            order.choose(one, "<=", days[0], "300 days", f"before {days[0].name}, by their names")


_FOR_THE_DAY = frozenset("deposit balance due signed booked design tasting quoted agreed invited instalment".split())


_TOLD_BY_CLOCKS = ("moment", "epoch in s")


def _usual_step(order: Order, one: Field) -> str:
    """How far a step lies at most behind the one before it, where no rule tells."""
    usual = span_of(order.noun, "")
    exact = one.type.name is not TypeName.DATE and not LASTING & set(order.noun)
    return "9 hours" if clock_of(one) == "time" else "4 days" if usual == "30 days" and exact else usual


def _is_step(order: Order, one: Field) -> bool:
    told = isinstance(one.source, KindSource) and one.source.kind in ("moment", "date-time", "epoch", "time")
    return told and one.name not in order.keyed and one.limits.bounds == ()


def _by_stages(order: Order) -> None:
    """Steps that no rule knows follow each other as things go on their way: asked for, granted, sent, done with, put away."""
    stages = {name: stage_of(order.words[name]) for name, one in order.fields.items() if _is_step(order, one)}
    told = {name: stage for name, stage in stages.items() if stage is not None and clock_of(order.fields[name]) != "time"}
    pairs = [
        (told[later][0] - told[earlier][0], earlier, later)
        for earlier, later in permutations(told, 2)
        if told[later][0] > told[earlier][0] and told[later][1] == told[earlier][1]
    ]
    for _, earlier, later in sorted(pairs, key=lambda pair: pair[0]):
        one, before = order.fields[later], order.fields[earlier]
        unawaited = steps_not_awaited(order.words[later], list(order.words.values()))
        if order.is_before(earlier, later) or not unawaited.isdisjoint(order.words[earlier]):
            continue
        if order.is_open(one):
            order.choose(one, ">=", before, _usual_step(order, one), f"not before {earlier}, as such things go")
        else:
            order.put(earlier, later)


_UNTIL = frozenset("until till expires expire expired expiry expiration due deadline thru".split())
# the row's own end, and of nothing else
_OF_ITSELF = _UNTIL | frozenset("valid validity end good use by best before warranty guarantee".split())
_NOT_BEGUN = frozenset("last next birth born dob updated modified changed reminder follow followup".split())


def _until_then(order: Order) -> None:
    """What a row itself is valid until, or due, comes after what was done with it first, whatever that was: bought, drawn up."""
    for name, one in order.fields.items():
        own = _telling(order, name)
        told = own & _UNTIL or {"use", "by"} <= own or {"best", "before"} <= own
        if not told or not own <= _OF_ITSELF | set(order.noun) or clock_of(one) == "time":
            continue
        begun = [
            other
            for other in order.fields.values()
            if has_happened(order.words[other.name]) and not _telling(order, other.name) & (_NOT_BEGUN | _UNTIL)
        ]
        first = next((other for other in begun if not other.nullable), next(iter(begun), None))
        if first is not None and order.is_open(one):
            span = "30 days" if {"due", "deadline"} & own else LONG
            order.choose(one, ">=", first, span, f"not before {first.name}, by their names")
        elif first is not None:
            order.put(first.name, name)


# moments of a row that are no step of its way from the first column to the last
_NO_STEPS = frozenset(
    "created create creation write written added inserted entered recorded updated update modified changed edited "
    "synced last next first birth born due expires expiry expired expiration valid until till deadline scheduled "
    "planned expected estimated promised agreed wanted needed effective "
    "since deleted archived death died renewal reminder remind warranty best use "
    "timestamp stamp date time day month year period at on log logged".split()
)
_PLAIN_STEPS = frozenset("at on date time the of in dt ts".split())


def _telling(order: Order, name: str) -> set[str]:
    """The words of a moment's name that say which moment it is."""
    return set(order.words[name]) - _PLAIN_STEPS


def _in_column_order(order: Order) -> None:
    """Steps that nothing else is known of follow each other as their columns do: on scene, left scene, at hospital, clear."""
    steps = []
    if len(order.columns) > 5 and list(order.columns) == sorted(order.columns):
        return  # by the alphabet, which tells nothing
    for name, one in order.fields.items():
        own = _telling(order, name)
        if any(len(word) > 2 for word in own) and not own & _NO_STEPS and _is_step(order, one):
            steps.append(one)
    if sum(clock_of(one) == "time" for one in order.fields.values()) > 2:  # hours of several days, or of several things
        steps = [one for one in steps if clock_of(one) != "time"]
    rare = {field.name for field in order.rare}
    unknown: set[str] = set()  # steps of which nothing else is known
    ways = [one for one in steps if not set(order.words[one.name]) & RARE_ENDS and one.name not in rare]
    for one in steps[1:]:
        before = next((way for way in reversed(ways) if steps.index(way) < steps.index(one)), None)
        if before is None:
            continue
        if order.is_open(one) and not is_later(order.words[before.name], order.words[one.name]):
            why = f"not before {before.name}, by the order of their columns"
            if order.choose(one, ">=", before, _usual_step(order, one), why):
                unknown.add(one.name)
        elif one in ways and order.begins_with(one) == order.begins_with(before) is not None and before.name in unknown:
            order.put(before.name, one.name)  # attended, then cleared


# what a row may tell of although it was written down later, and what is done because of the row
_BEFORE_ROW = frozenset(
    "measured observed sampled captured taken shot sighted seen heard occurred happened born purchased bought acquired "
    "manufactured built made founded established issued released launched hired joined started start starts begin begins "
    "began opened open ended end ends signed sent received collected installed commissioned planted sown caught found lost "
    "incident accident event original originally imported migrated first".split()
)
_DONE_ABOUT_IT = frozenset("action decision measure reply".split())


def _after_the_row(order: Order) -> None:
    """What was done at a moment of which nothing else is known was done after its row was made: `action_taken_at`."""
    made = next((one for name, one in order.fields.items() if _telling(order, name) == {"created"}), None)
    if made is None:
        return
    for name, one in order.fields.items():
        own = _telling(order, name)
        before = own & (_BEFORE_ROW | _AHEAD | _NO_STEPS) and not own & _DONE_ABOUT_IT
        told = (own and not before and one.nullable and _is_step(order, one)) or own == {"waiting", "since"}
        exact = (one.type.name is not TypeName.DATE or has_happened(order.words[name])) and clock_of(one) != "time"
        if told and exact and order.is_open(one):
            order.choose(one, ">=", made, _usual_step(order, one), f"not before {made.name}, since the row tells of it")
        elif told and exact:
            order.put(made.name, name)


def _behind_all(order: Order, entity: Entity) -> None:
    """A moment lies behind every one before it, also where the one that it follows is missing or nothing holds that one back."""
    told = named_in_rules(entity)
    before = {name: {other for other in order.fields if order.is_before(other, name)} for name in order.fields}
    for name in sorted(order.bounds, key=lambda name: len(before[name])):
        first = order.bounds[name][0][0]
        one = order.fields[name]
        if first.comparison != ">=" or not _may_come_later(one):
            continue
        follows = order.fields[first.operand]
        there = not follows.nullable or goes_with(entity, order.words, one, follows, told)
        held = {follows.name} | (before[follows.name] if there and follows.name in order.bounds else set())
        others = before[name] - held
        sure = {other for other in others if not order.fields[other].nullable and other in order.bounds}
        others -= {far for near in sure for far in before[near]}
        for other in sorted(others, key=lambda other: -len(before[other]))[:_MOST]:
            order.choose(one, ">=", order.fields[other], None, f"not before {other}")


def _bounded(entity: Entity, chosen: dict[str, list[tuple[Bound, str]]]) -> Entity:
    fields = []
    for one in entity.fields:
        if one.name not in chosen:
            fields.append(one)
            continue
        bounds, whys = zip(*chosen[one.name], strict=True)
        if is_planned(one) and bounds[0].comparison == ">=":
            bounds = (replace(bounds[0], comparison=">"), *bounds[1:])  # what is planned takes some time
        guess = one.guess and Guess(reason=f"{one.guess.reason}; {whys[0]}", confidence=one.guess.confidence)
        past = isinstance(one.source, KindSource) and ("when", "past") in one.source.parameters
        if bounds[0].within is not None and past and (one.nullable or bounds[0].comparison == "<="):
            bounds = (*bounds, Bound(comparison="<=", operand="now", origin=Origin.GUESSED))  # what has not happened yet is null
        fields.append(changed(one, limits=replace(one.limits, bounds=(*one.limits.bounds, *bounds)), guess=guess))
    return changed(entity, fields=tuple(fields))


def _declared_after(one: Field) -> str:
    """The field of the row that a declared rule alone says this one comes after; how far is left to a guess."""
    bounds = [bound for bound in one.limits.bounds if bound.path]
    first = bounds[0] if bounds else None
    said = one.source is not None and one.guess is None
    if first is None or said or len(bounds) > 1 or first.comparison not in (">", ">=") or first.within or "." in first.operand:
        return ""
    return first.operand.lower() if not one.limits.allowed and first.origin is not Origin.GUESSED else ""


def _may_come_later(one: Field) -> bool:
    """Whether a moment is held from below at most, by other moments of the row: it may come after still others."""
    said = one.source is not None and one.guess is None
    later = all(bound.path and "." not in bound.operand and bound.comparison in (">", ">=") for bound in one.limits.bounds)
    return not said and later and not one.limits.allowed
