"""Moments of a row in their natural order and at natural distances, by what their names say: ordered, sent, received, paid."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

from ..model import Bound, Entity, Field, Guess, KindSource, TypeName, World
from ..model.changing import changed
from ..model.literals import read_span
from ..model.origins import Origin
from .around import clock_of, tied_fields
from .naming import Vocabulary, folded, singular
from .plain_words import plain_words
from .topics import vocabulary_of
from .turns import guess_turns

# how long things last, by the noun of their entity
_SPANS = (
    ("immobilisation capture surgery anaesthesia procedure transfusion appointment visit consultation lecture lesson session meeting class exam attempt quiz treatment event viewing call rehearsal practice training tasting fitting interview hearing seminar webinar", "3 hours"),
    ("shift", "9 hours"), ("dive descent immersion snorkel", "70 minutes"),
    ("job run task check result request build measurement analysis import export backup pipeline execution sync step log query scan test anl", "90 minutes"),
    ("timesheet timeentry timer worklog entry trip drive flight transfer delivery ride tour shift screening performance show concert match game showing workshop webinar", "10 hours"),
    ("ticket issue incident alert alarm case fault bug complaint inquiry stoerung outage order workorder repair", "12 days"),
    ("hire rental stay reservation loan vacation absence leave holiday", "21 days"),
    ("semester term course", "150 days"), ("survey poll campaign sprint", "30 days"),
    ("tournament festival conference fair camp retreat competition expedition excursion congress regatta", "6 days"),
)  # fmt: skip
_LONG = "400 days"
# the commonest distance of those up to a span
_USUALLY = {
    "5 minutes": "20 seconds", "10 minutes": "2 minutes", "20 minutes": "4 minutes", "25 minutes": "6 minutes",
    "30 minutes": "11 minutes", "100 minutes": "7 minutes", "40 minutes": "18 minutes", "70 minutes": "42 minutes", "90 minutes": "5 minutes",
    "1 hour": "6 minutes", "2 hours": "25 minutes", "3 hours": "50 minutes", "4 hours": "80 minutes", "6 hours": "1 hour",
    "9 hours": "8 hours", "10 hours": "2 hours", "14 hours": "9 hours", "20 hours": "3 hours", "40 hours": "8 hours",
    "1 day": "1 hour", "2 days": "5 hours", "3 days": "8 hours", "4 days": "1 day", "6 days": "2 days", "7 days": "2 days",
    "10 days": "2 days", "12 days": "1 day", "14 days": "3 days", "20 days": "4 days", "21 days": "4 days", "30 days": "9 days",
    "40 days": "12 days", "45 days": "9 days", "60 days": "14 days", "150 days": "90 days", "180 days": "110 days",
    "365 days": "340 days", "400 days": "365 days", "900 days": "300 days", "1400 days": "1100 days", "1800 days": "730 days",
}  # fmt: skip
# what goes on for days and years although its ends are told to the second
_LASTING = frozenset(
    "contract subscription membership lease policy project employment assignment plan programme promotion offer discount price licence "
    "permission grant season enrolment registration version period phase validity warranty agreement mandate tenancy role position "
    "account listing auction booster ban suspension silence campaign exhibition certificate coupon voucher insurance engagement".split()
)
_ENDING = frozenset("ended end ends finish finished completed stop stopped fin".split())
# words for one and the same step of what was planned and of what came to be
_SAME_STEP = {one: same for same, ones in {"start": "departure departs departed starts started begin begins out pickup",
                                           "end": "return returned arrival arrives arrived ends ended finish finished in dropoff"}.items()
              for one in ones.split()}  # fmt: skip
# guests depart after they have come, trains come after they have departed
_OF_STAYS, _OF_TRIPS = "departure departs checkout leaving", "arrives arrival arrived"
_STAYING = frozenset("stay reservation booking guest room visit holiday vacation lodging bed tenancy folio".split())
_TRAVELLING = frozenset(
    "trip flight sailing voyage train bus leg route shipment delivery transport crossing connection call".split()
)
_QUEUED = "20 minutes"
# a word of a later moment: the earlier ones that it follows, the likeliest first, and how far (None: by the entity)
_AFTER: tuple[tuple[str, str, str | None], ...] = (
    ("actual", "scheduled planned estimated expected", "3 hours"),
    ("ended end ends finished finish stopped stop completed complete until to thru closes closed close closing fin",
     "started start starts begin begins began from opens opened open opening debut run queued raised reported created", None),
    ("arrived", "called alerted dispatched notified departed occurred", "2 hours"),
    ("closed resolved fixed done solved settled handled", "called opened reported raised created received started submitted filed detected occurred", None),
    ("redeemed forfeited", "pledged pawned deposited", "300 days"),
    ("signed", "quote quoted offer offered proposed drafted", "60 days"),
    ("installed commissioned", "signed ordered sold bought purchased", "150 days"),
    ("registered recorded filed", "executed signed notarised", "30 days"),
    ("returned return back", "picked collected borrowed departed hired rented lent shipped delivered started issued sent departure from", None),
    (_OF_STAYS, "arrival arrives checkin", "14 days"),
    (_OF_TRIPS, "departs departure departed start started", "10 hours"),
    ("checkout out", "checkin in arrival", None),
    ("left departed leaving", "arrived landed docked entered", "40 hours"),
    ("hearing appeal trial", "filed submitted opened", "200 days"),
    ("due deadline", "picked collected filed issued invoice invoiced borrowed published pledged ordered hired from started assigned created opened date sent requested", None),
    ("expires expired expiry until to thru", "issued valid from started awarded created granted begins effective registered starts", _LONG),
    ("expires expiry until to next due retest", "vaccinated administered tested certified calibrated trained passed printed packed", _LONG),
    ("acknowledged", "raised triggered created received detected opened", "1 day"),
    ("processed handled", "occurred received created submitted queued", "1 hour"),
    ("starts start begins begin curtain", "soundcheck warmup doors briefing muster", "4 hours"),
    ("started start reserved picked claimed", "queued scheduled created", _QUEUED),
    ("paid", "issued invoice invoiced ordered placed created booked due sent submitted", "40 days"),
    ("sent", "queued", "5 minutes"),
    ("next", "last previous", "365 days"),
    ("last", "first", _LONG),
    ("till until", "suspended silenced banned muted pinned featured hidden locked blocked", "60 days"),
    ("boarded", "checked", "20 hours"),
    ("sent", "issued drafted", "2 days"),
    ("shipped sent dispatched", "ordered placed paid created packed", "4 days"),
    ("response responded reply", "opened created raised received reported submitted asked", "1 day"),
    ("delivered received expected", "shipped sent ordered dispatched placed created", "7 days"),
    ("read opened seen viewed", "sent delivered received", "3 days"),
    ("approved rejected confirmed accepted declined reviewed decided", "submitted requested created applied received registered", "14 days"),
    ("published", "recorded produced created written submitted", "30 days"),
    ("submitted", "started begun", None),
    ("submitted", "published assigned opened created started", "21 days"),
    ("answered replied responded", "asked created received sent opened", "3 days"),
    ("cancelled withdrawn", "booked ordered created placed requested registered hired issued", "30 days"),
    ("left retired terminated resigned moved out ended departure graduated", "hired joined enrolled registered member started in entered employed since", "900 days"),
    ("graduated", "enrolled registered started", "1400 days"),
    ("removed uninstalled dismantled decommissioned", "installed built commissioned", "4000 days"),
    ("died deceased", "born birth", None),
    ("calibrated serviced inspected inspection maintained", "purchased purchase bought installed built", "700 days"),
    ("service inspection check calibrated run renewal appointment", "last serviced inspected calibrated checked purchased", "365 days"),
    ("received analysed arrived", "collected sampled taken drawn", "2 days"),
    ("mobilised dispatched alerted", "received called raised", "10 minutes"),
    ("scene arrived", "mobilised dispatched alerted", "30 minutes"),
    ("control controlled contained", "scene arrived", "4 hours"),
    ("surfaced ascended resurfaced", "descended submerged entered immersed", "70 minutes"),
    ("cooled extinguished drained emptied", "lit ignited heated filled loaded", "200 days"),
    ("stop stood cleared", "control controlled contained", "6 hours"),
    ("dispensed", "written prescribed", "20 days"),
    ("expires expiry", "dispensed written prescribed filled", "400 days"),
    ("reported", "loss accident injury theft damage", "10 days"),
    ("picked", "accepted requested", "40 minutes"),
    ("served", "ordered placed seated", "40 minutes"),
    ("picked collected", "finished completed ready repaired", "10 days"),
    ("promised ready", "brought handed dropped accepted received", "14 days"),
    ("finished completed", "brought handed dropped", "12 days"),
    ("dropped", "picked pickup", "90 minutes"),
    ("collected", "received dropped handed", "6 days"),
    ("decay decayed reentry", "launched launch", "4000 days"),
    ("sentenced convicted", "arraigned charged indicted", "200 days"),
    ("mitigated contained", "detected raised reported acknowledged", "6 hours"),
    ("harvested harvest picked", "sown planted seeded drilled", "180 days"),
    ("warranty", "install installed installation purchase purchased bought delivered built", "1800 days"),
    ("awarded award granted", "deadline closing submission published opened signed", "60 days"),
    ("declared announced certified", "election poll held counted", "3 days"),
    ("issued", "observed seen measured sighted", "20 minutes"),
    ("due follow", "treated calibrated inspected serviced cleaned tuned", "365 days"),
    ("refunded", "sold paid bought purchased charged ordered", "30 days"),
    ("checkin check", "booked reserved", "45 days"),
    ("activated verified", "registered created joined", "2 days"),
    ("revoked deleted removed archived deactivated disabled banned suspended unsubscribed used login seen accessed active updated modified changed edited last",
     "created registered joined added inserted enrolled started issued installed opened posted published written", None),
)  # fmt: skip
_ON_THE_WAY = "25 minutes"
_UNLIMITED = frozenset(
    "revoked deleted removed archived deactivated disabled banned suspended unsubscribed used login seen accessed active updated "
    "modified changed edited died deceased last".split()
)
_CREATED = frozenset("created inserted entered booked requested placed recorded".split())
_AHEAD = frozenset("starts start departs departure begins scheduled from hired appointment event arrival".split())
_ENDS_ALL = frozenset("cancelled refunded withdrawn revoked aborted closed finished ended end ends until".split())
_LATE = frozenset("stop end final closing cancel".split())
_PLAIN = frozenset("at on date time the of timestamp datetime day moment".split())


def guess_lives(world: World) -> World:
    """Moments bounded by those that come before them, where nothing else bounds them."""
    vocabulary = vocabulary_of(world)
    tied = tied_fields(world)  # by rules that were there before
    return guess_turns(replace(world, entities=tuple(_live(entity, vocabulary) for entity in world.entities)), vocabulary, tied)


@dataclass(frozen=True, slots=True)
class _Moments:
    """The moments of an entity's rows, and what is known of them."""

    noun: list[str]
    fields: list[Field]
    words: dict[str, tuple[str, ...]]  # without the noun
    keyed: set[str]
    chosen: dict[str, tuple[Bound, str]]  # by field: where it begins or ends, and why; each step adds to them

    def choose(self, field: Field, comparison: Literal[">=", "<="], other: Field, within: str | None, why: str) -> None:
        usually = None if within is None else _USUALLY.get(within)
        if clock_of(field) == "epoch in ms":
            within, usually = _in_thousandths(within), _in_thousandths(usually)
        bound = Bound(comparison=comparison, operand=other.name, path=True, within=within, usually=usually, origin=Origin.GUESSED)
        self.chosen[field.name] = bound, f"{field.name} is {why}"

    def earlier(self, field: Field) -> tuple[Field, str | None, int] | None:
        return _earlier(field, self.fields, self.words, self.noun)

    def leads_back(self, other: Field, field: Field) -> bool:
        return _leads_back(self.chosen, other.name, field.name)


