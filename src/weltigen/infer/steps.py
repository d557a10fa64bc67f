"""What words for moments tell: which step follows which and how far, how long things last, and at what stage a thing is."""

from __future__ import annotations

from typing import NamedTuple

from ..model import Field, KindSource, TypeName
from .around import clock_of
from .naming import DOING, folded
from .roots import is_participle, is_same_verb
from .step_rules import AFTER, LONG, OF_CALLS, OF_DELIVERIES, OF_GOODS, OF_SAMPLES, OF_STAYS, OF_TRIPS, OF_VISITS, QUEUED, SPANS

# what goes on for days and years although its ends are told to the second
LASTING = frozenset(
    "contract subscription membership lease policy project employment assignment plan programme promotion offer discount price licence "
    "permission grant season enrolment registration version period phase validity warranty agreement mandate tenancy role position "
    "account listing auction booster ban suspension silence campaign exhibition certificate coupon voucher insurance engagement "
    "rate tariff salary wage fee rule address name right ownership owner keeper partnership sponsorship marriage office member "
    "hosting domain tax budget quota standard scheme pension loan credit deposit guarantee pass card key token consent sponsor "
    "relationship affiliation employee staff cover concession franchise schedule timetable calendar roster catalogue collection "
    "programme fund grant award accreditation authorisation authorization qualification residence occupancy allocation".split()
)
_ENDING = frozenset("ended end ends finish finished completed stop stopped fin".split())
# words for one and the same step of what was planned and of what came to be
_SAME_STEP = {one: same for same, ones in {"start": "departure departs departed starts started begin begins out pickup",
                                           "end": "return returned arrival arrives arrived ends ended finish finished in dropoff"}.items()
              for one in ones.split()}  # fmt: skip
_BEGUN_BY_RECEIPT = frozenset(  # what begins when somebody receives it
    "call incident alarm emergency rescue mission repair sample case complaint application enquiry inquiry ticket claim".split()
)
_STAYING = frozenset(
    "stay reservation booking guest room visit holiday vacation lodging bed tenancy folio intervention attendance callout".split()
)
_TRAVELLING = frozenset(
    "trip flight sailing voyage train bus leg route shipment delivery transport crossing connection call".split()
)
ON_THE_WAY = "25 minutes"
_UNLIMITED = frozenset(
    "revoked deleted removed archived deactivated disabled banned suspended unsubscribed used login seen accessed active updated "
    "modified changed edited write died deceased last".split()
)
_PASSING = frozenset("visit session call request login conversation chat".split())  # what is over within hours
CREATED = frozenset("created inserted entered booked requested placed recorded".split())
_ENDS_ALL = frozenset("cancelled refunded withdrawn revoked aborted closed finished ended end ends until".split())
_LATE = frozenset("stop end final closing cancel".split())
_PLAIN = frozenset("at on date time the of timestamp datetime day moment unix epoch".split())


# nouns of steps, and short forms that mean something else in a name of a moment
_STEP_WORDS = {
    "shipping": "shipped", "shipment": "shipped", "ship": "shipped", "dispatch": "dispatched", "order": "ordered", "delivery": "delivered",
    "reception": "received", "receipt": "received", "return": "returned", "payment": "paid", "eta": "expected", "collection": "collected",
    "purchase": "purchased", "harvest": "harvested", "sowing": "sown", "planting": "planted", "burial": "buried", "back": "returned",
}  # fmt: skip
_DONE_ONCE = frozenset(
    "create update modify delete publish submit approve resolve activate archive".split()
)  # others are planned
_PLACED = frozenset("order request quote quotation purchase sale prescription application".split())
_SHORT_OF_STEPS = {"st": ("state", "start"), "act": ("active", "actual"), "fin": ("final", "finish"), "str": ("string", "start")}


def words_of_step(field: Field, own: tuple[str, ...], noun: list[str]) -> tuple[str, ...]:
    """What the name of a moment says, without the noun of its entity where more is said: `act_st`, `shipping_date`, `shp_dt`."""
    parts = folded(field.name).split("_")
    for short, (usual, meant) in _SHORT_OF_STEPS.items():
        if short in parts:
            own = tuple(meant if word in (usual, short) else word for word in own)
    for at, word in enumerate(own[:-1]):
        if word in ("check", "checked") and own[at + 1] in ("in", "out"):
            own = (*own[:at], f"check{own[at + 1]}", *own[at + 2 :])
            break
    if len(own) > 1 and own[-1] in _PLAIN and own[-2] in _DONE_ONCE:
        own = (*own[:-2], DOING[own[-2]], own[-1])  # update_time
    if "to" in own[1:-1] and is_participle(own[0]):
        own = own[: own.index("to", 1)]  # learnt to handle on: nothing was handled
    rest = tuple(word for word in own if word not in noun)
    own = rest if set(rest) - _PLAIN or not set(own) - _PLAIN else own
    if set(own) <= _PLAIN and not _PLACED.isdisjoint(noun[-1:]):
        own = (*own, "placed")  # the date of an order
    return (*own, *(_STEP_WORDS[word] for word in own if word in _STEP_WORDS and "due" not in own))


