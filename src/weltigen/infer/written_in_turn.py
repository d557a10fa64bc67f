"""Messages about one matter: some for each ticket, written in turn by who asks and who helps, each in answer to the last."""

from __future__ import annotations

from dataclasses import replace

from ..expression.names import plain_name, quoted_text
from ..model import Candidate, Entity, Field, Guess, KindSource, PerOwner, Present, Relation, WeightsSource, World
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import MOMENTS, NUMBERS, TEXTS, TypeName
from .copies import is_open, keyed_columns
from .free import named_in_rules
from .naming import Vocabulary
from .numbered import may_be_owned
from .plain_words import noun_words, own_words
from .vocabularies import vocabulary_of

_MATTERS = frozenset("ticket case inquiry enquiry complaint conversation request thread issue incident dispute".split())
_OF_FORUMS = frozenset("thread conversation request issue".split())  # where anybody may answer anybody
_MESSAGES = frozenset("message reply response comment entry post article update correspondence communication".split())
_ABOUT = (("subject",), ("title",), ("topic",), ("summary",), ("headline",), ("name",))
_BODIES = frozenset(
    tuple(name.split()) for name in ("body", "message", "text", "content", "message body", "body text", "reply", "comment")
)
_WHEN = frozenset("created sent posted written received date timestamp at added submitted published".split())
_BEGUN = frozenset("opened created received submitted reported raised started asked".split())
_ENDED = frozenset("closed resolved solved finished ended completed".split())
_ASKING = frozenset(  # what tells that whoever asks has written
    "customer client user requester contact visitor guest member inbound incoming in received enduser consumer tenant "
    "resident".split()
)
_HELPING = frozenset("agent staff support admin operator outbound outgoing out team employee helpdesk service sent bot".split())
_ROOM = 280  # characters of a message
_MEAN, _MOST = 4.0, 12  # messages of a matter


def guess_correspondence(world: World) -> World:
    """Messages with so many rows for each of the matters that they are about."""
    if world.guesses != "full" or world.same:
        return world
    vocabulary = vocabulary_of(world)
    out = []
    for entity in world.entities:
        relation = _matter_of(world, entity, vocabulary)
        if relation is not None and may_be_owned(world, entity, relation) and _body(entity, vocabulary) is not None:
            entity = changed(entity, rows=PerOwner(per=relation.name, mean=_MEAN, least=1, most=_MOST))
        out.append(entity)
    return replace(world, entities=tuple(out))


