"""Guesses of one row that would need each other first, let go until none do; what is declared or said is not touched."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

from ..model import ComputeSource, Entity, Field, World
from ..model.changing import changed
from ..model.graphs import depth_first
from ..model.origins import Origin

_NAMES = re.compile(r'"((?:[^"]|"")+)"(?!\.)|(?<![.\w])([^\W\d]\w*)(?![\w.(])')


def without_circles(world: World) -> World:
    """The world without guessed bounds and formulas that close a circle among the fields of a row."""
    return replace(world, entities=tuple(map(_opened, world.entities)))


def _opened(entity: Entity) -> Entity:
    while (found := _guessed_edge(entity)) is not None:
        name, needed = found
        fields = tuple(_let_go(field, needed) if field.name == name else field for field in entity.fields)
        entity = changed(entity, fields=fields)
    return entity


def _guessed_edge(entity: Entity) -> tuple[str, str] | None:
    """A field in a circle and the one that it needs by a guess."""
    needs = {
        field.name: dict(_needs(entity, field))
        for field in entity.fields
        if field.limits.bounds or isinstance(field.source, ComputeSource)
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
        for quoted, plain in _NAMES.findall(field.source.expression):
            if entity.has(quoted or plain):
                yield quoted or plain, field.guess is not None


def _let_go(field: Field, needed: str) -> Field:
    """The field without the guessed bound, or else filled from the next of its candidates."""
    bounds = field.limits.bounds
    left = tuple(bound for bound in bounds if not (bound.origin is Origin.GUESSED and bound.path and bound.operand == needed))
    if len(left) < len(bounds):
        return changed(field, limits=replace(field.limits, bounds=left))
    first, *others = field.others or (None,)
    source, guess = (None, None) if first is None else (first.source, first.guess)
    return changed(field, source=source, guess=guess, others=tuple(others))
