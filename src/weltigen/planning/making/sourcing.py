"""Where a field's values come from: a constant, weights, a pattern, a shape, a kind, or what its type suggests."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa

from ...model import ConstSource, Entity, Field, KindSource, PatternSource, ShapeSource, TypeName, WeightsSource
from ...model.changing import changed
from ...model.folding import Fold, folded
from ...model.literals import Value, read_literal
from ...model.types import INTEGERS, MOMENTS
from ...plan.entity import EntityPlan
from ...plan.fields import FieldPlan
from ...randomness.quantiles import STEPS, Table, exponential, normal, skewed
from ...randomness.quota import choose, thresholds
from ...values import KindError, Request, Values, get_kind
from ...values.pools import taker, text_pool
from ...values.standards import octets, of_database_type
from ..knowledge.limits import Range, broken_limits, in_range


def by_source(base: FieldPlan, entity_plan: EntityPlan, request: Request, values: list[Value] | None, span: Range) -> FieldPlan:
    field, source = base.field, base.field.source
    said = "the world file says so" if field.guess is None else f"guessed from {field.guess.reason}"
    match source:
        case ConstSource(value=text):
            if rules := broken_limits(field, text, span, values, set()):
                raise KindError(f"it is always '{text}', which {' and '.join(dict.fromkeys(rules))} does not allow")
            return replace(base, constant=pa.scalar(read_literal(text, field.type), field.type.arrow()), because=f"always {text}")
        case WeightsSource(weights=weights):
            pool, drawn = _weighted(entity_plan.entity, field, weights, values, span)
            return replace(base, prepared=_listed(pool, field, drawn, request.fold), because=_by_weight(weights))
        case PatternSource(pattern=pattern):
            request = replace(request, parameters={"of": pattern}, least=field.limits.min_length or 0)
            return replace(base, prepared=get_kind("pattern").prepare(request), because=f"matches {pattern}")
        case ShapeSource(shape=shape):
            return _shaped(base, request, source, said, shape)
    if field.limits.patterns and not isinstance(source, KindSource):
        pattern = field.limits.patterns[0].pattern
        return replace(
            base,
            prepared=get_kind("pattern").prepare(replace(request, parameters={"of": pattern})),
            because=f"matches {pattern}",
        )
    if values is not None:
        return replace(base, prepared=_listed(values, field, None, request.fold), because=_among(values))
    if _counts_up(entity_plan.entity, field):
        return replace(base, counts_up=True, because="counts up")
    if isinstance(source, KindSource):
        return _of_kind(base, request, source, said)
    return _without_kind(base, request)


def _of_kind(base: FieldPlan, request: Request, source: KindSource, said: str) -> FieldPlan:
    kind = get_kind(source.kind)
    prepared = kind.prepare(request)
    step = base.step
    if base.moving and "hours" in request.parameters:
        raise KindError("hours cannot be kept beside a bound that is another cell")
    if base.axis is not None and base.moving and isinstance(prepared, Values):
        step = _step_of(base, request, prepared)
    return changed(base, prepared=prepared, step=step, because=f"{source.kind}, {said}")


def _step_of(base: FieldPlan, request: Request, prepared: Values) -> int:
    """The distance between neighbours on the axis, read off the first two values."""
    if prepared.space < 2 or base.axis is None:
        return base.step
    first = base.axis.read(prepared.decode(np.arange(2, dtype=np.uint64)))
    return int(first[1] - first[0])


def _without_kind(base: FieldPlan, request: Request) -> FieldPlan:
    field = base.field
    match field.type.name:
        case TypeName.JSON:
            return replace(base, constant=pa.scalar("{}"), because="an empty object")
        case TypeName.ARRAY:
            return replace(base, constant=pa.scalar([], field.type.arrow()), because="an empty array")
        case TypeName.BYTEA:
            return replace(base, prepared=octets(field.type.length), because="bytes")
        case TypeName.BIT:
            prepared = get_kind("pattern").prepare(replace(request, parameters={"of": f"[01]{{{field.type.length or 8}}}"}))
            return replace(base, prepared=prepared, because="bits")
        case TypeName.INTERVAL | TypeName.INET | TypeName.MACADDR:
            kind = {TypeName.INTERVAL: "duration", TypeName.INET: "ipv4"}.get(field.type.name, "mac-address")
            return replace(base, prepared=get_kind(kind).prepare(request), because=f"{kind}, by its type")
        case _:
            known = of_database_type(field.type, request.window)
            if known is not None:
                return replace(base, prepared=known, because=f"as {field.type} is written")
            return replace(
                base, prepared=get_kind("code").prepare(request), because=f"a text: {field.type} is no type that is known"
            )


def _counts_up(entity: Entity, field: Field) -> bool:
    return field.type.name in INTEGERS and field.source is None and (entity.key == (field.name,) or field.identity)


def _among(values: list[Value]) -> str:
    if len(values) == 1:
        return "always " + str(values[0])
    shown = ", ".join(map(str, values[:6]))
    return f"one of {shown}" + (f" and {len(values) - 6} more" if len(values) > 6 else "")


def _by_weight(weights: tuple[tuple[str, float], ...]) -> str:
    shown = ", ".join(f"{value} {weight:g}" for value, weight in weights[:6])
    return f"by weight: {shown}" + (f" and {len(weights) - 6} more" if len(weights) > 6 else "")


def _weighted(
    entity: Entity, field: Field, weights: tuple[tuple[str, float], ...], values: list[Value] | None, span: Range
) -> tuple[list[Value], list[float]]:
    pool, drawn = [], []
    if field.follows is not None:  # ranks are places in the order of the values
        weights = tuple(sorted(weights, key=lambda pair: read_literal(pair[0], field.type)))
    for text, weight in weights:
        value = read_literal(text, field.type)
        allowed = (values is None or value in values) and in_range(value, span)
        if not allowed and weight > 0:
            rules = [a.because for a in field.limits.allowed] + [str(b) for b in field.limits.bounds]
            raise KindError(f"weights give '{text}', which {' and '.join(rules) or field.type} does not allow")
        pool.append(value)
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


def _shaped(base: FieldPlan, request: Request, source: ShapeSource, said: str, shape: str) -> FieldPlan:
    if base.axis is None:
        raise KindError(f"{base.field.type} has no shape: it is no number")
    if shape == "even":
        kind = "number" if base.field.type.name not in MOMENTS | {TypeName.TIME} else "date-time"
        return replace(base, prepared=get_kind(kind).prepare(request), because=f"even, {said}")
    knots = _knots(source) * 10.0**base.axis.scale
    least, most = base.axis.natural_limits
    low = least if base.low is None else base.low
    high = most if base.high is None else base.high
    table = _truncated(knots, low, high)
    if table is None:
        raise KindError(f"shape {shape} gives nothing between {base.axis.value(low)} and {base.axis.value(high)}")
    numbers = get_kind("number").prepare(request)
    return replace(base, prepared=numbers, shape=table, low=low, high=high, because=f"{shape}, {said}")


def _knots(source: ShapeSource) -> Table:
    given = dict(source.parameters)
    match source.shape:
        case "normal":
            return normal(given["mean"], given["sd"])
        case "skewed":
            return skewed(given["median"], given["p95"])
        case _:
            return exponential(given["mean"])


def _truncated(knots: Table, low: int, high: int) -> Table | None:
    """The part of a quantile table whose values lie within the limits, stretched over all quantiles."""
    inside = np.interp([low, high], knots, np.linspace(0, 1, knots.size))
    if inside[0] >= inside[1]:
        return None
    if (inside[0], inside[1]) == (0.0, 1.0):
        return knots
    at = inside[0] + (inside[1] - inside[0]) * np.arange(STEPS + 1) / STEPS
    cut = np.interp(at, np.linspace(0, 1, knots.size), knots)
    return np.array([float(f"{value:.12g}") for value in np.clip(cut, low, high)])
