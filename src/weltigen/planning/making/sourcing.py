"""Where a field's values come from: a constant, weights, a pattern, a shape, a kind, or what its type suggests."""

from __future__ import annotations

import re
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import fields, replace

import numpy as np
import pyarrow as pa
from sqlglot import exp

from ...model import ConstSource, Entity, Field, FieldType, KindSource, PatternSource, ShapeSource, TypeName, WeightsSource
from ...model.changing import changed
from ...model.folding import Fold, folded
from ...model.literals import Value, read_literal
from ...model.origins import Status
from ...model.paths import Path, field_at, may_lead_nowhere, resolve_path
from ...model.problems import nearest
from ...model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from ...plan.entity import EntityPlan
from ...plan.fields import (
    ByWeight,
    Constant,
    Converted,
    Drawn,
    Even,
    FieldPlan,
    Matching,
    OfKind,
    OfPerson,
    OfType,
    OneOf,
    Shaped,
)
from ...plan.own_checks import OwnCheck
from ...plan.plan import Plan
from ...randomness.quantiles import STEPS, Table, exponential, histogram, humps, normal, skewed, through, triangular, zipf
from ...randomness.quota import choose, thresholds
from ...values import FromText, Kind, KindError, PersonPart, Prepared, Request, Values, get_kind
from ...values.pools import taker, text_pool
from ...values.standards import octets, of_database_type
from ..knowledge.limits import Range, broken_limits
from .counting_up import counting_up
from .sieving import keeping

_USUAL_OCTETS, _LARGEST = 16, 1 << 20  # bytes of a value where nothing says how many
_PATTERNED = TEXTS | {TypeName.OTHER}  # types of which any text of a pattern may be a value


_BY_TYPE = dict.fromkeys(NUMBERS, "number") | dict.fromkeys(MOMENTS, "date-time") | {
    TypeName.TIME: "time", TypeName.BOOLEAN: "boolean", TypeName.UUID: "uuid",
}  # fmt: skip


def by_source(
    plan: Plan, entity_plan: EntityPlan, base: FieldPlan, request: Request, values: list[Value] | None, span: Range
) -> FieldPlan:
    """The field with its way of filling: what is said, else its limits, else its type; KindError where none serves."""
    field, source = base.field, base.field.source
    match source:
        case ConstSource(value=text):
            if rules := broken_limits(field, text, span, values):
                raise KindError(f"it is always '{text}', which {' and '.join(dict.fromkeys(rules))} does not allow")
            return changed(base, way=Constant(pa.scalar(read_literal(text, field.type), field.type.arrow())))
        case WeightsSource(weights=weights):
            pool, drawn = _weighted(entity_plan.entity, field, weights, values, span)
            return changed(base, way=Drawn(_listed(pool, field, drawn, request.fold), ByWeight(weights)))
        case PatternSource(pattern=pattern) if values is not None:
            left: list[Value] = [value for value in values if isinstance(value, str) and re.fullmatch(pattern, value)]
            if not left:
                listed = ", ".join(map(str, values[:6]))
                raise KindError(f"none of its values matches {pattern}: {listed}{', …' if len(values) > 6 else ''}")
            return changed(base, way=Drawn(_listed(left, field, None, request.fold), OneOf(tuple(left))))
        case PatternSource() if field.type.name not in _PATTERNED:
            raise KindError(f"{field.type} is no text, so no pattern can fill it")
        case PatternSource(pattern=pattern):
            return changed(base, way=_matching(replace(request, least=field.limits.min_length or 0), pattern))
        case ShapeSource() if values is not None:
            raise KindError(f"its values are listed, and shape {source.shape} gives any number")
        case ShapeSource():
            return _shaped(base, request, source)
    if field.limits.patterns and not isinstance(source, KindSource):
        pattern = field.limits.patterns[0].pattern
        if (
            field.type.name is TypeName.CHAR and field.type.length
        ):  # what is shorter is filled up with blanks, which match nothing
            with suppress(KindError):
                return changed(base, way=_matching(replace(request, least=field.type.length), pattern))
        return changed(base, way=_matching(request, pattern))
    if values is not None and isinstance(source, KindSource) and source.kind == "side":  # which names two of them
        told = dict(source.parameters)
        if not {told.get("first"), told.get("then")} <= set(map(str, values)):
            raise KindError(f"its values are listed: {', '.join(map(str, values[:6]))}")
        return _of_kind(plan, entity_plan, base, request, source)
    if values is not None:
        if isinstance(source, KindSource) and not field.free:
            raise KindError(f"its values are listed, so kind {source.kind} says nothing")
        return changed(base, way=Drawn(_listed(values, field, None, request.fold), OneOf(tuple(values))))
    if _counts_up(entity_plan.entity, field):
        # what became limits needs no looking through numbers
        checks = [one for one in entity_plan.own_checks.get(field.name, ()) if one.check.status is not Status.MET]
        keeps, named = (keeping(base, checks), _named(checks)) if checks else (None, [])
        return changed(base, way=counting_up(entity_plan, base, request.seed, keeps, named), kept=bool(checks))
    if isinstance(source, KindSource):
        return _of_kind(plan, entity_plan, base, request, source)
    return changed(base, way=_by_type(field, request))


