"""Fields that say again what stands elsewhere.

`name_lower` stands beside `name`, `posted_gmt` beside `posted`, `owner_name` beside a reference to the owner.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..expression.names import plain_name
from ..model import (
    Candidate,
    ComputeSource,
    Entity,
    Field,
    Guess,
    KindSource,
    Limits,
    PatternSource,
    Relation,
    WeightsSource,
    World,
)
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from .naming import Vocabulary
from .nouns import LINES
from .plain_words import noun_words, plain_words
from .vocabularies import vocabulary_of

_LOWER = frozenset("lower lowercase lowered lc ci folded normalized normalised canonical clean cleaned".split())
_AS_IT_IS = frozenset("sanitized sanitised stripped trimmed".split())
_OTHER_ZONE = frozenset("gmt utc".split())
_NO_COPY = frozenset(
    "id key password hash token type status state reason note comment remark description date time count".split()
)


def guess_copies(world: World) -> World:
    """Copies computed from what they repeat, where nothing else says what they hold."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_copied(world, entity, vocabulary) for entity in world.entities))


def _copied(world: World, entity: Entity, vocabulary: Vocabulary) -> Entity:
    words = plain_words(entity, vocabulary)
    keyed = keyed_columns(entity)
    made: dict[str, tuple[str, str]] = {}
    for field in entity.fields:
        if field.type.name in TEXTS:
            found = (
                _in_small_letters(entity, field, words, keyed)
                or _as_shown(entity, field, words, keyed)
                or _of_referred(world, entity, field, vocabulary, keyed)
            )
        else:
            found = (
                _number_of_referred(world, entity, field, vocabulary, keyed)
                or _in_another_zone(entity, field, words, keyed)
                or _in_letters(entity, field, words, keyed)
            )
        if found is not None and found[0] not in made:
            made[found[0]] = found[1:]
    if not made:
        return entity
    return changed(
        entity, fields=tuple(computed(field, *made[field.name]) if field.name in made else field for field in entity.fields)
    )


def keyed_columns(entity: Entity) -> set[str]:
    """Columns of unique rules and of references."""
    keyed = {column for rule in entity.unique_rules for column in rule.columns}
    return keyed | {column for relation in entity.relations for column in relation.columns}


def computed(field: Field, expression: str, why: str) -> Field:
    """The field worked out from others; what was guessed before is what that gives way to."""
    first = () if field.source is None or field.guess is None else (Candidate(source=field.source, guess=field.guess),)
    guess = Guess(reason=why, confidence=0.9)
    return changed(
        field, source=ComputeSource(expression=expression), guess=guess, limits=Limits(), others=(*first, *field.others)
    )


_NO_LIMITS = Limits()


def is_open(field: Field, keyed: set[str]) -> bool:
    """Whether nothing but a guess says what a field holds."""
    guessed = field.source is None or field.guess is not None
    limits = field.limits
    if limits.bounds:
        limits = replace(limits, bounds=tuple(one for one in limits.bounds if one.origin is not Origin.GUESSED))
    return guessed and limits == _NO_LIMITS and field.name not in keyed and field.generated is None and not field.identity


def _in_small_letters(
    entity: Entity, field: Field, words: dict[str, tuple[str, ...]], keyed: set[str]
) -> tuple[str, str, str] | None:
    """`lower_name` and `username_clean` repeat a text; where a rule tells the copies apart, the text repeats them."""
    own = words[field.name]
    marks = [word for word in own if word in _LOWER or word in _AS_IT_IS]
    rest = tuple(word for word in own if word not in marks)
    if len(marks) != 1 or not rest:
        return _behind_an_l(entity, field, keyed)
    other = next((o for o in entity.fields if o.name != field.name and o.type.name in TEXTS and words[o.name] == rest), None)
    if other is None or other.generated is not None:
        return None
    if is_open(field, keyed) and _holds(field, other):
        expression = f"lower({plain_name(other.name)})" if marks[0] in _LOWER else plain_name(other.name)
        return field.name, expression, f"{other.name} {'in small letters' if marks[0] in _LOWER else 'once more'}, by its name"
    if is_open(other, keyed) and _holds(other, field) and not is_open(field, keyed):
        return other.name, plain_name(field.name), f"{field.name} once more, which differs by rule"
    return None


_SHOWN = (("display", "name"), ("name", "display"), ("public", "name"))


def _as_shown(entity: Entity, field: Field, words: dict[str, tuple[str, ...]], keyed: set[str]) -> tuple[str, str, str] | None:
    """The name of a thing as it is shown is its name, where that is written like one."""
    if words[field.name] not in _SHOWN or not is_open(field, keyed) or not _is_of_a_thing(field):
        return None
    name = next((o for o in entity.fields if words[o.name] == ("name",) and o.type.name in TEXTS and o.generated is None), None)
    if name is None or not _is_of_a_thing(name) or not _holds(field, name):
        return None
    return field.name, plain_name(name.name), f"{name.name} once more, as it is shown"


def _is_of_a_thing(field: Field) -> bool:
    of_kind = isinstance(field.source, KindSource) and field.source.kind == "thing-name"
    return field.guess is not None and (of_kind or isinstance(field.source, WeightsSource | PatternSource))


def _behind_an_l(entity: Entity, field: Field, keyed: set[str]) -> tuple[str, str, str] | None:
    """`lgiven` beside `given`."""
    of = next((o for o in entity.fields if f"l{o.name}".lower() == field.name.lower() and o.type.name in TEXTS), None)
    if of is None or of.generated is not None or not is_open(field, keyed) or not _holds(field, of):
        return None
    return field.name, f"lower({plain_name(of.name)})", f"{of.name} in small letters, by its name"