def _live(entity: Entity, vocabulary: Vocabulary) -> Entity:
    fields = [f for f in entity.fields if clock_of(f) and not f.generated]
    if len(fields) < 2:
        return entity
    noun = [singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2])]
    plain = plain_words(entity, vocabulary)
    words = {field.name: _words_of_step(field, plain[field.name], noun) for field in fields}
    keyed = {column for rule in entity.unique_rules for column in rule.columns}
    texts = [text.lower() for rule in entity.uniques for text in rule.expressions]
    keyed |= {f.name for f in entity.fields if any(f.name.lower() in text for text in texts)}
    moments = _Moments(noun, fields, words, keyed, {})
    _after_earlier(moments)
    _before_ahead(moments)
    _in_column_order(moments)
    return _bounded(entity, moments.chosen) if moments.chosen else entity


# nouns of steps, and short forms that mean something else in a name of a moment
_STEP_WORDS = {
    "shipping": "shipped", "shipment": "shipped", "ship": "shipped", "dispatch": "dispatched", "order": "ordered", "delivery": "delivered",
    "reception": "received", "receipt": "received", "return": "returned", "payment": "paid", "eta": "expected", "collection": "collected",
    "purchase": "purchased", "harvest": "harvested", "sowing": "sown", "planting": "planted", "burial": "buried", "back": "returned",
}  # fmt: skip
_SHORT_OF_STEPS = {"st": ("state", "start"), "act": ("active", "actual"), "fin": ("final", "finish"), "str": ("string", "start")}