def _matching(request: Request, pattern: str) -> Drawn:
    prepared = get_kind("pattern").prepare(replace(request, parameters={"of": pattern}))
    assert isinstance(prepared, Values)
    return Drawn(prepared, Matching(pattern))


def _beyond(entity_plan: EntityPlan, field: Field) -> int:
    """How far behind the number of their row numbers begin, so that none of the given rows' texts ends in one of them."""
    first = entity_plan.origin or entity_plan
    given = [int(end[0][-9:]) for row in first.entity.fixed if (end := re.search(r"[0-9]+$", dict(row).get(field.name) or ""))]
    return max(0, max(given, default=0) - first.fixed)


def _of_kind(plan: Plan, entity_plan: EntityPlan, base: FieldPlan, request: Request, source: KindSource) -> FieldPlan:
    kind = get_kind(source.kind)
    in_bytes = base.field.type.name is TypeName.BYTEA and TypeName.BYTEA not in kind.suits
    prepared = _in_bytes(kind, request) if in_bytes else _prepared(kind, request)
    if base.cell_bounds and "hours" in request.parameters:
        raise KindError("hours cannot be kept beside a bound that is another cell")
    match prepared:
        case PersonPart():
            return changed(base, way=OfPerson(prepared, source.kind))
        case FromText() if base.cell_bounds:
            raise KindError(f"kind {source.kind} keeps no bound that is another cell")
        case FromText():
            return changed(base, way=_converted(plan, entity_plan, base.field, prepared, source.kind))
    step = _step_of(base, prepared) if base.axis is not None and base.cell_bounds else base.step
    return changed(base, way=Drawn(prepared, OfKind(source.kind)), step=step)


def _converted(plan: Plan, entity_plan: EntityPlan, field: Field, made: FromText, kind: str) -> Converted:
    path = _path(plan, entity_plan, made.field)
    of = field_at(plan.world, entity_plan.entity, path)
    types, what = _MADE_FROM[made.of_moments, made.of_numbers]
    if made.in_turn and entity_plan.owner is None:
        raise KindError("only rows of an owner are written in turn: rows: {per: …}")
    if of.type.name not in types and not (made.in_turn and kind == "side"):
        raise KindError(f"it is made from {what}, and {made.field} is {of.type}")
    may_lack = of.nullable or may_lead_nowhere(plan.world, entity_plan.entity, path)
    beside = _path(plan, entity_plan, made.beside) if made.beside is not None else None
    return Converted(made, kind, path, may_lack, _beyond(entity_plan, field) if made.numbered else 0, beside)


def _path(plan: Plan, entity_plan: EntityPlan, said: str) -> Path:
    try:
        return resolve_path(plan.world, entity_plan.entity, said)
    except KeyError:
        hint = nearest(said, entity_plan.entity.field_names)
        raise KindError(f"{entity_plan.name} has no field '{said}' to make it from{f'; {hint}' if hint else ''}") from None


