"""Guesses on the two sides of a comparison that a check makes: their ranges leave it room, or one of them gives way."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from sqlglot import exp

from ..expression import NotEvaluableError, condition_tree
from ..model import Entity, Field, KindSource, WeightsSource, World
from ..model.changing import changed
from ..model.origins import Origin, Status
from ..model.types import MOMENTS, NUMBERS
from .conditions import bare, conjuncts
from .free import next_other

_ORDERS = {exp.LT: False, exp.LTE: False, exp.GT: True, exp.GTE: True}
_EPOCHS = 1.0e9, 1.8e9  # seconds since 1970, of moments that people still speak of
_BIRTHS, _OF_LATE = (1_930.0, 2_010.0), (2_020.0, 2_030.0)  # years
_PLAIN = 1.0, 1_000.0  # of a number that nothing else is known of
_SHARE = 0.25  # of the narrower range that the two have in common, at least


def leave_room(world: World) -> World:
    """Only rules keep such fields apart whose comparison no limit expresses: these are drawn from their whole ranges."""
    return replace(world, entities=tuple(_with_room(entity) if entity.checks else entity for entity in world.entities))


def _with_room(entity: Entity) -> Entity:
    fields = {field.name: _not_of_few(entity, field) for field in entity.fields}
    for lower, upper in _compared(entity):
        sides = (fields[lower], fields[upper])
        if all(side.free for side in sides) and any(all(side.type.name in kind for side in sides) for kind in (NUMBERS, MOMENTS)):
            fields |= _parted(fields, lower, upper)
    while (late := next(filter(None, (_after_now(field, fields) for field in fields.values())), None)) is not None:
        fields[late.name] = late
    return changed(entity, fields=tuple(fields.values())) if tuple(fields.values()) != entity.fields else entity


def _after_now(field: Field, fields: Mapping[str, Field]) -> Field | None:
    """The moment that is no longer guessed to be over, where a check puts it after one that may be to come."""
    source = field.source
    if not isinstance(source, KindSource) or field.guess is None or ("when", "past") not in source.parameters:
        return None
    after = (b.operand for b in field.limits.bounds if b.path and b.comparison in (">", ">=") and b.origin is not Origin.GUESSED)
    for other in (fields[name].source for name in after if name in fields):
        if isinstance(other, KindSource) and other.kind in ("moment", "date-time") and ("when", "past") not in other.parameters:
            parameters = tuple((name, "around" if name == "when" else value) for name, value in source.parameters)
            return changed(field, source=replace(source, parameters=parameters))
    return None


def _not_of_few(entity: Entity, field: Field) -> Field:
    """A number that a check bounds by another column is not one of a few where all of these may lie outside."""
    if not isinstance(field.source, WeightsSource) or not field.free or field.limits.allowed:
        return field
    least, most = _range(field.source)
    for bound in field.limits.bounds:
        if not bound.path or not entity.has(bound.operand) or bound.origin is Origin.GUESSED:
            continue
        other = entity.field(bound.operand)
        low, high = _range(other.source) if other.free else (-_PLAIN[1], _PLAIN[1])
        above = bound.comparison in (">", ">=")
        farthest, end = (most, high) if above else (-least, -low)
        if farthest < end or (farthest == end and bound.comparison in (">", "<")):  # in some rows none of them would do
            others = [at for at, one in enumerate(field.others) if not isinstance(one.source, WeightsSource)]
            return next_other(field, others[0]) if others else field
    return field


def _compared(entity: Entity) -> Iterator[tuple[str, str]]:
    """The columns of comparisons that are still to be kept: the one that must be below, and the one above it."""
    folded = {name.lower(): name for name in entity.field_names}
    for check in entity.checks:
        if check.status is not Status.OPEN:
            continue
        try:
            parts = conjuncts(condition_tree(check.expression, check.dialect))
        except NotEvaluableError:
            continue
        for node in (part.unnest() for part in parts):
            if type(node) in _ORDERS:
                sides = [bare(side) for side in (node.this, node.expression)]
                names = [folded.get(side.name.lower()) if isinstance(side, exp.Column) else None for side in sides]
                if names[0] is not None and names[1] is not None and names[0] != names[1]:
                    yield (names[1], names[0]) if _ORDERS[type(node)] else (names[0], names[1])


def _parted(fields: Mapping[str, Field], lower: str, upper: str) -> dict[str, Field]:
    """The one of two fields that must give way, as the first of its candidates that has room; none where there is room anyway."""
    below, above = fields[lower], fields[upper]
    if _has_room(_range(below.source), _range(above.source)):
        return {}
    surest = sorted((below, above), key=lambda field: field.guess.confidence if field.guess is not None else 0.0)
    for field in surest:
        for number, candidate in enumerate(field.others):
            made = _range(candidate.source)
            if _has_room(made, _range(above.source)) if field is below else _has_room(_range(below.source), made):
                return {field.name: next_other(field, number)}
    plain = {field.name: next_other(field, len(field.others) - 1) for field in (below, above) if field.others}
    return plain if len(plain) == 2 else {}


def _has_room(below: tuple[float, float], above: tuple[float, float]) -> bool:
    """Whether enough values of the one range lie below enough of the other."""
    return below[0] + _SHARE * (below[1] - below[0]) < above[1] and below[0] < above[1] - _SHARE * (above[1] - above[0])


def _range(source: object) -> tuple[float, float]:
    match source:
        case KindSource(kind="number", parameters=parameters):
            said = dict(parameters)
            return float(said.get("from", _PLAIN[0])), float(said.get("to", _PLAIN[1]))
        case KindSource(kind="epoch"):
            return _EPOCHS
        case KindSource(kind="bday"):
            return _BIRTHS
        case KindSource(kind="moment" | "date-time" | "date"):
            return _OF_LATE
        case WeightsSource() as weights:
            try:
                values = [float(value) for value in weights.values()]
            except ValueError:
                return _PLAIN
            return min(values), max(values)
    return _PLAIN
