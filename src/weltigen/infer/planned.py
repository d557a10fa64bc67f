"""What is planned begins and ends at full steps of the clock: appointments at a quarter, departures at five minutes."""

from __future__ import annotations

from dataclasses import replace

from ..model import Entity, Field, KindSource, TypeName, World
from ..model.changing import changed
from ..values.vocabulary import NEUTRAL, topic
from .naming import Vocabulary, singular
from .nouns import SYSTEMS
from .plain_words import plain_words
from .vocabularies import vocabulary_of

_ENDS = frozenset(
    "start starts begin begins end ends from until to till slot scheduled planned appointment estimated expected doors curtain "
    "opens closes deadline".split()
)
_LEAVING = frozenset("departs departure arrives arrival sails docks".split())
_ACTUAL = frozenset("actual actually real started ended arrived departed finished left opened closed logged recorded".split())
# what people, vehicles and rooms are booked for; by how many minutes their clock goes
_BY_NOUN = {
    noun: minutes
    for minutes, nouns in (
        (30, "shift duty roster rota watch"),
        (15, "appointment meeting lesson class session lecture course booking reservation event visit showing screening"),
        (15, "performance match game workshop exam hearing consultation tour viewing rehearsal interview slot practice training"),
        (15, "treatment surgery show concert tasting fitting inspection walk party ceremony service seminar webinar excursion"),
        (15, "dive charter charge hire rental loan stay outage closure campaign sale auction promotion competition tournament"),
        (15, "race round fixture"),
        (5, "departure arrival sailing trip flight train bus voyage crossing transfer journey route leg stop delivery pickup"),
    )
    for noun in nouns.split()
}  # fmt: skip


def guess_steps(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_by_the_clock(entity, vocabulary) for entity in world.entities))


def _by_the_clock(entity: Entity, vocabulary: Vocabulary) -> Entity:
    if topic(entity.topic or NEUTRAL).within(*SYSTEMS):
        return entity
    noun = [singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2])]
    plain = plain_words(entity, vocabulary)
    fields = tuple(_stepped(field, noun, plain[field.name]) for field in entity.fields)
    return changed(entity, fields=fields) if fields != entity.fields else entity


def _stepped(field: Field, noun: list[str], own: tuple[str, ...]) -> Field:
    source = field.source
    if field.guess is None or not isinstance(source, KindSource) or source.kind != "moment" or field.type.name is TypeName.DATE:
        return field
    words = set(own)
    steps = [_BY_NOUN[one] for one in noun[-2:] if one in _BY_NOUN]
    minutes = 5 if words & _LEAVING else 15 if words & {"scheduled", "planned"} else steps[-1] if steps and words & _ENDS else 0
    if not minutes or words & _ACTUAL or field.limits.multiple_of is not None:
        return field
    return changed(field, source=replace(source, parameters=(*source.parameters, ("step", f"{minutes} minutes"))))
