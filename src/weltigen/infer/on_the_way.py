"""How far a row has come on its way: a step is there where its state says so, or where the step before it is."""

from __future__ import annotations

import re
from collections.abc import Iterable
from itertools import pairwise

from ..expression.names import plain_name
from ..model import Entity, Field, KindSource, Present
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import MOMENTS
from .around import clock_of
from .naming import folded, singular
from .roots import is_participle, is_same_verb
from .steps import LATE_STAGE, stage_of

# ends that a row may come to from anywhere; no other step follows them
RARE_ENDS = frozenset(
    "cancelled canceled cancel cancellation withdrawn rejected declined deleted removed archived revoked aborted failed "
    "suspended voided disputed dismissed bounced refunded scrapped stolen lost unsubscribed dropped banned blocked "
    "disqualified".split()
)
# and moments that have nothing to do with how far a row has come
_APART = RARE_ENDS - {"refunded"} | frozenset(
    "updated modified changed edited write last next due expires expiry expired expiration until till valid deadline "
    "expected planned scheduled estimated promised agreed wanted needed target "
    "birth born died deceased death since synced seen login accessed used reminder "
    "reminded".split()
)
# steps that not every row takes
_LEFT_OUT = frozenset(
    "suspended acknowledged reviewed serviced inspected paid featured cancelled rejected confirmed viewed opened".split()
)
_SELDOM = {
    "returned": 0.07,
    "refunded": 0.06,
    "terminated": 0.2,
    "replaced": 0.25,
    "decommissioned": 0.1,
    "closed": 0.8,
    "read": 0.7,
    "ended": 0.75,
}
_GOODS = frozenset("delivered shipped ordered sold purchased bought packed".split())
_OFTEN = 0.88
# words for one step
_SAME = {
    word: step
    for step, those in {
        "done": "completed done success succeeded finished failed ended complete",
        "start": "running progress active started begun start ongoing",
        "resol": "solved fixed",
        "shipp": "transit dispatched",
        "opene": "opened",
        "read": "seen",
        "colle": "collected picked",
    }.items()
    for word in those.split()
}


REASONS = frozenset("reason reasons cause".split())
_WHEN = frozenset("at on date time when".split())


def done_at(words: tuple[str, ...]) -> str | None:
    """The verb of a moment at which something was done: `scrubbed_at`; None for any other name."""
    own = [word for word in words if word not in _WHEN]
    return "".join(own) if 0 < len(own) < 3 and is_participle(own[-1]) else None


def told_by_reasons(entity: Entity, words: dict[str, tuple[str, ...]]) -> dict[str, Field]:
    """Moments that may be missing, by their verbs, where a row may tell a reason: few come to such an end."""
    noun = singular(entity.name.rpartition("_")[2].lower())
    reasons = set()
    for field in entity.fields:
        own = [word for word in words[field.name] if word not in ("for", "of")]
        about = [word for word in own if word not in REASONS]
        if field.nullable and 0 < len(about) < 3 and len(about) == len(own) - 1:
            reasons.add("".join(about))
    found: dict[str, Field] = {}
    for field in entity.fields if reasons else ():
        verb = done_at(words[field.name]) if field.type.name in MOMENTS and field.nullable else None
        stage = stage_of(words[field.name])
        rare = verb is not None and (stage is None or stage[0] >= LATE_STAGE)
        if verb is not None and rare and not is_same_verb(verb, noun) and any(is_same_verb(verb, one) for one in reasons):
            found[verb] = field
    return found


def with_ways(
    entity: Entity, words: dict[str, tuple[str, ...]], values: Iterable[str], status: Field | None, told: frozenset[str]
) -> Entity:
    """The entity with moments that are there as far as its rows have come; `told`: fields that other rules speak of."""
    before = _before(entity)
    rare = {field.name for field in told_by_reasons(entity, words).values()}
    steps = {
        name
        for name in before
        if not _APART & set(words[name]) and name not in rare and _is_free(entity.field(name)) and name.lower() not in told
    }
    if not steps:
        return entity
    shown = _shown(entity, words, before, list(values)) if status is not None and status.name.lower() not in told else {}
    out = []
    for field in entity.fields:
        if field.name not in steps:
            out.append(field)
            continue
        if field.name in shown and status is not None:
            listed = ", ".join("'" + value.replace("'", "''") + "'" for value in shown[field.name])
            present = Present(when=f"{plain_name(status.name)} IN ({listed})", origin=Origin.GUESSED)
        else:
            first = _step_before(entity, words, {name: those - rare for name, those in before.items()}, field)
            when = None if first is None else f"{plain_name(first.name)} IS NOT NULL"
            share = _OFTEN if _soon(words, field) else _share(words, field)
            present = Present(share=share, when=when, origin=Origin.GUESSED)
        out.append(changed(field, present=present))
    return changed(entity, fields=tuple(out))