STEPS = tuple((later, frozenset(later.split()), tuple(earlier.split()), span) for later, earlier, span in AFTER)


class Match(NamedTuple):
    """A moment that another one follows: the number of the rule that says so, how well both names fit it, and how far at most."""

    number: int
    score: int
    other: Field
    span: str | None


def is_planned(field: Field) -> bool:
    """Whether it goes by full steps of the clock."""
    return isinstance(field.source, KindSource) and any(name == "step" for name, _ in field.source.parameters)


def followed(field: Field, moments: list[Field], words: dict[str, tuple[str, ...]], noun: list[str]) -> list[Match]:
    """The moments that this one follows, the likeliest first."""
    own = words[field.name]
    if "since" in own:
        return []
    stays = bool(_STAYING & set(noun)) or (field.type.name is TypeName.DATE and not _TRAVELLING & set(noun))
    if (made := _plainly_made(field, moments, words)) is not None:
        return [Match(0, 0, made, _far(field, own[0], own, own, None, noun))]
    if (planned := _as_planned(field, moments, words)) is not None:
        asked = not _ASKED.isdisjoint(words[planned.name])
        return [Match(0, 0, planned, "8 days" if asked or field.type.name is TypeName.DATE else _DELAYED)]
    if (before := _next_of(field, moments, words, noun)) is not None:
        return [Match(0, 0, before, "30 days" if _YEARLY.isdisjoint((*noun, *own)) else "700 days")]
    if TILL & set(own) and (begun_at := _begun_at(field, moments, words)) is not None:
        return [Match(0, 0, begun_at, "60 days")]
    if "actual" in own and (planned := _same_step(field, moments, words, noun)) is not None:
        return [Match(0, 0, planned, _DELAYED)]
    begun = bool(_BEGUN_BY_RECEIPT & set(noun))
    unawaited = steps_not_awaited(own, [words[other.name] for other in moments])
    best: dict[str, Match] = {}
    for number, (said, later, earlier, span) in enumerate(STEPS):
        if later.isdisjoint(own) or said == (OF_TRIPS if stays else OF_STAYS):
            continue
        if said == (OF_VISITS if _TRAVELLING & set(noun) else OF_DELIVERIES):
            continue
        if said == OF_CALLS and not begun:
            continue
        if "received" in own and ((said == OF_GOODS and begun) or (said == OF_SAMPLES and "repair" in noun)):
            continue
        if span == QUEUED and is_planned(field):
            continue  # what is planned does not begin when somebody wrote it down
        here = next(word for word in own if word in later)
        rest = tuple(word for word in own if word != here and word not in _PLAIN)
        for rank, word in enumerate(earlier):
            if word in unawaited:
                continue
            for other in moments:
                if other.name == field.name or clock_of(other) != clock_of(field) or word not in words[other.name] or word in own:
                    continue
                others = words[other.name]
                if word == "date" and not MAIN_DAYS.isdisjoint(others):
                    continue  # what is due for a wedding is due before it
                if any(w in later for w in others if w != word) and number > 2 and word != "last":
                    continue
                if here in _UNLIMITED and is_planned(other):
                    continue  # what will begin is changed and called off beforehand
                left = tuple(w for w in others if w != word and w not in _PLAIN)
                if here == "actual" and {_SAME_STEP.get(w, w) for w in left} == {_SAME_STEP.get(w, w) for w in rest}:
                    left = rest
                if _LATE & set(left) and not _LATE & set(own):
                    continue  # the message of its end is no beginning
                score = (UNLIKE if here == "paid" and word == "due" else 0) + rank  # many pay before they must
                score += 0 if left == rest else UNLIKE if set(left) & set(rest) or not left or not rest else 2 * UNLIKE
                if other.name not in best or (best[other.name].number == number and score < best[other.name].score):
                    best[other.name] = Match(number, score, other, _far(field, here, rest, own, span, noun))
    return sorted(best.values(), key=lambda match: match[:2])


# steps that do not wait for another one where a third stands beside them: who is called comes before anybody pays
_NOT_AWAITED: tuple[tuple[str, str, str], ...] = (("dispatched arrived left", "called alerted notified", "paid"),)


