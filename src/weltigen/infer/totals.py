"""What a row tells of the rows that belong to it: how many they are, and what their amounts come to."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from ..expression.names import plain_name
from ..model import Entity, Field, Relation, World
from ..model.changing import changed
from ..model.types import INTEGERS, NUMBERS
from .amounts import BASES, LINES, PRICES
from .copies import computed, is_open, keyed_columns
from .costs import NETS
from .free import named_in_rules, never_negative, without_floor, words_of
from .naming import Vocabulary, singular
from .plain_words import plain_words
from .vocabularies import vocabulary_of

# nouns of rows that a whole is made of
_PARTS = frozenset(
    "line item position lineitem detail entry ticket product article charge fee service part leg component row".split()
)
_COUNTING = frozenset("number count total of".split())
_NEVER = frozenset("maximum minimum expected planned target limit estimated average initial".split())


def guess_totals(world: World) -> World:
    """Totals over children, where one entity's rows alone plainly make them up."""
    vocabulary = vocabulary_of(world)
    children: dict[str, list[tuple[Entity, Relation]]] = {}
    for entity in world.entities:
        for relation in entity.relations:
            children.setdefault(relation.target, []).append((entity, relation))
    return replace(world, entities=tuple(_totalled(e, children.get(e.name, []), vocabulary) for e in world.entities))


def _totalled(entity: Entity, children: list[tuple[Entity, Relation]], vocabulary: Vocabulary) -> Entity:
    told, keyed = named_in_rules(entity), keyed_columns(entity)
    names = [child.name for child, _ in children]
    clear = [  # of two references to one entity it is not known which is meant, and of its own rows none are there yet
        (child, relation) for child, relation in children
        if names.count(child.name) == 1 and child.name != entity.name and re.fullmatch("[a-z_][a-z0-9_]*", child.name)
        and relation.guess is None and len(relation.columns) == 1
    ]  # fmt: skip
    if not clear or entity.there or entity.fixed:
        return entity
    made: dict[str, tuple[str, str]] = {}
    for field in entity.fields:
        if field.type.name in NUMBERS and _is_open(field, keyed) and field.name.lower() not in told:
            found = _counted(entity, field, clear, vocabulary) or _pieces(entity, field, clear, vocabulary)
            if found is not None:
                made[field.name] = found
    summed = _summed(entity, clear, vocabulary, told, keyed)
    if summed is not None:
        made.setdefault(summed[0], summed[1:])
    if not made:
        return entity
    fields = (  # a declared end stays, so that what does not keep it is seen
        changed(computed(f, *made[f.name]), limits=f.limits) if f.name in made else f for f in entity.fields
    )
    return changed(entity, fields=tuple(fields))


def _is_open(field: Field, keyed: set[str]) -> bool:
    """Whether nothing is said of a field, or only that it is not below nothing, which a total over amounts never is."""
    return is_open(without_floor(field), keyed)


def _counted(
    entity: Entity, field: Field, children: list[tuple[Entity, Relation]], vocabulary: Vocabulary
) -> tuple[str, str] | None:
    """`ticket_count` is how many tickets refer to the row."""
    words = plain_words(entity, vocabulary)[field.name]
    if field.type.name not in INTEGERS or not _COUNTING & set(words) or _NEVER & set(words):
        return None
    asked = tuple(singular(word) for word in words if word not in _COUNTING)
    for child, _ in children:
        if asked and asked in _nouns(child, entity, vocabulary) and child.key:
            key = plain_name(child.key[0])
            return f"count({child.name}.{key})", f"how many rows of {child.name} it has"
    return None


def _pieces(
    entity: Entity, field: Field, children: list[tuple[Entity, Relation]], vocabulary: Vocabulary
) -> tuple[str, str] | None:
    """`total_quantity` is how many pieces its lines have together."""
    if plain_words(entity, vocabulary)[field.name] not in _ALL_PIECES:
        return None
    lines = [child for child, _ in children if next(iter(_nouns(child, entity, vocabulary)))[-1:][0] in _PARTS]
    of = words_of(lines[0], vocabulary) if len(lines) == 1 else {}
    pieces = next((lines[0].field(of[words]) for words in ("quantity", "pieces", "units") if words in of), None)
    if pieces is None or pieces.type.name not in INTEGERS:
        return None
    return (
        f"coalesce(sum({lines[0].name}.{plain_name(pieces.name)}), 0)",
        f"{pieces.name} of its rows of {lines[0].name} together",
    )


_ALL_PIECES = (("total", "quantity"), ("quantity", "total"), ("total", "pieces"), ("total", "units"), ("items", "quantity"))


def _nouns(child: Entity, owner: Entity, vocabulary: Vocabulary) -> Iterator[tuple[str, ...]]:
    """What a child is called, with and without its owner's name: invoice line, line."""
    noun = tuple(singular(word) for word in vocabulary.words(child.name))
    own = {singular(word) for word in vocabulary.words(owner.name)}
    yield noun
    rest = tuple(word for word in noun if word not in own)
    if rest != noun:
        yield rest


def _summed(
    entity: Entity, children: list[tuple[Entity, Relation]], vocabulary: Vocabulary, told: frozenset[str], keyed: set[str]
) -> tuple[str, str, str] | None:
    """The amount that lines make: the net one where there is one, else the total."""
    own = words_of(entity, vocabulary)
    amounts = [entity.field(own[words]) for words in (*NETS, *BASES) if words in own]
    amount = next((field for field in amounts if field.type.name in NUMBERS and field.type.name not in INTEGERS), None)
    if amount is None or not _is_open(amount, keyed) or amount.name.lower() in told:
        return None
    lines = [child for child, _ in children if next(iter(_nouns(child, entity, vocabulary)))[-1:][0] in _PARTS]
    if len(lines) != 1:
        return None
    line, of = lines[0], words_of(lines[0], vocabulary)
    parts = (line.field(of[words]) for words in (*LINES, *PRICES) if words in of)
    part = next((field for field in parts if field.type.name in NUMBERS), None)
    if part is None or (amount.limits.bounds and (line.fixed or not never_negative(part))):
        return None
    scale = min(2, amount.type.scale or 2)
    expression = f"round(coalesce(sum({line.name}.{plain_name(part.name)}), 0), {scale})"
    return amount.name, expression, f"{part.name} of its rows of {line.name} together"
