"""Which states rows of an entity go through, by what it is."""

from __future__ import annotations

import re

from ..values.vocabulary import NEUTRAL
from ..values.vocabulary import topic as topic_named
from .naming.values import in_language
from .nouns import SYSTEMS

Weights = tuple[tuple[str, float], ...]

# nouns of entities: states with their weights
_STATES = (
    ("appointment visit consultation session sitting booking reservation viewing", "completed:58 booked:20 cancelled:10 checked in:6 no-show:6"),
    ("ticket issue incident case request bug complaint fault defect problem inquiry report", "closed:56 open:20 in progress:16 waiting:8"),
    ("invoice bill statement payable receivable", "paid:66 open:20 overdue:9 cancelled:5"),
    ("paymentstatus", "paid:66 pending:18 refunded:6 failed:4 cancelled:4"),
    ("payment transaction transfer refund payout charge", "completed:84 pending:8 failed:6 refunded:2"),
    ("order purchase sale cart", "delivered:52 shipped:14 processing:12 new:12 cancelled:10"),
    ("hire rental loan lease tenancy", "returned:56 out:22 booked:12 cancelled:10"),
    ("shipment parcel delivery consignment freight dispatch despatch", "delivered:70 in transit:16 ready:8 returned:6"),
    ("job run task pipeline build execution import export sync backup deployment workflow transmission upload download scan crawl attempt", "success:74 failed:12 running:8 queued:6"),
    ("project campaign initiative programme study", "active:40 completed:38 planned:14 on hold:8"),
    ("user account member profile customer client subscriber keeper hirer patient student employee", "active:84 inactive:10 blocked:6"),
    ("application candidacy", "in review:30 submitted:24 approved:28 rejected:14 withdrawn:4"),
    ("enrolment enrollment registration inscription admission membership subscription participation", "active:48 completed:32 cancelled:12 pending:8"),
    ("message mail email notification letter sms", "sent:70 delivered:18 failed:6 draft:6"),
    ("check alert host service monitor server node interface", "ok:74 warning:14 critical:8 unknown:4"),
    ("contract agreement warranty guarantee", "active:62 expired:18 terminated:12 draft:8"),
    ("document article page post policy survey form", "published:62 draft:22 archived:16"),
    ("quote quotation offer proposal estimate", "accepted:46 sent:22 draft:14 declined:12 expired:6"),
    ("aircraft plane truck bus train car bike robot drone gear item device machine asset equipment vehicle instrument tool printer computer sensor", "in use:68 in store:18 in repair:10 retired:4"),
    ("sample specimen test analysis experiment measurement", "completed:62 in progress:20 received:12 rejected:6"),
    ("event course class lecture workshop trip tour match exam", "completed:54 planned:34 cancelled:12"),
    ("claim permit licence grant scholarship vacation leave absence", "approved:58 submitted:20 in review:12 rejected:10"),
    ("room unit property apartment house plot seat table", "available:50 occupied:40 reserved:10"),
)  # fmt: skip


def known_states() -> frozenset[str]:
    """Every state of which it is known that rows are in it."""
    told = frozenset(value.strip() for _, text in (*_STATES, ("", _USUAL), ("", _FOR_SALE)) for value, _ in _parts(text))
    return told | {"open", "closed", "new", "done"}


# of a topic's own states, which stand in the order in which rows go through them
_ALONG_THE_WAY = (16.0, 26.0, 34.0, 12.0, 8.0, 4.0)
_USUAL = "active:66 pending:18 closed:16"
_FOR_SALE = "available:54 sold:34 reserved:8 withdrawn:4"
# a moment's word in a field's name, and the state that it tells of
_OF_MOMENTS = {"cancelled": ("cancelled", 9.0), "paid": ("paid", 60.0), "rejected": ("rejected", 8.0), "returned": ("returned", 40.0),
               "approved": ("approved", 50.0), "shipped": ("shipped", 20.0)}  # fmt: skip


# states in which rows begin: one of them as a default stands for the others
_FIRST = frozenset(
    "pending new draft open todo backlog created submitted requested registered received queued waiting planned booked ready scheduled".split()
)


_OF_TASKS = frozenset(("todo", "to do", "backlog"))
_DONE = re.compile(r"(?i)(done|complet|closed|resolv|deliver|publish|approv|paid|finish|success|accept)")
_FAILED = re.compile(r"(?i)(fail|cancel|reject|declin|block|abandon|expired|refund|return)")