def _words_of_step(field: Field, own: tuple[str, ...], noun: list[str]) -> tuple[str, ...]:
    """What the name of a moment says, without the noun of its entity where more is said: `act_st`, `shipping_date`, `shp_dt`."""
    parts = folded(field.name).split("_")
    for short, (usual, meant) in _SHORT_OF_STEPS.items():
        if short in parts:
            own = tuple(meant if word in (usual, short) else word for word in own)
    rest = tuple(word for word in own if word not in noun)
    own = rest if set(rest) - _PLAIN or not set(own) - _PLAIN else own
    return (*own, *(_STEP_WORDS[word] for word in own if word in _STEP_WORDS and "due" not in own))


def _after_earlier(moments: _Moments) -> None:
    """What names say comes after another; and how long after, where a declared rule says that it does. Of two that each would come
    after the other the likelier rule holds, whichever column is the first."""
    ranks = {field.name: moments.earlier(field) for field in moments.fields}
    for field in sorted(moments.fields, key=lambda field: rank[2] if (rank := ranks[field.name]) is not None else len(_STEPS)):
        after = _declared_after(field)
        if field.name in moments.keyed or not (_is_free(field) or after):
            continue
        named = ranks[field.name]
        found = None if named is None else named[:2]
        if after and (found is None or found[0].name.lower() != after):
            known = any(set(nouns.split()) & set(moments.noun[-2:]) for nouns, _ in _SPANS)
            told = next((f for f in moments.fields if f.name.lower() == after), None)
            exact = field.type.name is not TypeName.DATE and clock_of(field) != "time" and not _LASTING & set(moments.noun)
            near = _span(moments.noun, "") if known else "2 days" if exact else None
            found = None if told is None or near is None else (told, near)
        if found is None or (after and found[1] is None):
            continue
        other, span = found
        turned = any(bound.operand == field.name for bound in other.limits.bounds)
        if clock_of(other) == clock_of(field) and not turned and not moments.leads_back(other, field):
            moments.choose(field, ">=", other, span, f"not before {other.name}, by their names")


