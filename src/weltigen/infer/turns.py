"""In which turn rows come to be: those with lower numbers first, and none before the row that it belongs to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ..model import Bound, Entity, Field, Guess, KindSource, World
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import INTEGERS
from .around import clock_of
from .naming import Vocabulary
from .plain_words import plain_words

# words of the moment at which a row comes to be, the likeliest first; those of the last line say so of events alone
_BEGINS = (
    "created inserted create creation insert",
    "issued invoice ordered placed filed submitted",
    "registered joined added recorded logged enrolled",
    "received reported opened raised sent booked requested",
    "occurred timestamp time date",
)
_OTHER = frozenset("birth born due expiry valid last next end until update modified change delete start return".split())
_MOST = 2  # rows referred to that a row lies behind
Tied = Mapping[str, frozenset[str]]
Begins = Mapping[str, tuple[Field, int] | None]


def guess_turns(world: World, vocabulary: Vocabulary, tied: Tied) -> World:
    """Moments of beginning rise with the numbers of their rows, and lie behind those of the rows referred to; `tied` names, by
    entity, fields that other rules speak of."""
    begins = {entity.name: _beginning(entity, vocabulary) for entity in world.entities}
    free = {e.name: b[0] for e in world.entities if (b := begins[e.name]) is not None and _is_free(e, b[0], tied[e.name])}
    after = _parents(world, begins, free)
    parents = {target for relations in after.values() for _, target in relations}
    entities = []
    for entity in world.entities:
        if (field := free.get(entity.name)) is not None:
            operands = [f"{name}.{first[0].name}" for name, target in after[entity.name] if (first := begins[target]) is not None]
            new = _in_turn(entity, field, operands, entity.name in parents)
            entity = changed(entity, fields=tuple(new if f.name == field.name else f for f in entity.fields))
        entities.append(entity)
    return replace(world, entities=tuple(entities))


def _beginning(entity: Entity, vocabulary: Vocabulary) -> tuple[Field, int] | None:
    """The moment at which a row comes to be, and how likely that is: 0 is the likeliest."""
    sources = {f.name: f.source for f in entity.fields if isinstance(f.source, KindSource)}
    numbered = [dict(one.parameters)["of"] for one in sources.values() if one.kind == "document-number"]
    if numbered:
        return entity.field(numbered[0]), 1
    plain = plain_words(entity, vocabulary)
    for rank, words in enumerate(_BEGINS):
        for field in entity.fields:
            named = set(plain[field.name])
            guessed = field.name in sources and sources[field.name].kind in ("moment", "date-time", "epoch")
            if guessed and named & set(words.split()) and not named & _OTHER:
                return field, rank
    return None


def _is_free(entity: Entity, field: Field, tied: frozenset[str]) -> bool:
    """Whether it was guessed to be a moment of the past, and nothing else says where that lies."""
    source = field.source
    if field.guess is None or not isinstance(source, KindSource) or source.kind not in ("moment", "epoch"):
        return False
    said = {"around", "ahead", "true"} & set(dict(source.parameters).values())
    keyed = any(field.name in rule.columns for rule in entity.unique_rules)
    return not said and not keyed and not field.limits.bounds and field.name.lower() not in tied


def _parents(world: World, begins: Begins, free: Mapping[str, Field]) -> dict[str, list[tuple[str, str]]]:
    """By entity, the references to rows that came to be before, with their targets; never round in a circle."""
    out: dict[str, list[tuple[str, str]]] = {entity.name: [] for entity in world.entities}

    def reaches(start: str, end: str) -> bool:
        return start == end or any(reaches(target, end) for _, target in out[start])

    for entity in world.entities:
        for relation in entity.relations if entity.name in free else ():
            target = begins[relation.target]
            if target is None or relation.guess is not None or any(entity.field(c).nullable for c in relation.columns):
                continue
            sure = target[1] < len(_BEGINS) - 1 and not target[0].nullable and clock_of(target[0]) == clock_of(free[entity.name])
            if sure and len(out[entity.name]) < _MOST and not reaches(relation.target, entity.name):
                out[entity.name].append((relation.name, relation.target))
    return out


def _in_turn(entity: Entity, field: Field, operands: list[str], is_parent: bool) -> Field:
    source, guess = field.source, field.guess
    assert isinstance(source, KindSource) and guess is not None
    parameters = dict(source.parameters)
    key = [entity.field(name) for name in entity.key]
    numbered = len(key) == 1 and key[0].type.name in INTEGERS and not any(key[0].name in r.columns for r in entity.relations)
    if numbered and not field.nullable:
        parameters["rising"] = "true"
    if is_parent and not operands:
        parameters["when"] = "early"  # so that there is time left for what refers to it
    bounds = [Bound(comparison=">=", operand=operand, path=True, origin=Origin.GUESSED) for operand in operands]
    if operands:
        guess = Guess(reason=f"{guess.reason}; not before {' and '.join(operands)}", confidence=guess.confidence)
    limits = replace(field.limits, bounds=(*field.limits.bounds, *bounds))
    return changed(field, source=replace(source, parameters=tuple(parameters.items())), limits=limits, guess=guess)
