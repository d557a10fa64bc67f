"""Moments that columns keep as texts are texts again where a world file says that they hold something else."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from ..expression import only_compares
from ..model import Entity, Field
from ..model.changing import changed
from ..model.literals import is_moment
from ..model.types import MOMENTS
from ..values import find_kind
from .field_sections import FieldSection
from .grammar import EntitySection

_MAKES_TEXT = re.compile(r"(?i)\|\||\b(concat|strftime|to_char|lpad|rpad|upper|lower|replace|substr)\b")


def texts_as_said(entity: Entity, part: EntitySection) -> Entity:
    if not any(field.type.written for field in entity.fields):
        return entity
    fields = tuple(
        changed(field, type=field.type.stored) if field.type.written and _is_no_moment(field, part) else field
        for field in entity.fields
    )
    return replace(entity, fields=fields)


def _is_no_moment(field: Field, part: EntitySection) -> bool:
    wish = part.fields.get(field.name)
    given = [*_fixed(field, part.fixed), *(_values(wish) if wish is not None else ())]
    if any(value is not None and not is_moment(str(value), field.type) for value in given):
        return True
    if any(not only_compares(text, None, field.name) for text in part.checks):
        return True
    if wish is None:
        return False
    told = [case.of for case in wish.kind] if isinstance(wish.kind, list) else [wish.kind]
    kinds = [case if case is None or isinstance(case, str) else next(iter(case), None) for case in told]
    other_kind = any(kind is not None and (known := find_kind(kind)) is not None and not known.suits <= MOMENTS for kind in kinds)
    shaped = wish.pattern is not None or wish.properties is not None or wish.items is not None
    return other_kind or shaped or (wish.compute is not None and _MAKES_TEXT.search(wish.compute) is not None)


def _fixed(field: Field, rows: Any) -> Iterator[Any]:
    for row in rows if isinstance(rows, list) else ():
        if isinstance(row, Mapping) and field.name in row:
            yield row[field.name]


def _values(wish: FieldSection) -> Iterator[Any]:
    yield wish.const
    if isinstance(wish.weights, dict):
        yield from wish.weights
    for case in wish.weights if isinstance(wish.weights, list) else ():
        yield from case.of