def _before_ahead(moments: _Moments) -> None:
    """What is booked is booked before it begins."""
    if {"run", "job", "task", "build", "check"} & set(moments.noun):
        return
    ahead = [o for o in moments.fields if set(moments.words[o.name]) & _AHEAD and not set(moments.words[o.name]) & _CREATED]
    for field in moments.fields:
        if field.name in moments.keyed or field.name in moments.chosen or not _is_free(field):
            continue
        if clock_of(field) in ("time", "epoch in ms") or not set(moments.words[field.name]) & _CREATED:
            continue
        same = (o for o in ahead if clock_of(o) == clock_of(field) and o.name != field.name and not moments.leads_back(o, field))
        if (other := next(same, None)) is not None:
            moments.choose(field, "<=", other, "45 days", f"before {other.name}, by their names")


def _bounded(entity: Entity, chosen: dict[str, tuple[Bound, str]]) -> Entity:
    fields = []
    for field in entity.fields:
        if field.name not in chosen:
            fields.append(field)
            continue
        bound, why = chosen[field.name]
        if bound.within == _ON_THE_WAY:
            bound, why = replace(bound, comparison="<="), f"{field.name} is just before {bound.operand}, by their names"
        if _is_planned(field) and bound.comparison == ">=":
            bound = replace(bound, comparison=">")  # what is planned takes some time
        guess = field.guess and Guess(reason=f"{field.guess.reason}; {why}", confidence=field.guess.confidence)
        bounds = (*field.limits.bounds, bound)
        past = isinstance(field.source, KindSource) and ("when", "past") in field.source.parameters
        if bound.within is not None and past and field.nullable:
            bounds = (*bounds, Bound(comparison="<=", operand="now", origin=Origin.GUESSED))  # what has not happened yet is null
        fields.append(changed(field, limits=replace(field.limits, bounds=bounds), guess=guess))
    return changed(entity, fields=tuple(fields))


