"""What is there only in some states, or only where a moment or a flag says so. Each is a guess and gives way."""

from __future__ import annotations

import re
from dataclasses import replace
from functools import lru_cache

from ..expression.names import plain_name
from ..model import (
    Entity,
    Field,
    Present,
    Relation,
    TypeName,
    WeightsSource,
    World,
)
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import NUMBERS
from .around import clock_of
from .flags_by_name import ASKING
from .free import named_in_rules
from .naming import Vocabulary
from .on_the_way import RARE_ENDS, REASONS, done_at, is_known_ahead, told_by_reasons, with_ways
from .plain_words import plain_words
from .roots import is_same_verb
from .steps import TILL
from .together import tellers_beside
from .vocabularies import vocabulary_of

# a word of a field, and the states in which it is there
_WHEN = {
    "cancelled": "cancel|storn|annul|anul",
    "cancel": "cancel|storn|annul|anul",
    "cancellation": "cancel|storn|annul|anul",
    "paid": "paid|captur|settl|bezahlt|payé|pagad|refund|erstatt|rembours|reembols|complet|abgeschl|termin",
    "abort": "abort|cancel|fail",
    "aborted": "abort|cancel|fail",
    "rejected": "reject|declin|abgelehnt|refus|rechaz",
    "rejection": "reject|declin|abgelehnt|refus|rechaz",
    "shipped": "shipped|deliver|transit|return|versand|gelief|expédi|livr|enviad|entreg",
    "delivered": "deliver|return|gelief|livr|entreg|zurück|rendu|devuel",
    "returned": "return|zurück|rendu|devuel",
    "approved": "approved|genehm|approuv|aprobad",
    "resolved": "closed|resolved|done|geschl|behob|ferm|résol|cerrad|resuel",
    "closed": "closed|resolved|done|complet|geschl|abgeschl|ferm|termin|cerrad",
    "finished": "success|fail|complet|done|finished|abgeschl|termin",
    "ended": "complet|ended|closed|done|abgeschl|geschl|termin|ferm|cerrad",
    "refunded": "refund",
}


def guess_presences(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_presences(entity, vocabulary) for entity in world.entities))


def _tells(status: Field) -> bool:
    """Whether a status is there in every row, or where only a guess says how often: what is not known has not come about."""
    return not status.nullable or status.present is None or status.present.when is None


def _presences(entity: Entity, vocabulary: Vocabulary) -> Entity:
    """What a state tells of is there in that state alone."""
    words = plain_words(entity, vocabulary)
    told = named_in_rules(entity)
    status = next((f for f in entity.fields if words[f.name] and words[f.name][-1] in ("status", "state") and _tells(f)), None)
    if entity.there or entity.states is not None:
        return entity
    if status is None:
        return _with_moments(with_ways(entity, words, (), None, told), words, told)
    if isinstance(status.source, WeightsSource):
        values = [value for value, _ in status.source.weights]
    else:
        values = list(status.type.values or ()) or [v for allowed in status.limits.allowed for v in allowed.values]
    if len(values) < 2:
        return _with_moments(with_ways(entity, words, (), None, told), words, told)
    entity = with_ways(entity, words, values, status, told)
    fields = []
    for field in entity.fields:
        word = None if is_known_ahead(field.name) else next((w for w in words[field.name] if w in _WHEN), None)
        said = field.present is not None and (field.present.origin is not Origin.GUESSED or field.present.when is not None)
        open_ = field.nullable and not said and field.name != status.name
        if word is None or not open_ or field.generated is not None or {field.name.lower(), status.name.lower()} & told:
            fields.append(field)
            continue
        those = [value for value in values if re.search(_WHEN[word], value, re.I)]
        if not those or len(those) == len(values):
            fields.append(field)
            continue
        listed = ", ".join("'" + value.replace("'", "''") + "'" for value in those)
        when = f"{plain_name(status.name)} IN ({listed})" if len(those) > 1 else f"{plain_name(status.name)} = {listed}"
        fields.append(changed(field, present=Present(when=when, origin=Origin.GUESSED)))
    return _with_moments(changed(entity, fields=tuple(fields)), words, told)