_WORDED = TEXTS | {TypeName.ENUM, TypeName.OTHER}
_MADE_FROM = {
    (False, False): (_WORDED, "a text"), (True, False): (MOMENTS, "a date or a time"), (False, True): (NUMBERS, "a number"),
    (True, True): (MOMENTS | INTEGERS, "a date, a time or a whole number of seconds"),
}  # fmt: skip
_PREPARED: dict[object, Prepared] = {}
_MOST_PREPARED = 8_192


def _prepared(kind: Kind, request: Request) -> Prepared:
    """The values of a kind; those of fields that ask for the same are the same, which a large model has many of."""
    key = (kind.prepare, *(getattr(request, name) for name in _ASKED), tuple(request.parameters.items()))
    found = _PREPARED.get(key)
    if found is None:
        if len(_PREPARED) >= _MOST_PREPARED:
            _PREPARED.clear()
        found = _PREPARED[key] = kind.prepare(request)
    return found


_ASKED = tuple(part.name for part in fields(Request) if part.name != "parameters")


def _in_bytes(kind: Kind, request: Request) -> Values:
    """A kind of texts in UTF-8. A fifth of the room is left to letters that need two bytes."""
    room = None if request.room is None else max(1, request.room * 4 // 5)
    texts = kind.prepare(replace(request, type=FieldType(name=TypeName.TEXT), room=room))
    if not isinstance(texts, Values):
        raise KindError(f"kind {kind.name} does not fill bytes")
    return replace(texts, decode=lambda positions: texts.decode(positions).cast(pa.binary()))


def _step_of(base: FieldPlan, values: Values) -> int:
    """The distance between neighbours on the axis, read off the first two values."""
    if values.space < 2 or base.axis is None:
        return base.step
    first = base.axis.read(values.decode(np.arange(2, dtype=np.uint64)))
    return int(first[1] - first[0])


def _by_type(field: Field, request: Request) -> Constant | Drawn:
    """The way that the type alone suggests."""

    def values_of(kind: str, **parameters: str) -> Values:
        prepared = get_kind(kind).prepare(replace(request, parameters=parameters) if parameters else request)
        assert isinstance(prepared, Values)
        return prepared

    match field.type.name:
        case TypeName.JSON:
            return Constant(pa.scalar("{}"), said=False)
        case TypeName.ARRAY:
            return Constant(pa.scalar([], field.type.arrow()), said=False)
        case TypeName.BYTEA:
            most = _LARGEST if field.room is None else field.room
            return Drawn(octets(max(min(_USUAL_OCTETS, most), field.limits.min_length or 0)), OfType())
        case TypeName.BIT:
            return Drawn(values_of("pattern", of=f"[01]{{{field.type.length or 8}}}"), OfType())
        case TypeName.INTERVAL | TypeName.INET | TypeName.MACADDR:
            kind = {TypeName.INTERVAL: "duration", TypeName.INET: "ipv4"}.get(field.type.name, "mac-address")
            return Drawn(values_of(kind), OfKind(kind, by_type=True))
    if field.type.name in _BY_TYPE:
        kind = _BY_TYPE[field.type.name]
        return Drawn(values_of(kind), OfKind(kind, by_type=True))
    known = of_database_type(field.type, request.window)
    return Drawn(known, OfType()) if known is not None else Drawn(values_of("code"), OfType(known=False))


def _named(checks: Sequence[OwnCheck]) -> list[int]:
    """The whole numbers that checks speak of."""
    texts = {node.this for one in checks for node in one.expression.tree.find_all(exp.Literal) if not node.is_string}
    return [int(text) for text in texts if text.isdigit()]


def _counts_up(entity: Entity, field: Field) -> bool:
    if not field.type.counts or field.source is not None:
        return False
    return entity.key == (field.name,) or field.identity or field.numbering is not None


def _weighted(
    entity: Entity, field: Field, weights: tuple[tuple[str, float], ...], values: list[Value] | None, span: Range
) -> tuple[list[Value], list[float]]:
    pool, drawn = [], []
    if field.follows:  # ranks are positions in the order of the values
        weights = tuple(sorted(weights, key=lambda pair: read_literal(pair[0], field.type)))
    for text, weight in weights:
        if weight > 0 and (rules := broken_limits(field, text, span, values)):
            raise KindError(f"weights give '{text}', which {' and '.join(rules)} does not allow")
        pool.append(read_literal(text, field.type))
        drawn.append(weight)
    return pool, drawn


def _listed(values: list[Value], field: Field, weights: list[float] | None, fold: Fold = Fold.EXACT) -> Values:
    if fold is not Fold.EXACT:  # of values that a rule takes for equal the first stands for all
        first: dict[str, int] = {}
        for number, value in enumerate(values):
            at = first.setdefault(folded(str(value), fold), number)
            if at != number and weights is not None:
                weights[at] += weights[number]
        weights = [weights[at] for at in first.values()] if weights is not None else None
        values = [values[at] for at in first.values()]
    pool = text_pool(map(str, values)) if pa.types.is_string(field.type.arrow()) else pa.array(values, field.type.arrow())
    if weights is None:
        return Values(space=len(pool), decode=taker(pool))
    ends = thresholds(weights)
    return Values(space=len(pool), decode=taker(pool), draw=lambda words: choose(ends, words).astype(np.uint64, copy=False))


def _shaped(base: FieldPlan, request: Request, source: ShapeSource) -> FieldPlan:
    if base.axis is None:
        raise KindError(f"{base.field.type} has no shape: it is not a number")
    if source.shape == "even":
        kind = "number" if base.field.type.name not in MOMENTS | {TypeName.TIME} else "date-time"
        even = get_kind(kind).prepare(request)
        assert isinstance(even, Values)
        return changed(base, way=Drawn(even, Even()))
    knots = _knots(source) * 10.0**base.axis.scale
    if source.shape == "steps":
        knots = knots - 0.5  # a step ends below where the next one begins, whatever is rounded
    least, most = base.axis.natural_limits
    low = least if base.low is None else base.low
    high = most if base.high is None else base.high
    table = _truncated(knots, low, high)
    if table is None:
        raise KindError(f"shape {source.shape} gives nothing between {base.axis.value(low)} and {base.axis.value(high)}")
    numbers = get_kind("number").prepare(request)
    assert isinstance(numbers, Values)
    return changed(base, way=Shaped(source.shape, table, numbers), low=low, high=high)


def _knots(source: ShapeSource) -> Table:
    given = dict(source.parameters)
    match source.shape:
        case "normal":
            return normal(given["mean"], given["sd"])
        case "skewed":
            return skewed(given["median"], given["p95"])
        case "triangular":
            return triangular(given["low"], given["peak"], given["high"])
        case "humps":
            return humps(given["first"], given["second"], given["sd"], given["share"])
        case "zipf":
            return zipf(given["exponent"], given["most"])
        case "quantiles":
            return through(tuple(given.values()))
        case "steps":
            return histogram(tuple(map(float, given)), tuple(given.values()))
        case _:
            return exponential(given["mean"])


def _truncated(knots: Table, low: int, high: int) -> Table | None:
    """The part of a quantile table whose values lie within the limits, stretched over all quantiles."""
    levels = np.linspace(0, 1, knots.size)
    inside = np.interp([low, high], knots, levels)
    # of a value that many quantiles have all are within
    inside[0] = levels[np.searchsorted(knots, low, "left")] if low in knots else inside[0]
    inside[1] = levels[np.searchsorted(knots, high, "right") - 1] if high in knots else inside[1]
    if inside[0] >= inside[1]:
        return None
    if (inside[0], inside[1]) == (0.0, 1.0):
        return knots
    at = inside[0] + (inside[1] - inside[0]) * np.arange(STEPS + 1) / STEPS
    cut = np.interp(at, np.linspace(0, 1, knots.size), knots)
    return np.array([float(f"{value:.12g}") for value in np.clip(cut, low, high)])