# moments of a row that are no step of its way from the first column to the last
_NO_STEPS = frozenset(
    "created create creation added inserted entered recorded updated update modified changed edited synced last next first birth born due expires "
    "expiry expired expiration valid until till deadline scheduled planned expected estimated effective since deleted archived "
    "death died renewal reminder remind warranty best use timestamp stamp date time day month year period at on log logged".split()
)
_PLAIN_STEPS = frozenset("at on date time the of in dt ts".split())


def _in_column_order(moments: _Moments) -> None:
    """Steps that no rule knows follow each other as their columns do: on scene, left scene, at hospital, clear."""
    steps = []
    for field in moments.fields:
        own = set(moments.words[field.name]) - _PLAIN_STEPS
        told = isinstance(field.source, KindSource) and field.source.kind in ("moment", "date-time", "epoch", "time")
        named = any(len(word) > 2 for word in own) and not own & _NO_STEPS
        if named and told and field.name not in moments.keyed and field.limits.bounds == ():
            steps.append(field)
    if sum(clock_of(field) == "time" for field in moments.fields) > 2:  # hours of several days, or of several things
        steps = [field for field in steps if clock_of(field) != "time"]
    for before, field in pairwise(steps):
        free = field.name not in moments.chosen and _is_free(field) and clock_of(before) == clock_of(field)
        if not free or moments.leads_back(before, field) or _is_later(moments.words[before.name], moments.words[field.name]):
            continue
        usual = _span(moments.noun, "")
        exact = field.type.name is not TypeName.DATE and not _LASTING & set(moments.noun)
        span = "9 hours" if clock_of(field) == "time" else "4 days" if usual == "30 days" and exact else usual
        moments.choose(field, ">=", before, span, f"not before {before.name}, by the order of their columns")


def _is_later(one: tuple[str, ...], other: tuple[str, ...]) -> bool:
    """Whether a rule has the one step behind the other, or it is an end that most others come before."""
    if not _ENDS_ALL.isdisjoint(one) or not _CREATED.isdisjoint(other):
        return True
    return any(not later.isdisjoint(one) and not set(earlier).isdisjoint(other) for _, later, earlier, _ in _STEPS)


def _declared_after(field: Field) -> str:
    """The field of the row that a declared rule alone says this one comes after; how far is left to a guess."""
    bounds = [bound for bound in field.limits.bounds if bound.path]
    first = bounds[0] if bounds else None
    said = field.source is not None and field.guess is None
    if first is None or said or len(bounds) > 1 or first.comparison not in (">", ">=") or first.within or "." in first.operand:
        return ""
    return first.operand.lower() if not field.limits.allowed and first.origin is not Origin.GUESSED else ""


def _is_planned(field: Field) -> bool:
    """Whether it goes by full steps of the clock."""
    return isinstance(field.source, KindSource) and any(name == "step" for name, _ in field.source.parameters)


def _is_free(field: Field) -> bool:
    said = field.source is not None and field.guess is None
    return not said and not field.limits.bounds and not field.limits.allowed


_STEPS = tuple((later, frozenset(later.split()), tuple(earlier.split()), span) for later, earlier, span in _AFTER)


