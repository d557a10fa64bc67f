"""Rows that stand below rows of their own entity: how deep, and on which path."""

from __future__ import annotations

from dataclasses import replace

from ..expression.names import plain_name
from ..model import Entity, Field, Relation, World
from ..model.changing import changed
from ..model.types import INTEGERS, TEXTS
from .copies import computed, is_open, keyed_columns
from .free import named_in_rules, without_floor
from .naming import Vocabulary, folded, singular
from .plain_words import plain_words
from .vocabularies import vocabulary_of

_DEPTHS = (("depth",), ("tree", "depth"), ("tree", "level"), ("nesting", "level"), ("nesting",), ("hierarchy", "level"))
_PATHS = (("path",), ("tree", "path"), ("full", "path"), ("materialized", "path"), ("id", "path"), ("path", "ids"), ("lineage",))
_WHOLE_NAMES = (("full", "name"), ("complete", "name"), ("qualified", "name"), ("path", "name"), ("name", "path"))
# entities of which a level is how deep they stand
_LEVELLED = frozenset(
    "category folder node menu page directory unit department area region location account topic taxon class group".split()
)


def guess_trees(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_grown(entity, vocabulary) for entity in world.entities))


def _grown(entity: Entity, vocabulary: Vocabulary) -> Entity:
    above = [one for one in entity.relations if one.target == entity.name and len(one.columns) == 1 and one.guess is None]
    if len(above) != 1 or not entity.field(above[0].columns[0]).nullable or entity.there:
        return entity
    if any(set(rule.columns) <= set(above[0].columns) for rule in entity.unique_rules):
        return entity  # a chain through all rows, each of which would be worked out from the one before it
    parent, told, keyed = above[0], named_in_rules(entity), keyed_columns(entity)
    noun = [singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2])]
    words, plain = {}, plain_words(entity, vocabulary)
    for field in entity.fields:
        own = plain[field.name]
        words[field.name] = own[1:] if len(own) > 1 and own[0] in noun else own
    called = [("name",), ("title",), ("label",)]
    name = next((f for w in called for f in entity.fields if words[f.name] == w and f.type.name in TEXTS), None)
    made: dict[str, tuple[str, str]] = {}
    for field in entity.fields:
        if is_open(without_floor(field), keyed) and field.name.lower() not in told:
            levelled = bool(_LEVELLED & set(noun[-1:]) or any(folded(other.name) in _LEFT for other in entity.fields))
            found = _of_tree(entity, field, words[field.name], parent, name, levelled)
            if found is not None:
                made[field.name] = found
    if not made:
        return entity
    return changed(
        entity, fields=tuple(changed(computed(f, *made[f.name]), limits=f.limits) if f.name in made else f for f in entity.fields)
    )


def _of_tree(
    entity: Entity, field: Field, words: tuple[str, ...], parent: Relation, name: Field | None, levelled: bool
) -> tuple[str, str] | None:
    own, above = plain_name(field.name), plain_name(parent.name)
    if words in _WHOLE_NAMES and field.means == "name":
        return None  # of a person all that is in it
    if field.type.name in INTEGERS and (words in _DEPTHS or (levelled and words == ("level",))):
        first = 1 if field.default == "1" else 0
        return f"coalesce({above}.{own} + 1, {first})", f"one below the row that {parent.name} refers to"
    if field.type.name in INTEGERS and (nested := _of_nested_sets(entity, field, words, parent)) is not None:
        return nested
    if field.type.name not in TEXTS or (field.room is not None and field.room < 60):
        return None
    if words in _PATHS:
        key = entity.field(entity.key[0]) if len(entity.key) == 1 else None
        if key is None or key.type.name not in INTEGERS:
            return None
        last = f"'/' || cast({plain_name(key.name)} AS varchar)"
        return _below(field, f"{above}.{own} || {last}", last), "the keys of all above it"
    if words in _WHOLE_NAMES and name is not None and name.name != field.name and not (name.nullable and not field.nullable):
        last = plain_name(name.name)
        return _below(field, f"{above}.{own} || ' / ' || {last}", last), "the names of all above it"
    return None


def _of_nested_sets(entity: Entity, field: Field, words: tuple[str, ...], parent: Relation) -> tuple[str, str] | None:
    """The number of a row's tree is that of the row above; most rows have none below, and end where they begin."""
    own, above = plain_name(field.name), plain_name(parent.name)
    if words in (("tree", "id"), ("tree", "number"), ("root", "number")) and len(entity.key) == 1:
        key = entity.field(entity.key[0])
        if key.type.name in INTEGERS:
            return f"coalesce({above}.{own}, {plain_name(key.name)})", f"the tree of the row that {parent.name} refers to"
    left = next((one for one in entity.fields if folded(one.name) in _LEFT and one.type.name in INTEGERS), None)
    if folded(field.name) in _RIGHT and left is not None and not left.nullable:
        return f"{plain_name(left.name)} + 1", f"behind {left.name}, as of a row with none below it"
    return None


_LEFT, _RIGHT = frozenset(("lft", "left_bound", "tree_left", "lft_node")), frozenset(("rght", "rgt", "right_bound", "tree_right"))


def _below(field: Field, expression: str, alone: str) -> str:
    """What stands below another row, as far as there is room; of a row at the top, what it has by itself."""
    cut = expression if field.room is None else f"left({expression}, {field.room})"
    return f"coalesce({cut}, {alone})"