_STEMS = tuple(
    "cancel reject approv resol return delet refund verif confirm block revok terminat complet paid sent deliver publish dispens"
    " archiv clos ship finish sold suspend silenc bann mut pinn hid featur void declin disput withdr dismiss bounc unsubscrib"
    " reopen flagg dropp drop escalat abort retir scrapp stolen".split()
)
# what is told of a thing where its flag is set: `out_of_service`, `out_of_service_reason`
_TOLD_OF = frozenset(
    "reason reasons note notes comment comments details detail explanation by at on date since until description remark".split()
)


@lru_cache(maxsize=16_384)
def _stem(words: tuple[str, ...]) -> str | None:
    """What was done, by the words of a name: `cancelled_at`, `is_cancelled` and `cancel_reason` have one stem."""
    return next((stem for stem in _STEMS if any(word.startswith(stem) for word in words)), None)


def _with_moments(entity: Entity, words: dict[str, tuple[str, ...]], told: frozenset[str]) -> Entity:
    """Why and by whom something was done is there where the moment is at which it was done, and that where a flag says so."""
    rare = {verb: field for verb, field in told_by_reasons(entity, words).items() if _stem(words[field.name]) is None}
    fixed = {column for relation in entity.relations if not _may_be_told(relation) for column in relation.columns}
    referring = {column for relation in entity.relations for column in relation.columns}
    moments, flags, told_of, beside = {}, {}, _told_of(entity, words), tellers_beside(entity, words)
    done = {}  # by what was done, the moment at which it was
    for field in entity.fields:
        stem = _stem(words[field.name])
        if clock_of(field) and field.nullable and (verb := done_at(words[field.name])) is not None:
            done[verb] = field
        if stem is not None and clock_of(field) and field.nullable and not TILL & set(words[field.name]):
            moments[stem] = field
        elif stem is not None and _set_when(field) is not None and len(_of_flag(words[field.name])) == 1:
            flags[stem] = field  # a deposit that was returned is another matter
    fields = []
    for field in entity.fields:
        own = words[field.name]
        teller = _done_when(field, own, moments, flags) if field.name not in referring else None
        if "by" in own[1:] and not clock_of(field):
            teller = done.get("".join(own[: own.index("by")])) or moments.get(_stem(own) or "") or teller
        teller = (
            teller
            or told_of.get(field.name)
            or beside.get(field.name)
            or _done_with(field, own, {**done, **rare} if set(own) & REASONS else rare)
        )
        by_flag = teller is not None and _set_when(teller) is not None
        said = field.present is not None and field.present.when is not None
        said = said and not (by_flag and field.present is not None and field.present.origin is Origin.GUESSED)
        free = field.nullable and not said and field.name not in fixed and field.generated is None
        if teller is None and free and field.name.lower() not in told:
            field = _seldom_there(field, own, field.name in referring)
        if field in rare.values() and free and field.name.lower() not in told:
            field = changed(field, present=Present(share=_RARELY, origin=Origin.GUESSED))
        if teller is None or not free or {field.name.lower(), teller.name.lower()} & told:
            fields.append(field)
            continue
        when = _set_when(teller) or f"{plain_name(teller.name)} IS NOT NULL"
        fields.append(changed(field, present=Present(when=when, origin=Origin.GUESSED)))
    return changed(entity, fields=tuple(fields))


def _done_when(field: Field, own: tuple[str, ...], moments: dict[str, Field], flags: dict[str, Field]) -> Field | None:
    """The moment at which was done what a field tells of; for a moment the flag that says that it was done."""
    stem = _stem(own)
    if stem is None:
        return None
    if clock_of(field):
        return moments.get(stem) if TILL & set(own) else flags.get(stem)
    if _set_when(field) is not None:
        return None
    by_flag = {word for word in own if not word.startswith(stem)} <= _TOLD_OF
    return moments.get(stem) or (flags.get(stem) if by_flag else None)