def _holds(copy: Field, of: Field) -> bool:
    """Whether a copy has room for all that it repeats, and is empty where that is."""
    room = copy.room is None or (of.room is not None and of.room <= copy.room)
    return room and (copy.nullable or not of.nullable) and copy.type.name in TEXTS


def _in_another_zone(
    entity: Entity, field: Field, words: dict[str, tuple[str, ...]], keyed: set[str]
) -> tuple[str, str, str] | None:
    """`posted_gmt` is `posted` where the server's clock shows universal time."""
    own = words[field.name]
    rest = tuple(word for word in own if word not in _OTHER_ZONE)
    if field.type.name not in MOMENTS | INTEGERS or len(rest) != len(own) - 1 or not rest or not is_open(field, keyed):
        return None
    other = next((o for o in entity.fields if o.type.name is field.type.name and words[o.name] == rest), None)
    if other is None or other.generated is not None or (other.nullable and not field.nullable):
        return None
    return field.name, plain_name(other.name), f"{other.name} in universal time"


_LETTERS = (("character", "count"), ("letter", "count"), ("char", "count"))


def _in_letters(entity: Entity, field: Field, words: dict[str, tuple[str, ...]], keyed: set[str]) -> tuple[str, str, str] | None:
    """How many letters a text has, some six for each of its words."""
    if words[field.name] not in _LETTERS or field.type.name not in INTEGERS or not is_open(field, keyed):
        return None
    of = next((o for o in entity.fields if words[o.name] == ("word", "count") and o.type.name in INTEGERS), None)
    if of is None or of.generated is not None or (of.nullable and not field.nullable):
        return None
    told = plain_name(of.name)
    return field.name, f"{told} * 5 + {told} / 2", f"some letters for each word of {of.name}"


def _of_referred(
    world: World, entity: Entity, field: Field, vocabulary: Vocabulary, keyed: set[str]
) -> tuple[str, str, str] | None:
    """`owner_name` beside a reference to the owner is the name of that row."""
    own = plain_words(entity, vocabulary)[field.name]
    if not is_open(field, keyed) or len(own) < 2:
        return None
    for relation in entity.relations:
        role = _role(entity, relation, vocabulary)
        if not role or own[: len(role)] != role or len(own) == len(role) or relation.target == entity.name:
            continue
        asked = own[len(role) :]
        if set(asked) & _NO_COPY or (not field.nullable and any(entity.field(c).nullable for c in relation.columns)):
            continue
        target = world.entity(relation.target)
        there = plain_words(target, vocabulary)
        for other in target.fields:
            if other.type.name in TEXTS and there[other.name] in (asked, (*role, *asked)) and _holds(field, other):
                return (
                    field.name,
                    f"{plain_name(relation.name)}.{plain_name(other.name)}",
                    f"what {relation.target}.{other.name} says of the row referred to",
                )
    return None


@dataclass(frozen=True, slots=True)
class _Repeated:
    """A number of rows of some nouns that is that of the row referred to; `there`: its names there, likeliest first."""

    nouns: frozenset[str]
    called: frozenset[tuple[str, ...]]
    of: frozenset[str] | None  # nouns of what is referred to; None where any will do
    there: tuple[tuple[str, ...], ...]


def _each(names: str) -> tuple[tuple[str, ...], ...]:
    return tuple(tuple(name.split()) for name in names.split(", "))


_REPEATED = (
    # the price of one in a line is that of the thing that the line is of
    _Repeated(
        LINES,
        frozenset(_each("price, unit price, item price, price each, price per unit, product price")),
        None,
        _each("price, unit price, selling price, sale price, list price, retail price"),
    ),
    # what is paid for an order is its total, where there is one payment for each
    _Repeated(
        frozenset("payment charge receipt".split()),
        frozenset(_each("amount, payment amount, amount paid, total, total amount, paid amount")),
        frozenset("order booking reservation sale purchase appointment rental hire ticket".split()),
        _each("grand total, total, total amount, amount total, total price, total due"),
    ),
)


def _number_of_referred(
    world: World, entity: Entity, field: Field, vocabulary: Vocabulary, keyed: set[str]
) -> tuple[str, str, str] | None:
    """The price of a line is that of its thing, and what is paid for an order its total."""
    own = vocabulary.words(field.name)
    repeated = next((one for one in _REPEATED if own in one.called and noun_words(entity, vocabulary)[-1] in one.nouns), None)
    if repeated is None or field.type.name not in NUMBERS or not is_open(field, keyed):
        return None
    for relation in entity.relations:
        if relation.target == entity.name or len(relation.columns) != 1:
            continue
        target = world.entity(relation.target)
        if repeated.of is not None and noun_words(target, vocabulary)[-1] not in repeated.of:
            continue
        words = plain_words(target, vocabulary)
        there = {words[other.name]: other for other in target.fields if other.type.name is field.type.name}
        of = next((there[name] for name in repeated.there if name in there), None)
        missing = of is not None and (of.nullable or entity.field(relation.columns[0]).nullable)
        if of is None or of.generated is not None or (missing and not field.nullable):
            continue
        path = f"{plain_name(relation.name)}.{plain_name(of.name)}"
        same = of.type.scale == field.type.scale
        told = path if same or field.type.scale is None else f"round({path}, {field.type.scale})"
        return field.name, told, f"the {of.name} of its row of {relation.target}"
    return None


def _role(entity: Entity, relation: Relation, vocabulary: Vocabulary) -> tuple[str, ...]:
    """The words of a reference's column without those that say that it is one."""
    words = plain_words(entity, vocabulary)[relation.columns[0]] if len(relation.columns) == 1 else ()
    return words[:-1] if len(words) > 1 and words[-1] in ("id", "key", "number", "code", "uuid") else words