def steps_not_awaited(own: tuple[str, ...], others: list[tuple[str, ...]]) -> frozenset[str]:
    """The words of steps that a moment does not wait for, by its own words and those of all moments of its row."""
    beside = {word for words in others for word in words}
    return frozenset(
        word
        for steps, third, late in _NOT_AWAITED
        if not set(steps.split()).isdisjoint(own) and not (set(third.split()) - set(own)).isdisjoint(beside)
        for word in late.split()
    )


UNLIKE = 20  # from here on a match is of names that tell of different things as well: `loan_start`, `hire_end`


MAIN_DAYS = frozenset("wedding event party ceremony travel trip concert performance reception tour departure".split())
_LONG_STAYS = frozenset("placement residency internship exchange secondment apprenticeship posting tenancy lodging".split())
_ENDING_WORDS = frozenset("ended end ends until to thru expires expired expiry".split())
_PAID_AT_ONCE = frozenset("order cart checkout purchase booking reservation ticket sale payment".split())


def _far(field: Field, here: str, rest: tuple[str, ...], own: tuple[str, ...], span: str | None, noun: list[str]) -> str | None:
    """How far at most a moment lies behind the one that it follows."""
    if here == "last" and _PASSING & set(noun[-1:]):
        return "2 hours"
    if here in _UNLIMITED:
        return None
    if here in ("out", "left") and "moved" in own:
        return "1400 days"
    if "trial" in rest and here in _ENDING_WORDS:
        return "16 days"
    if span == "14 days" and not _LONG_STAYS.isdisjoint(noun):
        return "300 days"
    if "period" in rest and here in _ENDING_WORDS and noun[-1:] not in (["period"], ["term"]):
        return "31 days"
    if here == "paid" and _PAID_AT_ONCE & set(noun[-1:]):
        return "2 hours"
    if field.type.name is TypeName.TIME:
        return "14 hours" if here.startswith("clos") or {"open", "opened"} & set(own) else _within_a_day(noun)
    return span or span_of([*noun, *rest], here, field.type.name is TypeName.DATE)


def _within_a_day(noun: list[str]) -> str:
    """How long something lasts that begins and ends at times of one day."""
    told = (span for nouns, span in SPANS if not set(nouns.split()).isdisjoint(noun[-2:]) and span.endswith(("hours", "minutes")))
    return next(told, "3 hours")


TILL = frozenset(("till", "until"))


def _begun_at(field: Field, moments: list[Field], words: dict[str, tuple[str, ...]]) -> Field | None:
    """When that began of which a moment is the end: `suspended_at` beside `suspended_till`."""
    state = [word for word in words[field.name] if word not in TILL and word not in _PLAIN]
    return next(
        (other for other in moments if state and state == [word for word in words[other.name] if word not in _PLAIN]
         and clock_of(other) == clock_of(field)), None
    )  # fmt: skip


def _same_step(field: Field, moments: list[Field], words: dict[str, tuple[str, ...]], noun: list[str]) -> Field | None:
    """The planned moment of a step that really came later: actual departure, departs at."""
    steps = {_SAME_STEP.get(word, word) for word in words[field.name] if word != "actual" and word not in _PLAIN}
    steps = steps or {_SAME_STEP.get(word, word) for word in noun[-1:]}
    for other in moments:
        of = {_SAME_STEP.get(word, word) for word in words[other.name] if word not in _PLAIN and word not in _PLANNED}
        if other.name != field.name and clock_of(other) == clock_of(field) and of == steps and "actual" not in words[other.name]:
            return other
    return None


def _plainly_made(field: Field, moments: list[Field], words: dict[str, tuple[str, ...]]) -> Field | None:
    """When the row itself was made, for the moment at which something of it was: first reply created."""
    own = [word for word in words[field.name] if word not in _PLAIN]
    if len(own) < 2 or "created" not in own or {"last", "before", "previous"} & set(own):
        return None
    for other in moments:
        plain = [word for word in words[other.name] if word not in _PLAIN]
        if plain == ["created"] and other.name != field.name and clock_of(other) == clock_of(field):
            return other
    return None


_DONE_WITH_IT = tuple((word,) for word in "done performed held completed carried visited inspected serviced tested".split())


def _next_of(field: Field, moments: list[Field], words: dict[str, tuple[str, ...]], noun: list[str]) -> Field | None:
    """When that was done last which will be done next at this moment: next update beside updated at."""
    own = [word for word in words[field.name] if word not in _PLAIN and word != "next"]
    if "next" not in words[field.name]:
        return None
    for other in moments:
        done = [word for word in words[other.name] if word not in _PLAIN and word not in ("last", "current", "this")]
        alike = len(own) == len(done) == 1 and is_participle(done[0]) and is_same_verb(own[0], done[0])
        alike = alike or (own in ([], noun[-1:]) and tuple(done) in _DONE_WITH_IT)
        if other.name != field.name and (alike or done == own or (not own and done == noun[-1:])):  # appointment, next one
            return other if clock_of(other) == clock_of(field) else None
    return None