_RARELY = 0.06
# which other row this one came from, went to or gave way to, and who put an end to it: of most rows that is nobody
_GONE_TO = (
    "moved to|transferred to|merged into|merged to|merged with|merged in|duplicate of|duplicates|superseded by|replaced by|"
    "replacement|replaces|supersedes|split from|redirect to|redirects to|redirected to|reversal of|reverses|reversed by|"
    "correction of|corrects"
).split("|")
_COPIED = "copied from|cloned from|forked from|fork of|fork id|copy of|derived from|restored from|reblog of|repost of".split("|")


def _seldom_there(field: Field, own: tuple[str, ...], refers: bool) -> Field:
    """What few rows have, by its name: who put an end to it, and why; what it was merged into."""
    text = f"{' '.join(own)} "
    ended = not RARE_ENDS.isdisjoint(own) and ("by" in own[1:] or (not refers and not REASONS.isdisjoint(own)))
    if not ended and not refers:
        return field
    share = _RARELY if ended or text.startswith(tuple(f"{one} " for one in _GONE_TO)) else None
    share = 0.15 if share is None and text.startswith(tuple(f"{one} " for one in _COPIED)) else share
    return field if share is None else changed(field, present=Present(share=share, origin=Origin.GUESSED))


def _may_be_told(relation: Relation) -> bool:
    """Whether nothing else is said of which rows refer to something."""
    return len(relation.columns) == 1 and relation.present is None and relation.tree is None and not relation.alike


def _done_with(field: Field, own: tuple[str, ...], moments: dict[str, Field]) -> Field | None:
    """The moment at which was done what a field tells of: `scrub_reason` beside `scrubbed_at`."""
    about = [word for word in own if word not in _TOLD_OF | REASONS and word not in ("for", "of")]
    told = "".join(about) if 0 < len(about) < 3 and len(about) < len(own) else ""
    moment = next((one for verb, one in moments.items() if told and is_same_verb(verb, told)), None)
    return None if moment is None or moment.name == field.name else moment


def _set_when(field: Field) -> str | None:
    """The condition that a flag is set, whatever it is kept as; None for a field that is no flag."""
    if field.type.name is TypeName.BOOLEAN:
        return plain_name(field.name)
    if not isinstance(field.source, WeightsSource) or field.guess is None:
        return None
    values = {value.upper() for value, _ in field.source.weights}
    for yes, no in _YES_OR_NO:
        if values == {yes, no}:
            value = next(value for value, _ in field.source.weights if value.upper() == yes)
            return f"{plain_name(field.name)} = " + (value if field.type.name in NUMBERS else f"'{value}'")
    return None


_YES_OR_NO = (
    ("Y", "N"),
    ("1", "0"),
    ("T", "F"),
    ("YES", "NO"),
    ("TRUE", "FALSE"),
    ("ON", "OFF"),
    ("J", "N"),
    ("O", "N"),
    ("S", "N"),
)
_MARKS = frozenset(("flag", "flg", "indicator", "yn"))  # what a flag may be called at its end


def _of_flag(words: tuple[str, ...]) -> tuple[str, ...]:
    """What a flag asks after: `is_closed` is of closing."""
    return tuple(word for word in words if word not in ASKING and word not in _MARKS)


def _told_of(entity: Entity, words: dict[str, tuple[str, ...]]) -> dict[str, Field]:
    """By field, the flag that its name begins with: what is said of the thing is there where the flag is set."""
    flags = {}
    referring = {column for relation in entity.relations for column in relation.columns}
    for field in entity.fields:
        own = words[field.name]
        asks = own[:1] if own and own[0] in ASKING else ()
        rest = tuple(word for word in own[len(asks) :] if word not in _MARKS)
        if rest and _set_when(field) is not None:
            flags[rest] = (field, asks == ("has",))
    found = {}
    for field in entity.fields:
        if _set_when(field) is not None:
            continue
        own = words[field.name]
        told = _TOLD_OF | {"id"} if field.name in referring else _TOLD_OF
        for length in range(len(own), 0, -1):
            flag, owned = flags.get(own[:length], (None, False))
            if flag is not None and ((length < len(own) and set(own[length:]) <= told) or (owned and own[length:] != ("count",))):
                found[field.name] = flag
                break
    return found
