"""Texts whose names tell of moments are moments that a column keeps as texts: they get their order and their distances like all
others. SQLite has no other type for them."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace

from ..expression import compared_with, only_compares
from ..model import Entity, Field, FieldType, KindSource, Source, TypeName, World
from ..model.changing import changed
from ..model.literals import is_moment
from ..model.types import MOMENTS, TEXTS
from .around import Around, around_of, default_of, is_listed, may_hold_moment, names_moment, tied_fields
from .concepts import matching
from .kinds import candidates_for
from .naming import folded
from .plain_words import plain_words
from .roots import are_things, is_participle
from .steps import is_step_alone
from .times_of_day import times_of_day
from .trading import trades_of
from .vocabularies import vocabulary_of

_EXACT = 19  # characters of a day with a time of day
_BY_DAY = frozenset("since on date day birth birthday dob born expires expire expiry expiration due until deadline valid".split())
_TO_THE_SECOND = frozenset("at time timestamp stamp ts datetime created updated modified".split())
_TILL = frozenset((("until",), ("expires",), ("expiry",), ("since",)))
_WHEN = {"de": "am", "fr": "le", "es": "el"}  # what stands behind a participle where a day follows
_BEGINS, _ENDS = frozenset("start starts begin begins".split()), frozenset("end ends finish stop stops".split())
_COMING = ("check", "time", "clock", "punch")
_NOW = re.compile(r"(?i)\(*\s*(current_(timestamp|date)|(now|date|datetime|strftime)\s*\()")


def moments_as_texts(world: World) -> World:
    """The world with the texts that hold moments typed as moments; `written` keeps the type of their columns."""
    vocabulary = vocabulary_of(world)
    open_to = {entity.name: [*_open(world, entity, plain_words(entity, vocabulary))] for entity in world.entities}
    if not any(open_to.values()):
        return world
    tied = tied_fields(world)
    likely = {e.name: _likely(around_of(world, e, vocabulary, tied), open_to[e.name]) for e in world.entities if open_to[e.name]}
    if not any(likely.values()):
        return world
    trading = trades_of(world, vocabulary)  # a swimmer's entry time is no moment
    entities = []
    for entity in world.entities:
        if told := likely.get(entity.name):
            around = around_of(world, entity, vocabulary, tied, trading[entity.name])
            typed = (_typed(f, around.words[f.name]) for f in (_likely(around, told) if trading[entity.name] else told))
            kept = {field.name: field for field in typed if _holds_all(entity, field)}
            entity = changed(entity, fields=tuple(kept.get(f.name, f) for f in entity.fields)) if kept else entity
        entities.append(entity)
    return replace(world, entities=tuple(entities))


def _open(world: World, entity: Entity, words: dict[str, tuple[str, ...]]) -> Iterable[Field]:
    """The texts that may be moments, as far as a look tells."""
    keyed = {column for rule in (*entity.unique_rules, *entity.uniques) for column in rule.columns} | set(entity.key)
    keyed |= {column for relation in entity.relations for column in relation.columns} | world.columns_referred_to(entity.name)
    texts: list[Field] = [f for f in entity.fields if f.type.name in TEXTS and f.type.written is None and f.name not in keyed]
    spans = _spans(words[field.name] for field in texts)
    for field in texts:
        if field.source is not None or field.generated or is_listed(field) or field.limits.bounds or not may_hold_moment(field):
            continue
        if (default := field.default) is not None and not _NOW.match(default) and not _is_day(default_of(field)):
            continue
        own = words[field.name]
        told = (
            own in spans
            or names_moment(own)
            or is_step_alone(own)
            or own[-1:] in _TILL
            or _is_last_done(own)
            or any(one.concept.types <= MOMENTS for one in matching(own))
        )
        if told and not are_things(own) and not _is_asked_about(entity, field):
            yield field


def _likely(around: Around, fields: list[Field]) -> list[Field]:
    spans = _spans(around.words[field.name] for field in fields)
    plain = {f.name for f in fields if around.words[f.name] in spans or _is_plainly(around, f)}
    fields = [field for field in fields if not any(times_of_day(around, field))]
    return [f for f in fields if f.name in plain or _is_moment(next(candidates_for(around, f)).source)]


def _is_plainly(around: Around, field: Field) -> bool:
    """Whether it is a moment whatever else its noun may stand for: `licence_until`; `gefunden_am`, in German."""
    last, words = folded(field.name).rpartition("_")[2], around.words[field.name]
    return words[-1:] in _TILL or _is_last_done(words) or last == _WHEN.get(around.vocabulary.language)


def _is_last_done(words: tuple[str, ...]) -> bool:
    """Whether a name tells when something was done to the row last, or first: `last_relined`."""
    return len(words) == 2 and words[0] in ("last", "first") and is_participle(words[1])


def _spans(names: Iterable[tuple[str, ...]]) -> set[tuple[str, ...]]:
    """The names that say by themselves where something begins and where it ends, if both are there."""
    every = set(names)
    alone = {words for words in every if len(words) == 1}
    begun, ended = ({words for words in alone if words[0] in one} for one in (_BEGINS, _ENDS))
    pairs = {one for gone in _COMING for one in ((gone, "in"), (gone, "out")) if {(gone, "in"), (gone, "out")} <= every}
    return pairs | (begun | ended if begun and ended else set())


def _is_moment(source: Source) -> bool:
    return isinstance(source, KindSource) and source.kind == "iso-time"


def _typed(field: Field, words: tuple[str, ...]) -> Field:
    by_day = not _BY_DAY.isdisjoint(words) and _TO_THE_SECOND.isdisjoint(words)
    day = by_day or (field.room is not None and field.room < _EXACT)
    name = TypeName.DATE if day else TypeName.TIMESTAMP
    return changed(field, type=FieldType(name=name, written=field.type, spelled=field.type.spelled))


def _is_day(text: str | None) -> bool:
    return text is not None and re.match(r"\d{4}-\d\d-\d\d", text) is not None


def _is_asked_about(entity: Entity, field: Field) -> bool:
    """Whether a check asks for more of a text than how it compares (its length, its form, a part), or compares it with a word."""
    for check in entity.checks:
        told = compared_with(check.expression, check.dialect, field.name)
        if not only_compares(check.expression, check.dialect, field.name) or not all(map(_DAY.match, told)):
            return True
    return False


_DAY = re.compile(r"\d{4}-\d\d?-\d\d?")


def _holds_all(entity: Entity, field: Field) -> bool:
    """Whether every value of a fixed row is a moment."""
    given = [text for row in entity.fixed for name, text in row if name == field.name and text is not None]
    return all(is_moment(text, field.type) for text in given)
