"""Guesses of one row that would need each other first, let go until none do; what is declared or said is not touched."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

from ..model import CasesSource, ComputeSource, Entity, Field, KindSource, World
from ..model.changing import changed
from ..model.graphs import depth_first
from ..model.origins import Origin
from .free import next_other

# names of fields; `year` in `extract(year from sold_on)` is none
_NAMES = re.compile(r'"((?:[^"]|"")+)"(?!\.)|(?<![.\w])(?<!extract\()([^\W\d]\w*)(?![\w.(])', re.IGNORECASE)
_LITERALS = re.compile(r"'(?:[^']|'')*'")


def without_circles(world: World) -> World:
    """The world without guessed bounds and formulas that close a circle among the fields of a row."""
    return replace(world, entities=tuple(map(_opened, world.entities)))


def _opened(entity: Entity) -> Entity:
    while (found := _guessed_edge(entity)) is not None:
        name, needed = found
        fields = tuple(_let_go(entity, field, needed) if field.name == name else field for field in entity.fields)
        entity = changed(entity, fields=fields)
    return entity


def _guessed_edge(entity: Entity) -> tuple[str, str] | None:
    """A field in a circle and the one that it needs by a guess."""
    needs = {
        field.name: dict(_needs(entity, field))
        for field in entity.fields
        if field.limits.bounds or isinstance(field.source, ComputeSource | KindSource | CasesSource) or field.present is not None
    }
    if len(needs) < 2:
        return None
    for circle in depth_first(needs, lambda name: needs.get(name, {}))[1]:
        for name, needed in pairwise(circle):
            if needs[name][needed]:
                return name, needed
    return None


def _needs(entity: Entity, field: Field) -> Iterator[tuple[str, bool]]:
    """Fields that must be known before this one is, each with whether only a guess says so."""
    for bound in field.limits.bounds:
        if bound.path and entity.has(bound.operand):
            yield bound.operand, bound.origin is Origin.GUESSED
    if isinstance(field.source, ComputeSource):
        for name in _named(entity, field.source.expression):
            yield name, field.guess is not None
    cases = field.source.cases if isinstance(field.source, CasesSource) else ()
    for source in (field.source, *(case.source for case in cases)):
        of = dict(source.parameters).get("of") if isinstance(source, KindSource) else None
        if of is not None and of != field.name and entity.has(of):  # else it is a word that only happens to be its name
            yield of, field.guess is not None
    for case in cases:
        for name in _named(entity, case.when or ""):
            yield name, field.guess is not None
    if field.present is not None and field.present.when is not None:
        for name in _named(entity, field.present.when):
            yield name, field.present.origin is Origin.GUESSED


def _named(entity: Entity, expression: str) -> Iterator[str]:
    for quoted, plain in _NAMES.findall(_LITERALS.sub("''", expression)):
        if entity.has(quoted or plain):
            yield quoted or plain


def _let_go(entity: Entity, field: Field, needed: str) -> Field:
    """The field without the guessed bound, or else filled from the next of its candidates, or there as often as others are."""
    bounds = field.limits.bounds
    left = tuple(bound for bound in bounds if not (bound.origin is Origin.GUESSED and bound.path and bound.operand == needed))
    if len(left) < len(bounds):
        return changed(field, limits=replace(field.limits, bounds=left))
    present = field.present
    when = present.when if present is not None and present.origin is Origin.GUESSED else None
    if when is not None and needed in _named(entity, when):
        return changed(field, present=None)
    return next_other(field)
