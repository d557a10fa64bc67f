"""What is let off by a coupon or a rule: so many per cent, or so much, as the row says which of both it is."""

from __future__ import annotations

from dataclasses import replace

from ..expression.names import plain_name, quoted_text
from ..model import Candidate, Case, CasesSource, Entity, Field, Guess, WeightsSource, World
from ..model.changing import changed
from ..model.types import NUMBERS, TEXTS, TypeName
from .free import is_open, named_in_rules, without_floor
from .naming import Vocabulary, folded
from .plain_words import own_words
from .vocabularies import vocabulary_of

_SHARES = frozenset("percent percentage pct percents per_cent percent_off percentage_off relative rate".split())
_SUMS = frozenset("fixed amount absolute flat fixed_amount value fixed_value amount_off flat_amount money cash sum".split())
_LET_OFF = frozenset(
    tuple(name.split("_"))
    for name in (
        "amount",
        "value",
        "discount",
        "discount_value",
        "discount_amount",
        "amount_off",
        "rate",
        "reduction",
        "reward_value",
    )
)
_PER_CENT = (("10", 34.0), ("15", 16.0), ("20", 24.0), ("5", 12.0), ("25", 8.0), ("50", 6.0))
_MONEY = (("5", 26.0), ("10", 32.0), ("15", 12.0), ("20", 16.0), ("25", 8.0), ("50", 6.0))


def guess_discounts(world: World) -> World:
    """Numbers that are shares in some rows and sums in others, by the field that says which."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_let_off(entity, vocabulary) for entity in world.entities))


def _let_off(entity: Entity, vocabulary: Vocabulary) -> Entity:
    told = named_in_rules(entity)
    which = next((found for field in entity.fields if (found := _which(field)) is not None), None)
    if which is None or entity.there:
        return entity
    field, shares = which
    words = own_words(entity, vocabulary)
    made = {
        one.name: _by_case(one, field, shares)
        for one in entity.fields
        if words[one.name] in _LET_OFF and one.type.name in NUMBERS and one.name.lower() not in told
        if is_open(entity, without_floor(one)) and _has_room(one)
    }
    return changed(entity, fields=tuple(made.get(one.name, one) for one in entity.fields)) if made else entity


def _which(field: Field) -> tuple[Field, tuple[str, ...]] | None:
    """The field that says whether a number is a share or a sum, with the values that say the first."""
    if field.type.name not in TEXTS | {TypeName.ENUM} or field.nullable:
        return None
    values = field.limits.allowed[0].values if field.limits.allowed else field.type.values
    if not values and isinstance(field.source, WeightsSource):
        values = field.source.values()
    shares = tuple(value for value in values if folded(value) in _SHARES)
    return (field, shares) if shares and any(folded(value) in _SUMS for value in values) else None


def _has_room(field: Field) -> bool:
    return field.type.name is not TypeName.NUMERIC or field.type.digits[0] - field.type.digits[1] >= 2


def _by_case(field: Field, which: Field, shares: tuple[str, ...]) -> Field:
    first, *more = map(quoted_text, shares)
    name = plain_name(which.name)
    when = f"{name} IN ({', '.join((first, *more))})" if more else f"{name} = {first}"
    source = CasesSource(
        cases=(Case(source=WeightsSource(weights=_PER_CENT), when=when), Case(source=WeightsSource(weights=_MONEY)))
    )
    before = () if field.source is None or field.guess is None else (Candidate(source=field.source, guess=field.guess),)
    guess = Guess(reason=f"so many per cent or so much, by {which.name}", confidence=0.9)
    return changed(field, source=source, guess=guess, others=(*before, *field.others))
