"""What stands behind a name that the row has too, or the row that it belongs to: 12 V where the property is the voltage, `dark`
where the setting is the theme, a date where the field that was changed is the due date."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ..model import Candidate, Entity, Field, Guess, KindSource, WeightsSource, World
from ..model.changing import changed
from ..model.types import TEXTS
from ..values.named_values import values_behind
from .copies import is_open, keyed_columns
from .naming import Vocabulary
from .plain_words import plain_words
from .vocabularies import vocabulary_of

_NAMED = frozenset(  # of what is told
    "name/key/property/attribute/setting/option/parameter/field/column/label/title/code/field name/column name/attribute name/"
    "property name/setting key".split("/")
)
_TOLD = frozenset(
    "value/old value/new value/default value/current value/previous value/value before/value after/before/after/old/new/content/"
    "field value/property value/attribute value/setting value/option value/config value/data/text value".split("/")
)


def guess_values_by_name(world: World) -> World:
    """Values that follow from the names beside them, where these are names that we know."""
    vocabulary = vocabulary_of(world)
    if vocabulary.language != "en":
        return world
    return replace(world, entities=tuple(_told(world, entity, vocabulary) for entity in world.entities))


def _told(world: World, entity: Entity, vocabulary: Vocabulary) -> Entity:
    words = plain_words(entity, vocabulary)
    texts = [field for field in entity.fields if field.type.name in TEXTS and " ".join(words[field.name]) in _TOLD]
    open_ = [field.name for field in texts if is_open(field, keyed_columns(entity)) and isinstance(field.source, WeightsSource)]
    of = next(_names(world, entity, words, vocabulary), None) if open_ else None
    if of is None:
        return entity
    return changed(entity, fields=tuple(_behind(field, of) if field.name in open_ else field for field in entity.fields))


def _names(world: World, entity: Entity, words: dict[str, tuple[str, ...]], vocabulary: Vocabulary) -> Iterator[str]:
    """The cells that hold such names, the row's own first."""
    for field in entity.fields:
        if " ".join(words[field.name]) in _NAMED and _is_known(field):
            yield field.name
    for relation in entity.relations:
        if relation.target != entity.name:
            target = world.entity(relation.target)
            told = plain_words(target, vocabulary)
            for field in target.fields:
                if " ".join(told[field.name]) in _NAMED and _is_known(field):
                    yield f"{relation.name}.{field.name}"


def _is_known(field: Field) -> bool:
    """Whether it holds names of settings, or some of which we know the most."""
    if field.type.name not in TEXTS or field.guess is None:
        return False
    source = field.source
    if isinstance(source, KindSource):
        return source.kind == "setting-key"
    return isinstance(source, WeightsSource) and sum(bool(values_behind(name)) for name, _ in source.weights) > max(
        3, 0.6 * len(source.weights)
    )


def _behind(field: Field, of: str) -> Field:
    """The field by the name beside it; what was guessed before is what that gives way to."""
    assert field.source is not None and field.guess is not None
    first = Candidate(source=field.source, guess=field.guess)
    source = KindSource(kind="named-value", parameters=(("of", of),))
    return changed(field, source=source, guess=Guess(reason=f"what {of} tells", confidence=0.9), others=(first, *field.others))