def _as_planned(field: Field, moments: list[Field], words: dict[str, tuple[str, ...]]) -> Field | None:
    """The moment at which something was to be done, or asked for, that was done at this one: planned launch, launched at."""
    own = [word for word in words[field.name] if word not in _PLAIN]
    if len(own) != 1 or not is_participle(own[0]):
        return None
    for other in moments:
        planned = [word for word in words[other.name] if word not in _PLAIN]
        rest = [word for word in planned if word not in _PLANNED and word not in _ASKED]
        alike = bool(rest) and len(planned) > len(rest) and all(is_same_verb(word, own[0]) for word in rest)
        if alike and clock_of(other) == clock_of(field):
            return other
    return None


# what is done again after a year or so
_YEARLY = frozenset(
    "service servicing inspection maintenance calibration vaccination checkup review revision overhaul audit survey eye exam "
    "test certification mot recall cleaning tuning sweep intervention".split()
)
_DELAYED = "100 minutes"
_ASKED = frozenset("requested asked".split())
_PLANNED = frozenset("scheduled planned estimated expected promised target intended due".split())
_FOR_DAYS = frozenset("hotel room car vehicle boat van cabin holiday apartment campsite pitch rental".split())


def span_of(noun: list[str], word: str, by_day: bool = True) -> str:
    if word in ("due", "deadline"):
        return "30 days"
    if word in ("checkout", "out"):
        return "21 days" if _STAYING & set(noun) or by_day else "10 hours"
    if "booking" in noun[-2:] or ("reservation" in noun[-2:] and not by_day):
        return "21 days" if _FOR_DAYS & set(noun) else "3 hours"
    for nouns, span in SPANS:
        if any(one in nouns.split() for one in noun[-2:]):
            return (
                "12 days" if by_day and word in _ENDING and span == "10 hours" else span
            )  # trips and tours that are told by days
    if word in _ENDING and not by_day and not LASTING & set(noun):
        return "10 hours"
    if word in ("ended", "end", "ends", "until", "to", "thru", "expires"):
        return LONG if not by_day or word == "expires" or not (_RUNNING | LASTING).isdisjoint(noun) else _SOME_DAYS
    return "30 days"


# what is told of a row that holds for long: the start of its validity, a fiscal year
_RUNNING = frozenset("valid effective active current fiscal year vigencia service in reign war era".split())
_SOME_DAYS = "45 days"  # how long most things last of which no more is known than the days of their beginning and end


# at what stage of its way a thing is, for steps that no rule knows
_STAGES = (
    "born happened occurred discovered found sighted lost observed planted sown lit",
    "created requested reported raised ordered booked registered applied drafted planned quoted written called reserved purchased bought",
    "submitted acknowledged confirmed assigned accepted reviewed approved paid signed packed dispatched scheduled allocated prepared",
    "sent shipped published launched issued installed activated hired joined enrolled started boarded arrived checkin",
    "delivered read seen viewed answered inspected serviced analysed measured",
    "finished completed resolved ended closed settled cleared checkout left",
    "suspended cancelled rejected withdrawn refunded expired returned",
    "archived deleted removed terminated decommissioned purged scrapped",
)
LATE_STAGE = 6  # from here on rows come to an end that they were not made for
_STAGE_OF = {word: number for number, words in enumerate(_STAGES) for word in words.split()}


def stage_of(words: tuple[str, ...]) -> tuple[int, tuple[str, ...]] | None:
    """The stage that a moment's words tell of, and what else they say; None where they tell of none."""
    found = next((word for word in words if word in _STAGE_OF), None)
    return None if found is None else (_STAGE_OF[found], tuple(w for w in words if w != found and w not in _PLAIN))


# what says as well who, what or where something is
_NO_MOMENT_ALONE = frozenset(
    "called quoted written assigned allocated reserved measured lost found read lit left seen answered sent checkin checkout".split()
)
_BEGINNINGS = frozenset("began begun stopped logged due expires retired resigned appointed promoted decommissioned".split())


def is_step_alone(words: tuple[str, ...]) -> bool:
    """Whether a text's name is a step and nothing else: `started`, `resolved`; a moment, where it is no switch."""
    return len(words) == 1 and (words[0] in _BEGINNINGS or (words[0] in _STAGE_OF and words[0] not in _NO_MOMENT_ALONE))


def is_later(one: tuple[str, ...], other: tuple[str, ...]) -> bool:
    """Whether a rule has the one step behind the other, or it is an end that most others come before."""
    if not _ENDS_ALL.isdisjoint(one) or not CREATED.isdisjoint(other):
        return True
    return any(not later.isdisjoint(one) and not set(earlier).isdisjoint(other) for _, later, earlier, _ in STEPS)
