"""Rows that are numbered among those of one owner, `UNIQUE (sailing_id, leg_no)`: some for each owner, which count 1, 2, 3."""

from __future__ import annotations

from dataclasses import replace

from ..model import Entity, PerOwner, Relation, World
from ..model.changing import changed
from ..model.leading import leads_to
from ..model.types import INTEGERS
from .free import named_in_rules
from .naming import Vocabulary
from .plain_words import plain_words
from .vocabularies import vocabulary_of

_COUNTS = frozenset("number position sequence index line ordinal rank step stage leg lap round item page chapter order".split())
_NO_COUNT = frozenset("id year weight level version amount price phone account house room seat lot".split())
_LEAVES, _BETWEEN = 4.0, 2.0  # rows for each owner, as of any entity of their sort
_MOST = 4  # times as many of any owner


def guess_numbering(world: World) -> World:
    """Entities whose rows are told apart by a number within an owner, with so many rows for each of these."""
    if world.guesses != "full" or world.same:
        return world
    vocabulary, needs = vocabulary_of(world), _needs(world)
    owners = {entity.name: _owner(world, entity, vocabulary, needs) for entity in world.entities}
    entities = []
    for entity in world.entities:
        owner = owners[entity.name]
        if owner is not None:
            mean = _BETWEEN if entity.name in world.referred_to else _LEAVES
            entity = changed(entity, rows=PerOwner(per=owner.name, mean=mean, most=round(_MOST * mean)))
        entities.append(entity)
    return replace(world, entities=tuple(entities))


def _owner(world: World, entity: Entity, vocabulary: Vocabulary, needs: dict[str, set[str]]) -> Relation | None:
    """The reference to the owner, where nothing else is said or ruled of it."""
    if not _is_unsaid(world, entity):
        return None
    rules = entity.unique_rules
    for relation in entity.relations:
        columns = set(relation.columns)
        holding = [rule for rule in rules if columns & set(rule.columns)]
        if len(holding) != 1 or not columns < set(holding[0].columns) or not _is_plain(world, entity, relation, needs):
            continue
        (number, *more) = set(holding[0].columns) - columns
        ruled = [rule for rule in rules if number in rule.columns]
        if not more and len(ruled) == 1 and _counts(entity, number, vocabulary):
            return relation
    return None


def may_be_owned(world: World, entity: Entity, relation: Relation) -> bool:
    """Whether rows may be counted by the rows that a reference goes to, of which nothing else is said or ruled."""
    ruled = any(set(relation.columns) & set(rule.columns) for rule in entity.unique_rules)
    return _is_unsaid(world, entity) and not ruled and _is_plain(world, entity, relation, _needs(world))


def _needs(world: World) -> dict[str, set[str]]:
    return {one.name: {r.target for r in one.relations if _is_required(one, r)} - {one.name} for one in world.entities}


def _is_unsaid(world: World, entity: Entity) -> bool:
    said = entity.rows is not None or entity.fixed or entity.there or entity.cohorts or entity.states
    return not said and entity.name not in world.history_owners


def _counts(entity: Entity, number: str, vocabulary: Vocabulary) -> bool:
    """Whether a number is one that rows are counted by."""
    field, words = entity.field(number), plain_words(entity, vocabulary)[number]
    floors = all(not bound.path and f"{bound.comparison}{bound.operand}" in (">=0", ">0", ">=1") for bound in field.limits.bounds)
    limited = field.limits.allowed or not floors or number.lower() in named_in_rules(entity)
    free = field.source is None and not field.generated and not field.identity and not limited and not field.nullable
    told = bool(words) and words[-1] in _COUNTS and not _NO_COUNT & set(words)
    return free and told and field.type.name in INTEGERS and all(number not in relation.columns for relation in entity.relations)


def _is_plain(world: World, entity: Entity, relation: Relation, needs: dict[str, set[str]]) -> bool:
    """Whether a reference may go to any row of another entity, which needs no row of this one, and shares no column."""
    shared = any(set(one.columns) & set(relation.columns) for one in entity.relations if one is not relation)
    said = (
        relation.guess is not None or relation.present or relation.where or relation.weights or relation.alike or relation.tree
        or relation.spread or relation.unlike or relation.above or relation.choice or relation.same or relation.favour
    )  # fmt: skip
    ruled = not named_in_rules(entity).isdisjoint(column.lower() for column in relation.columns)
    if shared or said or ruled or relation.target == entity.name or not _is_required(entity, relation):
        return False
    if leads_to(relation.target, entity.name, lambda name: needs.get(name, ())):
        return False
    target = world.entity(relation.target)
    return not target.fixed and not target.there


def _is_required(entity: Entity, relation: Relation) -> bool:
    return not any(entity.field(column).nullable for column in relation.columns)
