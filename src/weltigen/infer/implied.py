"""Ends that follow from an order of two columns: of `a <= b`, where b is at most 9, a is at most 9 too.

Where such a check is met by attempts, or worked out, values that could never keep it are not even tried.
"""

from __future__ import annotations

import re
from dataclasses import replace
from decimal import Decimal, InvalidOperation
from typing import Any

from sqlglot import exp

from ..expression import NotEvaluableError, condition_tree
from ..model import Bound, Check, Entity, Field, TypeName, World
from ..model.changing import changed
from ..model.fields import Comparison
from ..model.literals import read_stored
from ..model.origins import Origin, Status
from ..model.types import INTEGERS, NUMBERS, ORDERED, TEXTS
from .conditions import bare, conjuncts

_LOWER: dict[type, Comparison] = {exp.LT: "<", exp.LTE: "<="}
_HIGHER: dict[type, Comparison] = {exp.GT: ">", exp.GTE: ">="}


_TRUE = ("1", "t", "true", "yes", "on")


def imply_ends(world: World) -> World:
    """The world with ends that open checks over two columns imply, and texts that indexes over their beginning tell apart."""
    entities = tuple(_told_apart(_implied(world, entity)) for entity in world.entities)
    return replace(world, entities=entities)


_BEGINNING = re.compile(r"\(*left\((\w+), (\d+)\)\)*")
_SHORT = 8  # characters below which texts would be no texts any more


def _told_apart(entity: Entity) -> Entity:
    """MySQL's unique index over the first characters of a text: where no text is longer, these tell all of it apart."""
    rules = [rule for rule in entity.uniques if rule.expressions]
    begun = [found for rule in rules for text in rule.expressions if (found := _BEGINNING.fullmatch(text)) is not None]
    ends = {found[1].lower(): int(found[2]) for found in begun if int(found[2]) >= _SHORT}
    if not ends:
        return entity
    fields = []
    for field in entity.fields:
        end = ends.get(field.name.lower())
        shorter = end is not None and field.type.name in TEXTS and (field.room is None or field.room > end)
        fields.append(changed(field, limits=changed(field.limits, max_length=end)) if shorter else field)
    return replace(entity, fields=tuple(fields))


def _implied(world: World, entity: Entity) -> Entity:
    found: dict[str, tuple[Bound, ...]] = {}
    parts = [(part, check) for check in entity.checks for part in _parts(check)]
    unlike = [{side.name for side in sides} for part, _ in parts if isinstance(part, exp.NEQ) and (sides := _sides(entity, part))]
    for part, check in parts:
        if check.status is Status.OPEN:
            for name, bound in _of_order(world, entity, part, check, unlike):
                if bound not in entity.field(name).limits.bounds and _holds(entity.field(name), bound.operand):
                    found[name] = (*found.get(name, ()), bound)
    if not found:
        return entity
    fields = tuple(
        changed(f, limits=changed(f.limits, bounds=(*f.limits.bounds, *found[f.name]))) if f.name in found else f
        for f in entity.fields
    )
    return changed(entity, fields=fields)


def _parts(check: Check) -> list[Any]:
    if check.status is Status.UNREADABLE:
        return []
    try:
        return conjuncts(condition_tree(check.expression, check.dialect))
    except NotEvaluableError:
        return []


def _sides(entity: Entity, node: Any) -> list[Field]:
    """The two fields that a comparison is about; none where it is about anything else."""
    sides = [_field(entity, side) for side in (node.this, node.expression)]
    return [side for side in sides if side is not None] if None not in sides else []


def _of_order(world: World, entity: Entity, node: Any, check: Check, unlike: list[set[str]]) -> list[tuple[str, Bound]]:
    """`unlike`: pairs of fields that must differ, so that one at most as great is less."""
    comparison = _LOWER.get(type(node)) or _HIGHER.get(type(node))
    sides = _sides(entity, node) if comparison is not None else []
    if comparison is None or not sides:
        return []
    low, high = sides if type(node) in _LOWER else reversed(sides)
    numbers = NUMBERS | {TypeName.BOOLEAN}
    if low.type.name is not high.type.name and not {low.type.name, high.type.name} <= numbers:
        return []
    strict = "=" not in comparison or {low.name, high.name} in unlike
    out = []
    if _is_open(entity, low) and (end := _end(world, entity, high, upper=True)) is not None:
        out.append((low.name, _bound("<" if strict else "<=", end, check)))
    if _is_open(entity, high) and (end := _end(world, entity, low, upper=False)) is not None:
        out.append((high.name, _bound(">" if strict else ">=", end, check)))
    return out


def _holds(field: Field, end: str) -> bool:
    """Whether an end lies within what the type holds: one beyond it says nothing."""
    try:
        read_stored(str(int(Decimal(end))) if field.type.name in NUMBERS and "." not in end else end, field.type)
    except ValueError:
        return False
    return field.type.name not in INTEGERS or Decimal(end) == int(Decimal(end))


def _bound(comparison: Comparison, end: str, check: Check) -> Bound:
    return Bound(comparison=comparison, operand=end, place=check.place, origin=Origin.CHECK, because=str(check))


def _field(entity: Entity, node: Any) -> Field | None:
    node = bare(node)
    if not isinstance(node, exp.Column) or node.table:
        return None
    return next((field for field in entity.fields if field.name.lower() == node.name.lower()), None)


def _is_open(entity: Entity, field: Field) -> bool:
    """Whether ends say anything to a field: one of an ordered type that follows no reference."""
    return field.type.name in ORDERED and not any(field.name in relation.columns for relation in entity.relations)


def _end(world: World, entity: Entity, field: Field, *, upper: bool) -> str | None:
    """The greatest, or the least value that a column can have, as its limits tell; of a reference, those of what it refers to."""
    for relation in entity.relations:
        if field.name in relation.columns and world.has(relation.target):
            target = world.entity(relation.target)
            name = relation.target_columns[relation.columns.index(field.name)]
            if target.has(name) and not any(name in r.columns for r in target.relations):
                return _end(world, target, target.field(name), upper=upper)
            return None
    if field.type.name is TypeName.BOOLEAN:
        listed = [int(value.lower() in _TRUE) for allowed in field.limits.allowed for value in allowed.values]
        return str((max(listed) if upper else min(listed)) if listed else int(upper))
    if field.type.name not in ORDERED:
        return None
    try:
        ends = [_read(b.operand, field) for b in field.limits.bounds if not b.path and (b.comparison[0] == "<") == upper]
        lists = [[_read(value, field) for value in allowed.values] for allowed in field.limits.allowed]
    except (InvalidOperation, ValueError):
        return None
    ends += [max(values) if upper else min(values) for values in lists if values]
    if not ends:
        return None
    _, text = min(ends) if upper else max(ends)
    return text


def _read(text: str, field: Field) -> tuple[Any, str]:
    """A limit, to be compared with others, and as it is written."""
    if field.type.name in NUMBERS:
        value = Decimal(text)
        return value, f"{value:f}"
    return read_stored(text, field.type), text
