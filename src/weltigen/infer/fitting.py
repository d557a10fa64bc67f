"""Guessed formulas keep to their type: a total that its column has no room for is cut off there, or is not worked out at all."""

from __future__ import annotations

import ast
import re
from collections import ChainMap
from collections.abc import Iterator, Mapping
from dataclasses import replace

from ..model import ComputeSource, Entity, Field, KindSource, TypeName, WeightsSource, World
from ..model.changing import changed
from ..model.types import MOMENTS, NUMBERS
from .free import next_other

_WHOLE = {TypeName.SMALLINT: 32_767, TypeName.INTEGER: 2_147_483_647}
# above so many times its room a formula would hardly ever hold
_HOPELESS = 12
# types up to here are watched also where nobody knows how much a formula comes to; counts and days are less than the second
_NARROW, _OF_COUNTS = 40_000.0, 30_000.0
_ABOVE = 3.0  # times the greater of two ranges, up to which what is kept above the other may lie
_MILLISECONDS = 1e10  # of some months, for which no integer of 32 bits has room
_OF_MANY = 10_000_000  # what numbers that must differ may come to
_DEEPEST = 6
_ROWS_OF_ONE = 8  # that a sum is over, mostly
_TIMES_AT_MOST = 25  # so many times as many, of the most popular row of all


def fit_formulas(world: World) -> World:
    """Formulas with an upper end where their type may have no room; without it the rows could not be made."""
    of_all = {f"{entity.name}.{field.name}": field for entity in world.entities for field in _unsure(entity)}
    return replace(world, entities=tuple(_fitted(entity, of_all) for entity in world.entities))


def _fitted(entity: Entity, of_all: dict[str, Field]) -> Entity:
    if not any(isinstance(field.source, ComputeSource) for field in entity.fields):
        return entity
    by_name = ChainMap({field.name: field for field in _unsure(entity)}, of_all)
    return changed(entity, fields=tuple(_fit(field, by_name) for field in entity.fields))


def _unsure(entity: Entity) -> Iterator[Field]:
    """The fields; of those whose values must differ the guess gives way where it has too few, so that they may be far larger."""
    alone = {rule.columns[0] for rule in entity.unique_rules if len(rule.columns) == 1}
    far = KindSource(kind="number", parameters=(("to", str(_OF_MANY)),))
    for field in entity.fields:
        few = isinstance(field.source, KindSource | WeightsSource)
        yield changed(field, source=far) if field.name in alone and few else field


def _fit(field: Field, by_name: Mapping[str, Field]) -> Field:
    source = field.source
    if not isinstance(source, ComputeSource) or field.guess is None or field.type.name not in NUMBERS:
        return field
    room = _room(field)
    if room is None:
        return field
    most = _most_of(source.expression, by_name, 0)
    times = _TIMES_AT_MOST if "sum(" in source.expression else 1
    fits = _is_wide(source.expression, room, by_name) if most is None else most * times <= room
    deepest = _depth_of(source.expression, by_name)
    falls = not _is_wide(source.expression, room, by_name) if deepest is None else deepest > room
    if fits and not falls:
        return field
    if most is not None and most > _HOPELESS * room and field.others:
        return next_other(field)
    end = f"{room:.{field.type.digits[1] if field.type.name is TypeName.NUMERIC else 0}f}"
    ends = ([] if fits else [f"WHEN {source.expression} > {end} THEN {end}"]) + (
        [f"WHEN {source.expression} < -{end} THEN -{end}"] if falls else []
    )
    capped = f"CASE {' '.join(ends)} ELSE {source.expression} END"
    return changed(field, source=changed(source, expression=capped))


def _is_wide(expression: str, room: float, by_name: Mapping[str, Field]) -> bool:
    """Whether a type has room for what nobody knows the end of."""
    seconds = "epoch" in expression or any(
        one in by_name and isinstance(source := by_name[one].source, KindSource) and source.kind == "epoch"
        for one in re.findall(r"\w+", expression)
    )
    if seconds and "epoch" not in expression and re.search(r"\* 1000\b", expression):
        return room >= _MILLISECONDS
    return room >= (_NARROW if seconds and not re.search("/ (3600|86400)", expression) else _OF_COUNTS)


def _room(field: Field) -> float | None:
    """The greatest number of a type; None where it has room for any amount."""
    if field.type.name is TypeName.NUMERIC:
        precision, scale = field.type.digits
        return None if field.type.precision is None else float(10 ** (precision - scale)) - 10.0**-scale
    own = _WHOLE.get(field.type.name)
    return own if field.type.most is None else float(min(field.type.most, own or field.type.most))


