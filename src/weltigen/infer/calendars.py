"""Parts of a date that a row keeps beside it: the year, the month and the week of the day on which work was done."""

from __future__ import annotations

from dataclasses import replace

from ..expression.names import plain_name
from ..model import Entity, Field, World
from ..model.changing import changed
from ..model.types import INTEGERS, MOMENTS, TypeName
from .copies import computed, is_open, keyed_columns
from .free import named_in_rules
from .naming import Vocabulary
from .plain_words import plain_words
from .steps import CREATED
from .vocabularies import vocabulary_of

_PARTS = ("year", "quarter", "month", "week", "day")
_PLAIN = frozenset("at on date time day timestamp".split())
_OF_ROWS = CREATED | frozenset("updated modified changed deleted synced imported".split())


def guess_calendars(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_dated(entity, vocabulary) for entity in world.entities))


def _dated(entity: Entity, vocabulary: Vocabulary) -> Entity:
    words = plain_words(entity, vocabulary)
    parts = [f for f in entity.fields if f.type.name in INTEGERS and words[f.name][-1:] and words[f.name][-1] in _PARTS]
    dates = [f for f in entity.fields if f.type.name in MOMENTS and not set(words[f.name]) & _OF_ROWS]
    if not parts or not dates or entity.there:
        return entity
    told, keyed = named_in_rules(entity), keyed_columns(entity)
    made: dict[str, tuple[str, str]] = {}
    for field in parts:
        date = _date_of(field, parts, dates, words)
        free = date is not None and is_open(field, keyed) and field.name.lower() not in told
        if date is not None and free and (field.nullable or not date.nullable):
            part = words[field.name][-1]
            made[field.name] = f"extract({part} from {plain_name(date.name)})", f"the {part} of {date.name}"
    if not made:
        return entity
    return changed(entity, fields=tuple(computed(f, *made[f.name]) if f.name in made else f for f in entity.fields))


def _date_of(field: Field, parts: list[Field], dates: list[Field], words: dict[str, tuple[str, ...]]) -> Field | None:
    """The date of the same name; the only one of the row for parts without a name of their own, of which there are several."""
    stem = words[field.name][:-1]
    if stem:
        alike = [date for date in dates if tuple(word for word in words[date.name] if word not in _PLAIN) == stem]
        return alike[0] if len(alike) == 1 else None
    several = {words[part.name][-1] for part in parts if len(words[part.name]) == 1}
    days = [date for date in dates if date.type.name is TypeName.DATE] if len(dates) > 1 else dates
    return days[0] if len(days) == 1 and len(several) > 1 else None
