"""What came to be lies near what was planned: actual hours beside planned ones, a weight that was aimed at and the one that was
reached."""

from __future__ import annotations

from dataclasses import replace

from ..model import ComputeSource, Entity, Field, KindSource, World
from ..model.changing import changed
from ..model.fields import Follow
from ..model.types import NUMBERS
from .naming import Vocabulary, folded
from .plain_words import plain_words
from .vocabularies import vocabulary_of

_PLANNED = frozenset(
    "planned target estimated expected forecast budgeted budget scheduled projected intended nominal theoretical "
    "system book quoted quote".split()
)
_ACTUAL = frozenset("actual real achieved actually effective realised realized counted physical invoiced billed final".split())
_QUOTED = (("quoted",), ("quote",), ("estimated",), ("estimate",))  # an amount, of which nothing else is said
_EXACT = 0.999999
_DRAWN = frozenset(("nom", "nominal"))
_NEAR = 0.97  # Spearman's correlation


def guess_as_planned(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_near_the_plan(entity, vocabulary) for entity in world.entities))


def _near_the_plan(entity: Entity, vocabulary: Vocabulary) -> Entity:
    if entity.there or sum(field.type.name in NUMBERS for field in entity.fields) < 2:
        return entity
    words = plain_words(entity, vocabulary)
    entity = _below_what_it_sells_for(entity, words)
    words = {name: _spelled_out(name, own) for name, own in words.items()}
    planned = {rest: field for field in entity.fields if (rest := _rest(words[field.name], _PLANNED)) is not None and rest != ()}
    alone = [field for field in entity.fields if words[field.name] in _QUOTED]
    planned |= {(): alone[0]} if len(alone) == 1 else {}
    if not planned:
        return entity
    fields = tuple(
        field if (rest := _rest(words[field.name], _ACTUAL)) is None else _as_planned(entity, field, planned.get(rest))
        for field in entity.fields
    )
    return changed(entity, fields=fields) if fields != entity.fields else entity


def _spelled_out(name: str, words: tuple[str, ...]) -> tuple[str, ...]:
    """`act` beside another word is short for actual: `act_weight`."""
    if "act" not in folded(name).split("_") or len(words) < 2:
        return words
    return tuple("actual" if word in ("act", "active") else word for word in words)


def _rest(words: tuple[str, ...], marks: frozenset[str]) -> tuple[str, ...] | None:
    """What a name says beside that it was planned, or came to be; None where it says neither."""
    rest = tuple(word for word in words if word not in marks)
    return rest if len(rest) < len(words) else None


def _as_planned(entity: Entity, actual: Field, planned: Field | None) -> Field:
    if planned is None or planned.name == actual.name or planned.type != actual.type:
        return actual
    free = all(
        one.type.name in NUMBERS and one.guess is not None and not one.follows and not one.limits.bounds
        and not isinstance(one.source, ComputeSource) and not _is_spoken_of(entity, one)
        for one in (planned, actual)
    )  # fmt: skip
    if not free or actual.guess is None:
        return actual
    guess = replace(actual.guess, reason=f"{actual.guess.reason}; near {planned.name}, by their names")
    close = _NEAR if _DRAWN.isdisjoint(folded(planned.name).split("_")) else _EXACT  # what is measured of a size on a drawing
    return changed(actual, source=planned.source, guess=guess, follows=(Follow(field=planned.name, correlation=close),))


_PAID_FOR_IT = frozenset("cost purchase buying wholesale spent".split())
_OF_THE_PRICE = 0.55  # what is paid for a thing, of what it is sold for


def _below_what_it_sells_for(entity: Entity, words: dict[str, tuple[str, ...]]) -> Entity:
    """What something was bought for rises with what it is sold for."""
    made = {}
    for field in entity.fields:
        of = next((bound.operand for bound in field.limits.bounds if bound.comparison == "<=" and bound.path), None)
        if of is None or not entity.has(of) or field.follows or not _is_ranged(field) or not _is_ranged(entity.field(of)):
            continue
        alike = field.source == entity.field(of).source or not _PAID_FOR_IT.isdisjoint(words[field.name])
        if alike and field.guess is not None and not _is_spoken_of(entity, field):
            sold = entity.field(of).source
            assert isinstance(sold, KindSource)
            ends = dict(sold.parameters)
            ends |= {end: f"{float(ends[end]) * _OF_THE_PRICE:.3g}" for end in ("from", "to")}
            guess = replace(field.guess, reason=f"{field.guess.reason}; rises with {of}")
            source = KindSource(kind="number", parameters=tuple(ends.items()))
            made[field.name] = changed(field, source=source, guess=guess, follows=(Follow(field=of, correlation=_NEAR),))
    return changed(entity, fields=tuple(made.get(field.name, field) for field in entity.fields)) if made else entity


def _is_ranged(field: Field) -> bool:
    """Whether an amount of money is guessed to lie between two ends."""
    source = field.source
    return (
        isinstance(source, KindSource) and source.kind == "number" and dict(source.parameters).get("shape") in ("price", "round")
    )


def _is_spoken_of(entity: Entity, field: Field) -> bool:
    keyed = {column for rule in entity.unique_rules for column in rule.columns}
    return field.name in keyed or any(field.name.lower() in check.expression.lower() for check in entity.checks)