def _most(field: Field, by_name: Mapping[str, Field], depth: int) -> float | None:
    """The most that a guess makes of a field; None where that is not known."""
    match field.source:
        case ComputeSource(expression=expression) if depth < _DEEPEST:
            own, room = _most_of(expression, by_name, depth + 1), _room(field)
            if own is None:  # cut off at its room, where that is narrow
                return None if room is None or _is_wide(expression, room, by_name) else room
            return own if room is None else min(own, room)
        case KindSource(kind="number", parameters=parameters):
            end = dict(parameters).get("to")
            return None if end is None else _raised(field, float(end), by_name, depth)
        case WeightsSource() as weights:
            try:
                return max(map(float, weights.values()))
            except ValueError:
                return None
    return None


def _raised(field: Field, most: float, by_name: Mapping[str, Field], depth: int) -> float:
    """The most of a number that a check keeps above another one, as a quantity above its price: it lies further up then."""
    for bound in field.limits.bounds:
        below = by_name.get(bound.operand) if bound.path and bound.comparison in (">", ">=") and depth < _DEEPEST else None
        if below is not None and below.type.name not in MOMENTS and (least := _most(below, by_name, depth + 1)) is not None:
            most = max(most, _ABOVE * max(most, least))
    return most


def _most_of(expression: str, by_name: Mapping[str, Field], depth: int) -> float | None:
    try:
        return _upper(ast.parse(expression, mode="eval").body, by_name, depth)
    except SyntaxError:  # SQL that reads otherwise than plain arithmetic does
        return None


def _depth_of(expression: str, by_name: Mapping[str, Field]) -> float | None:
    """How far below nothing an expression goes; None where nobody knows how much it takes off."""
    try:
        return _depth(ast.parse(expression, mode="eval").body, by_name)
    except SyntaxError:
        return 0.0


def _is_moment(by_name: Mapping[str, Field], name: str) -> bool:
    return name in by_name and by_name[name].type.name in MOMENTS


def _depth(node: ast.expr, by_name: Mapping[str, Field]) -> float | None:
    match node:
        case ast.BinOp(op=ast.Sub(), right=ast.Name(id=name) | ast.Constant(value=str() as name)) if _is_moment(by_name, name):
            return 0.0  # the later of two moments stands first
        case ast.BinOp(left=left, op=ast.Sub(), right=right):
            parts = [_depth(left, by_name), _upper(right, by_name, 0)]
        case ast.BinOp(left=left, right=right):
            parts = [_depth(left, by_name), _depth(right, by_name)]
        case ast.Call(args=[first, *_]):
            return _depth(first, by_name)
        case _:
            return 0.0
    return None if None in parts else sum(part for part in parts if part is not None)


def _upper(node: ast.expr, by_name: Mapping[str, Field], depth: int) -> float | None:
    """An upper end of an expression whose fields are not below nothing; None where none is known."""
    match node:
        case ast.Constant(value=int() | float() as value):
            return float(value)
        case ast.Name(id=name) | ast.Constant(value=str() as name) if name in by_name:  # a name in quotes reads as a text
            return _most(by_name[name], by_name, depth)
        case ast.BinOp(left=left, op=op, right=right):
            first, second = _upper(left, by_name, depth), _upper(right, by_name, depth)
            match op:
                case ast.Sub():
                    return first
                case ast.Add() if first is not None and second is not None:
                    return first + second
                case ast.Mult() if first is not None and second is not None:
                    return first * second
                case ast.Div() if first is not None and (least := _lower(right)) > 0:
                    return first / least
        case ast.Call(func=ast.Name(id="round" | "floor" | "ceil" | "abs"), args=[first, *_]):
            return _upper(first, by_name, depth)
        case ast.Call(func=ast.Name(id="sum"), args=[ast.Attribute(value=ast.Name(id=child), attr=name)]):
            part = by_name.get(f"{child}.{name}")
            each = None if part is None else _most(part, by_name, depth)
            return None if each is None else each * _ROWS_OF_ONE
        case ast.Call(func=ast.Name(id="coalesce" | "greatest"), args=[_, *_] as those):
            ends = [_upper(one, by_name, depth) for one in those]
            return None if None in ends else max(end for end in ends if end is not None)
    return None


def _lower(node: ast.expr) -> float:
    """A lower end of what is divided by: its constants, where only sums of them and of fields are."""
    match node:
        case ast.Constant(value=int() | float() as value):
            return float(value)
        case ast.BinOp(left=left, op=ast.Add(), right=right):
            return _lower(left) + _lower(right)
    return 0.0
