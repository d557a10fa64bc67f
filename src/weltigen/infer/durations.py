"""How long a row lasts, from its own first and last moment: nights of a stay, minutes of a visit, seconds of a call."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ..expression.names import plain_name
from ..model import Entity, Field, World
from ..model.changing import changed
from ..model.types import MOMENTS, NUMBERS, TypeName
from .around import clock_of
from .copies import computed, is_open, keyed_columns
from .naming import Vocabulary, singular
from .plain_words import plain_words
from .vocabularies import vocabulary_of

_STARTS = frozenset(
    "launched launch liftoff takeoff departed sailed start started starts begin began begins from arrival arrives checkin "
    "in opened open connect answered picked since".split()
)
_ENDS = frozenset(
    "landed landing touchdown surfaced end ended ends stop stopped until to departure departs checkout out closed close "
    "finished completed returned return".split()
)
_LASTS = frozenset("duration elapsed length lasted runtime nights night days day hours minutes seconds milliseconds".split())
_SECONDS = {"nights": 86_400, "night": 86_400, "days": 86_400, "day": 86_400, "hours": 3600, "hour": 3600, "minutes": 60,
            "minute": 60, "seconds": 1, "second": 1}  # fmt: skip
# what machines do is counted in seconds, what people do in minutes
_OF_MACHINES = frozenset(
    "job run task call cdr session build check export import backup log request query process recording execution step".split()
)
_NEUTRAL = frozenset("total actual real spent worked net in of time number count".split())
_OTHER = frozenset("planned estimated expected scheduled maximum minimum average mean target default usual break pause".split())


def guess_durations(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_lasting(entity, vocabulary) for entity in world.entities))


def _lasting(entity: Entity, vocabulary: Vocabulary) -> Entity:
    plain = plain_words(entity, vocabulary)
    words = {name: _in_minutes(own, plain) for name, own in plain.items()}
    noun = [singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2])]
    lasts = [
        f for f in entity.fields if f.type.name in NUMBERS and _LASTS & set(words[f.name]) and not _OTHER & set(words[f.name])
    ]
    spans = list(_spans(entity, words)) if lasts else []
    if len(spans) != 1:  # of two it is not known which is meant
        return entity
    (start, end), keyed = spans[0], keyed_columns(entity)
    made: dict[str, tuple[str, str]] = {}
    for field in lasts:
        unit = next((word for word in reversed(words[field.name]) if word in _SECONDS), None)
        missing = (start.nullable or end.nullable) and not field.nullable
        other = set(words[field.name]) - _LASTS - _NEUTRAL - set(noun)
        if not is_open(field, keyed) or missing or other or (unit is None and "length" in words[field.name]):
            continue
        seconds = _SECONDS[unit] if unit is not None else 1 if _OF_MACHINES & set(noun) or clock_of(start) != "moment" else 60
        expression = _difference(start, end, seconds)
        if expression is not None and "milliseconds" in words[field.name]:
            expression = f"{_difference(start, end, 1)} * 1000"
        if expression is not None:
            made[field.name] = expression, f"from {start.name} to {end.name}"
    if not made:
        return entity
    return changed(entity, fields=tuple(computed(f, *made[f.name]) if f.name in made else f for f in entity.fields))


def _in_minutes(own: tuple[str, ...], every: dict[str, tuple[str, ...]]) -> tuple[str, ...]:
    """`min` at the end of a name is minutes, where nothing beside it is the most of the same."""
    minutes = len(own) > 1 and own[-1] == "minimum" and (*own[:-1], "maximum") not in every.values()
    return (*own[:-1], "minutes") if minutes else own


def _spans(entity: Entity, words: dict[str, tuple[str, ...]]) -> Iterator[tuple[Field, Field]]:
    """Pairs of moments of which one ends what the other starts."""
    for end in entity.fields:
        for bound in end.limits.bounds:
            if not bound.path or "." in bound.operand or bound.comparison not in (">", ">=") or not _ENDS & set(words[end.name]):
                continue
            start = next((f for f in entity.fields if f.name == bound.operand), None)
            if start is not None and _STARTS & set(words[start.name]) and clock_of(start) == clock_of(end) != "":
                yield start, end


def _difference(start: Field, end: Field, seconds: int) -> str | None:
    first, last = plain_name(start.name), plain_name(end.name)
    if start.type.name is TypeName.DATE and end.type.name is TypeName.DATE:
        return f"{last} - {first}" if seconds == 86_400 else None
    if start.type.name is TypeName.TIME and end.type.name is TypeName.TIME:
        minutes = " - ".join(f"(extract(hour from {one}) * 60 + extract(minute from {one}))" for one in (last, first))
        told = {3600: f"round(({minutes}) / 60.0, 2)", 60: minutes, 1: f"({minutes}) * 60"}
        return told.get(seconds)
    if clock_of(start) == "epoch in s":
        difference = f"{last} - {first}"
    elif start.type.name in MOMENTS and end.type.name in MOMENTS:
        difference = f"extract(epoch from {last}) - extract(epoch from {first})"
    else:
        return None
    return f"round(({difference}) / {seconds}, {2 if seconds == 3600 else 0})" if seconds > 1 else f"round({difference}, 0)"