def by_steps(default: str, values: tuple[str, ...]) -> Weights:
    """A first state and those that stand beside it, as far as rows have come some time after they began."""
    if re.sub("[_-]", " ", default.lower()) not in _FIRST or len(values) < 3:
        return ()
    weighted = ((value, 44.0 if _DONE.search(value) else 6.0 if _FAILED.search(value) else 18.0) for value in values)
    return ((default, 26.0), *((value, weight) for value, weight in weighted if value != default))


def has_states(noun: str) -> bool:
    """Whether it is known which states things of a noun go through."""
    return any(noun in words.split() for words, _ in _STATES)


def status_weights(
    noun: tuple[str, ...], topic: str, fields: dict[str, tuple[str, ...]], language: str, default: str | None = None
) -> Weights:
    """States with their weights, written as the default is; those that moments beside the field tell of are among them."""
    pairs = _states(noun, topic, fields, language)
    if default and language == "en" and re.sub("[_-]", " ", default.lower()) in _OF_TASKS:
        pairs = ((re.sub("[_-]", " ", default.lower()), 18.0), ("in progress", 22.0), ("done", 52.0), ("blocked", 6.0))
    return pairs if not default or language != "en" else _beside(default, pairs)


def moved_on(default: str, pairs: Weights) -> Weights:
    """States of rows that began in the default some time ago: most have moved on; none where the default is no first state."""
    others = [(value, weight) for value, weight in pairs if value != default]
    if re.sub("[_-]", " ", default.lower()) not in _FIRST or len(others) < 2:
        return ()
    return ((default, round(0.3 * sum(weight for _, weight in others), 1)), *others)


def _beside(default: str, pairs: Weights) -> Weights:
    """States as one would write them where the default stands; the default is among them where it is a known first state."""
    plain = re.sub("[_-]", " ", default.lower())
    if plain in _FIRST and all(value != plain for value, _ in pairs):
        pairs = ((plain, 1.0), *((value, weight) for value, weight in pairs if value not in _FIRST))
    if all(value != plain for value, _ in pairs):
        return pairs
    apart = next((sign for sign in "_- " if sign in default), "_" if default.islower() else " ")
    made = ((re.sub("[ -]", apart, value), weight) for value, weight in pairs)
    if default.isupper():
        return tuple((value.upper().replace(" ", "_"), weight) for value, weight in made)
    return tuple((value[0].upper() + value[1:] if default[0].isupper() else value, weight) for value, weight in made)


# what an entity of a topic is like, where its noun says nothing of states
_LIKE = {"network": "check", "jobs": "job", "accounts": "account"}


def _listed(noun: str) -> str | None:
    """The states that things of a noun go through."""
    return next((states for words, states in _STATES if noun in words.split()), None)


def _states(noun: tuple[str, ...], topic: str, fields: dict[str, tuple[str, ...]], language: str) -> Weights:
    listed = next(filter(None, map(_listed, reversed(noun))), None)
    own = topic_named(topic)
    if (
        language == "en"
        and topic != NEUTRAL
        and "states" in own.lists
        and (listed is None or (noun[-1:] and noun[-1] in own.nouns[:2]))
    ):
        return tuple(zip(own.lists["states"], _ALONG_THE_WAY, strict=False))
    if noun[-1:] == ("session",) and own.within(*SYSTEMS, "accounts", "permissions", "payments", "web", NEUTRAL):
        listed = "completed:70 active:16 expired:10 failed:4"  # nobody comes to it
    if listed is None and language == "en" and any("sold" in words for words in fields.values()):
        listed = _FOR_SALE
    if listed is None:
        listed = _listed(_LIKE.get(topic, "")) or _USUAL
    pairs = [(value.strip(), float(weight)) for value, weight in _parts(listed)]
    if language == "en":
        for words in fields.values():
            for word in words:
                if word in _OF_MOMENTS and all(_OF_MOMENTS[word][0] != value for value, _ in pairs):
                    value, weight = _OF_MOMENTS[word]
                    passed = value == "paid" and any(later in ("delivered", "shipped") for later, _ in pairs)
                    pairs.append((value, 10.0 if passed else weight))
    return in_language(tuple(pairs), language)


def _parts(text: str) -> list[tuple[str, str]]:
    return re.findall(r"([^:]+):(\d+)", text)
