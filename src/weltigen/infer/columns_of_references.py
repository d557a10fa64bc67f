"""What is asked of a reference's own columns, by their types or in a world file, as a condition on the rows that it goes to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ..expression.names import plain_name, quoted_text
from ..model import Check, ConstSource, Entity, Field, PatternSource, Place, Relation, WeightsSource, World
from ..model.origins import Origin
from ..model.types import NUMBERS, TEXTS, TypeName

Part = tuple[str, Place | None]  # a condition, and where it is said
_WIDE = 1 << 24  # keys beyond that are not reached by counting


def held_by_columns(world: World, entity: Entity, relation: Relation) -> Relation:
    """The reference, to rows alone whose keys its columns can hold and may hold: an unsigned tinyint refers to none above 255,
    one that is said to be 3 to row 3."""
    if not world.has(relation.target) or len(relation.columns) != len(relation.target_columns):
        return relation
    target, weights = world.entity(relation.target), relation.weights
    parts: list[Part] = []
    for column, theirs in zip(relation.columns, relation.target_columns, strict=True):
        if not (entity.has(column) and target.has(theirs)):
            continue
        field = entity.field(column)
        parts += [
            *_of_type(field, target, theirs),
            *_of_limits(field, plain_name(theirs)),
            *_of_source(field, plain_name(theirs)),
        ]
        if isinstance(field.source, WeightsSource) and field.guess is None and len(relation.columns) == 1 and not weights:
            weights = field.source.weights
    asked = [(text, place) for text, place in parts if relation.where is None or text not in relation.where.expression]
    said = " AND ".join(text for text, _ in asked)
    if weights is not relation.weights:
        relation = replace(relation, weights=weights)
    if not said:
        return relation
    kept = relation.where
    expression = said if kept is None else f"({kept.expression}) AND {said}"
    places = [kept.place if kept is not None else None, *(place for _, place in asked), relation.place]
    return replace(relation, where=Check(expression=expression, place=next(filter(None, places), None)))


def _of_type(field: Field, target: Entity, theirs: str) -> Iterator[Part]:
    own, other = field.type, target.field(theirs).type
    if own.most is not None and own.most < _WIDE and (other.most is None or other.most > own.most):
        yield f"{plain_name(theirs)} <= {own.most}", None
    counts = target.field(theirs).identity or target.key == (theirs,)
    if own.least is not None and other.least is None and not counts:
        yield f"{plain_name(theirs)} >= {own.least}", None


def _of_limits(field: Field, name: str) -> Iterator[Part]:
    """What a world file limits the field to; checks are not read yet, and are met in their own way."""
    limits = field.limits
    for bound in limits.bounds:
        if not bound.path and bound.operand != "now" and bound.origin is Origin.SAID:
            yield f"{name} {bound.comparison} {_literal(field, bound.operand)}", bound.place
    for allowed in limits.allowed:
        if allowed.origin is Origin.SAID:
            yield f"{name} IN ({', '.join(_literal(field, value) for value in allowed.values)})", allowed.place
    for pattern in limits.patterns if field.type.name in TEXTS else ():
        if pattern.origin is Origin.SAID:
            yield _matching(name, pattern), pattern.place
    if limits.multiple_of is not None:
        yield f"{name} % {limits.multiple_of} = 0", field.place
    if limits.min_length and field.type.name in TEXTS:
        yield f"length({name}) >= {limits.min_length}", field.place
    if limits.max_length is not None and field.type.name in TEXTS:
        yield f"length({name}) <= {limits.max_length}", field.place


def _of_source(field: Field, name: str) -> Iterator[Part]:
    match field.source:
        case ConstSource(value=value, place=place) if field.guess is None:
            yield f"{name} = {_literal(field, value)}", place
        case PatternSource(place=place) as pattern if field.guess is None and field.type.name in TEXTS:
            yield _matching(name, pattern), place


def _matching(name: str, pattern: PatternSource) -> str:
    return f"regexp_like({name}, {quoted_text(f'^({pattern.pattern})$')})"


def _literal(field: Field, text: str) -> str:
    return (
        text if field.type.name in NUMBERS or (field.type.name is TypeName.BOOLEAN and not text.isdigit()) else quoted_text(text)
    )