def guess_threads(world: World) -> World:
    """What such messages say, when, and who writes them."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_written(world, entity, vocabulary) for entity in world.entities))


def _matter_of(world: World, entity: Entity, vocabulary: Vocabulary) -> Relation | None:
    """The reference to the matter that a message is about."""
    if not _MESSAGES & set(noun_words(entity, vocabulary)[-1:]):
        return None
    for relation in entity.relations:
        target = world.entity(relation.target)
        required = len(relation.columns) == 1 and not entity.field(relation.columns[0]).nullable
        if required and target.name != entity.name and _MATTERS & set(noun_words(target, vocabulary)[-1:]):
            told = own_words(target, vocabulary)
            own = own_words(entity, vocabulary)
            sided = any(_may_tell_sides(field, own[field.name]) for field in entity.fields)
            if not sided and _OF_FORUMS & set(noun_words(target, vocabulary)[-1:]):
                continue
            if any(told[field.name] in _ABOUT and field.type.name in TEXTS and not field.nullable for field in target.fields):
                return relation
    return None


def _body(entity: Entity, vocabulary: Vocabulary) -> Field | None:
    words = own_words(entity, vocabulary)
    return next(
        (f for f in entity.fields if words[f.name] in _BODIES and f.type.name in TEXTS and (f.room is None or f.room >= _ROOM)),
        None,
    )


def _written(world: World, entity: Entity, vocabulary: Vocabulary) -> Entity:
    rows = entity.rows
    if not isinstance(rows, PerOwner) or rows.place is not None:
        return entity
    relation, body = _matter_of(world, entity, vocabulary), _body(entity, vocabulary)
    if relation is None or body is None or rows.per != relation.name:
        return entity
    matter, keyed = world.entity(relation.target), keyed_columns(entity)
    words, theirs, told = own_words(entity, vocabulary), own_words(matter, vocabulary), named_in_rules(entity)
    made: dict[str, Field] = {}
    about = next(f for one in _ABOUT for f in matter.fields if theirs[f.name] == one and f.type.name in TEXTS)
    path = f"{plain_name(relation.name)}."
    if is_open(body, keyed) and body.name.lower() not in told:
        made[body.name] = _filled(body, "thread", {"of": f"{path}{plain_name(about.name)}"}, f"about its {matter.name}, in turn")
    when = _moment(entity, words, _WHEN)
    begun, ended = _moment(matter, theirs, _BEGUN), _moment(matter, theirs, _ENDED, missing=True)
    if when is not None and begun is not None and when.type.name in MOMENTS and when.name.lower() not in told:
        until = {} if ended is None else {"until": f"{path}{plain_name(ended.name)}"}
        bounds = tuple(bound for bound in when.limits.bounds if bound.origin is not Origin.GUESSED)
        free = replace(when, limits=replace(when.limits, bounds=bounds))
        if is_open(free, keyed):
            said = {"of": f"{path}{plain_name(begun.name)}", **until}
            made[when.name] = _filled(free, "turns", said, f"each later than the one before, of a {matter.name}")
    entity = changed(entity, fields=tuple(made.get(field.name, field) for field in entity.fields))
    return _with_sides(entity, relation, words, keyed, told)


def _moment(entity: Entity, words: dict[str, tuple[str, ...]], named: frozenset[str], missing: bool = False) -> Field | None:
    """The moment that is called by one of some words; `missing`: it may be null."""
    fields = [f for f in entity.fields if f.type.name in MOMENTS - {TypeName.TIME} and (missing or not f.nullable)]
    fields = [f for f in fields if named & set(words[f.name]) and not {"updated", "modified", "due", "read"} & set(words[f.name])]
    return min(fields, key=lambda f: "created" in words[f.name], default=None) if named is _BEGUN else next(iter(fields), None)


def _with_sides(
    entity: Entity, relation: Relation, words: dict[str, tuple[str, ...]], keyed: set[str], told: frozenset[str]
) -> Entity:
    """The entity with which side writes; and with the references to those of one side where that one does."""
    for field in entity.fields:
        sides, unlisted = _sides(field, words[field.name]), replace(field, limits=replace(field.limits, allowed=()))
        if sides is None or not is_open(unlisted, keyed) or field.name.lower() in told:
            continue
        asks, helps = sides
        made = _filled(field, "side", {"of": relation.columns[0], "first": asks, "then": helps}, "who asks writes first")
        fields = []
        for one in entity.fields:
            of = next((r for r in entity.relations if r.columns == (one.name,) and r is not relation), None)
            says = set(words[one.name]) if of is not None else set()
            side = asks if says & _ASKING else helps if says & _HELPING else None
            guessed = one.present is None or one.present.origin in (Origin.GUESSED, Origin.FALLBACK)
            if one is field:
                one = made
            elif side is not None and one.nullable and guessed and one.name.lower() not in told:
                when = _is(field, side)
                one = changed(one, present=Present(when=when, origin=Origin.GUESSED))
            fields.append(one)
        return changed(entity, fields=tuple(fields))
    return entity


def _is(field: Field, value: str) -> str:
    name = plain_name(field.name)
    if field.type.name is TypeName.BOOLEAN:
        return name if value == "true" else f"NOT {name}"
    return f"{name} = {value if field.type.name in NUMBERS else quoted_text(value)}"


def _may_tell_sides(field: Field, words: tuple[str, ...]) -> bool:
    """Whether a field, by its name, says on which side whoever writes is."""
    truth = field.type.name is TypeName.BOOLEAN and bool(set(words) & (_ASKING | (_HELPING - {"sent"})))
    return truth or (field.type.name in TEXTS | {TypeName.ENUM} and bool(set(words) & {"direction", "side", "sender", "author"}))


def _sides(field: Field, words: tuple[str, ...]) -> tuple[str, str] | None:
    """The values of a field for who asks and for who helps."""
    if field.nullable:
        return None
    named = set(words)
    if field.type.name is TypeName.BOOLEAN:
        if named & _ASKING:
            return "true", "false"
        return ("false", "true") if named & (_HELPING - {"sent"}) else None
    if field.type.name not in TEXTS | {TypeName.ENUM} or not named & _TELLING:
        return None
    values = field.limits.allowed[0].values if field.limits.allowed else field.type.values
    if not values and isinstance(field.source, WeightsSource):
        values = field.source.values()
    asks = next((value for value in values if value.lower() in _ASKING), None)
    helps = next((value for value in values if value.lower() in _HELPING), None)
    return None if asks is None or helps is None else (asks, helps)


_TELLING = frozenset("sender author direction side from role type kind party speaker origin".split())


def _filled(field: Field, kind: str, said: dict[str, str], why: str) -> Field:
    first = () if field.source is None or field.guess is None else (Candidate(source=field.source, guess=field.guess),)
    source = KindSource(kind=kind, parameters=tuple(said.items()))
    return changed(field, source=source, guess=Guess(reason=why, confidence=0.88), others=(*first, *field.others))