def _earlier(
    field: Field, moments: list[Field], words: dict[str, tuple[str, ...]], noun: list[str]
) -> tuple[Field, str | None, int] | None:
    """The moment that this one follows, how far at most, and the number of the rule that says so."""
    own = words[field.name]
    if "since" in own:
        return None
    clock = field.type.name is TypeName.TIME
    stays = bool(_STAYING & set(noun)) or (field.type.name is TypeName.DATE and not _TRAVELLING & set(noun))
    if "checked" in own and "in" in own:  # on the way into what begins then
        ahead = next(
            (o for o in moments if set(words[o.name]) & {"starts", "start", "scheduled"} and clock_of(o) == clock_of(field)), None
        )
        return (ahead, _ON_THE_WAY, 0) if ahead is not None else None
    if "actual" in own and (planned := _same_step(field, moments, words, noun)) is not None:
        return planned, _DELAYED, 0
    best: tuple[int, Field, str | None] | None = None
    for number, (said, later, earlier, span) in enumerate(_STEPS):
        if later.isdisjoint(own) or said == (_OF_TRIPS if stays else _OF_STAYS):
            continue
        here = next(word for word in own if word in later)
        rest = tuple(word for word in own if word != here and word not in _PLAIN)
        if span == _QUEUED and _is_planned(field):
            continue  # what is planned does not begin when somebody wrote it down
        for rank, word in enumerate(earlier):
            for other in moments:
                if other.name == field.name or clock_of(other) != clock_of(field) or word not in words[other.name] or word in own:
                    continue
                others = words[other.name]
                if any(w in later for w in others if w != word) and number > 2 and word != "last":
                    continue
                left = tuple(w for w in others if w != word and w not in _PLAIN)
                if here == "actual" and {_SAME_STEP.get(w, w) for w in left} == {_SAME_STEP.get(w, w) for w in rest}:
                    left = rest
                if _LATE & set(left) and not _LATE & set(own):
                    continue  # the message of its end is no beginning
                score = rank + (0 if left == rest else 20 if set(left) & set(rest) or not left or not rest else 40)
                far = (
                    None
                    if here in _UNLIMITED
                    else "14 hours"
                    if clock and (here.startswith("clos") or "open" in own)
                    else "2 hours"
                    if clock
                    else span or _span([*noun, *rest], here, field.type.name is TypeName.DATE)
                )
                if best is None or score < best[0]:
                    best = score, other, far
        if best is not None:
            return best[1], best[2], number
    return None


def _same_step(field: Field, moments: list[Field], words: dict[str, tuple[str, ...]], noun: list[str]) -> Field | None:
    """The planned moment of a step that really came later: actual departure, departs at."""
    steps = {_SAME_STEP.get(word, word) for word in words[field.name] if word != "actual" and word not in _PLAIN}
    steps = steps or {_SAME_STEP.get(word, word) for word in noun[-1:]}
    for other in moments:
        of = {_SAME_STEP.get(word, word) for word in words[other.name] if word not in _PLAIN and word not in _PLANNED}
        if other.name != field.name and clock_of(other) == clock_of(field) and of == steps and "actual" not in words[other.name]:
            return other
    return None


_DELAYED = "100 minutes"
_PLANNED = frozenset("scheduled planned estimated expected".split())
_FOR_DAYS = frozenset("hotel room car vehicle boat van cabin holiday apartment campsite pitch rental".split())


def _span(noun: list[str], word: str, by_day: bool = True) -> str:
    if word in ("due", "deadline"):
        return "30 days"
    if word in ("checkout", "out"):
        return "21 days" if _STAYING & set(noun) or by_day else "10 hours"
    if "booking" in noun[-2:] or ("reservation" in noun[-2:] and not by_day):
        return "21 days" if _FOR_DAYS & set(noun) else "3 hours"
    for nouns, span in _SPANS:
        if any(one in nouns.split() for one in noun[-2:]):
            return (
                "12 days" if by_day and word in _ENDING and span == "10 hours" else span
            )  # trips and tours that are told by days
    if word in _ENDING and not by_day and not _LASTING & set(noun):
        return "10 hours"
    return _LONG if word in ("ended", "end", "ends", "until", "to", "thru", "expires") else "30 days"


def _in_thousandths(span: str | None) -> str | None:
    return None if span is None else f"{round(read_span(span).total_seconds() * 1000)} seconds"


def _leads_back(chosen: dict[str, tuple[Bound, str]], start: str, end: str) -> bool:
    at, seen = start, set()
    while at not in seen:
        if at == end:
            return True
        seen.add(at)
        if at not in chosen:
            return False
        at = chosen[at][0].operand
    return True