def goes_with(entity: Entity, words: dict[str, tuple[str, ...]], field: Field, earlier: Field, told: frozenset[str]) -> bool:
    """Whether a moment will be there only where an earlier one is."""
    if entity.there or entity.states is not None or {field.name.lower(), earlier.name.lower()} & told:
        return False
    return _is_free(field) and not _APART & set(words[field.name]) and not (_APART | _LEFT_OUT) & set(words[earlier.name])


def _before(entity: Entity) -> dict[str, set[str]]:
    """By moment, those that guesses have before it."""
    first = {
        field.name: {bound.operand for bound in field.limits.bounds if _is_behind(entity, field, bound.operand, bound.comparison)}
        for field in entity.fields
        if clock_of(field) and field.guess is not None
    }
    out: dict[str, set[str]] = {}
    for name in first:
        seen: set[str] = set()
        waiting = list(first[name])
        while waiting:
            at = waiting.pop()
            if at not in seen:
                seen.add(at)
                waiting += first.get(at, ())
        if seen and entity.field(name).nullable:
            out[name] = seen
    return out


def _is_behind(entity: Entity, field: Field, operand: str, comparison: str) -> bool:
    return comparison in (">=", ">") and entity.has(operand) and clock_of(entity.field(operand)) == clock_of(field)


def _is_free(field: Field) -> bool:
    said = field.present is not None and (field.present.when is not None or field.present.origin is not Origin.GUESSED)
    return field.nullable and not said and field.generated is None and isinstance(field.source, KindSource)


def is_known_ahead(name: str) -> bool:
    """Whether a moment is known before it comes about, by its name: an exhibition closes on some day, whatever state it is in."""
    return not {"closes", "ends", "finishes"}.isdisjoint(folded(name).split("_"))


def _key(word: str) -> str:
    """What a step's word and a state's have in common: edged, edging."""
    root = next((word.removesuffix(end) for end in ("ing", "ed") if len(word) > 4 and word.endswith(end)), word)
    return _SAME.get(word, root[:5])


def _shown(
    entity: Entity, words: dict[str, tuple[str, ...]], before: dict[str, set[str]], values: list[str]
) -> dict[str, list[str]]:
    """By moment, the states in which a row has come as far; only where some state tells of it, or of a step behind it."""
    keys = {name: set(map(_key, words[name])) - {"at", "on", "date", "time"} for name in before}
    of_value = {value: {_key(word) for word in re.findall("[a-z]+", value.lower())} for value in values}
    reached: dict[str, set[str]] = {}  # by state, the moments that it tells of and those before them
    for value, own in of_value.items():
        those = {name for name in before if keys[name] & own}
        on_its_way = [name for name in those if not RARE_ENDS & set(words[name])]  # what is called off may not have come far
        reached[value] = those | {name for one in on_its_way for name in before[one]}
    _in_turn(reached, values)
    out = {}
    for name in (name for name in before if not is_known_ahead(name)):
        shown = [value for value in values if name in reached.get(value, ())]
        if shown and len(shown) < len(values):
            out[name] = shown
    return out


def _in_turn(reached: dict[str, set[str]], values: list[str]) -> None:
    """Where states of which several tell of moments stand in the order of these, each has come as far as those before it."""
    way = [value for value in values if RARE_ENDS.isdisjoint(re.findall("[a-z]+", value.lower()))]
    telling = [reached[value] for value in way if reached[value]]
    if len(telling) < 2 or not all(one < other for one, other in pairwise(telling)):
        return
    so_far: set[str] = set()
    for value in way:
        so_far |= reached[value]
        reached[value] |= so_far


def _share(words: dict[str, tuple[str, ...]], field: Field) -> float:
    if field.present is not None and field.present.share is not None:
        return field.present.share
    own = words[field.name]
    for word, share in _SELDOM.items():
        if word in own and (word != "returned" or any(_GOODS & set(of) for of in words.values())):
            return share
    return _OFTEN


def _soon(words: dict[str, tuple[str, ...]], field: Field) -> bool:
    """Whether somebody leaves again within hours: a place, not an employer or a club."""
    return "left" in words[field.name] and any((bound.within or "").endswith("hours") for bound in field.limits.bounds)


def _step_before(entity: Entity, words: dict[str, tuple[str, ...]], before: dict[str, set[str]], field: Field) -> Field | None:
    """The last step before one that may be missing, and without which it would not be."""
    those = [name for name in before[field.name] if entity.field(name).nullable and not (_APART | _LEFT_OUT) & set(words[name])]
    last = max(those, key=lambda name: (len(before.get(name, ())), -entity.field_names.index(name)), default=None)
    return None if last is None else entity.field(last)
