"""Where keys begin that must be above other columns of their row: CHECK (id > visit_id), CHECK (number <= id).

A key counts from 1 because nobody said where else; so it begins past what it is compared with.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace

import numpy as np
from sqlglot import exp

from ...expression import NotEvaluableError, parse
from ...infer.conditions import bare, conjuncts
from ...model import Bound, Entity, Field, TypeName, World
from ...model.origins import Origin
from ...model.paths import Cell
from ...model.types import NUMBERS
from ...plan.entity import EntityPlan
from ...plan.fields import Counting, Drawn, FieldPlan
from ...plan.keys import ends_of_counting

_ABOVE = {exp.GT: True, exp.GTE: False}
_BELOW = {exp.LT: True, exp.LTE: False}


def begin_above(
    others: Mapping[str, EntityPlan],
    entity_plan: EntityPlan,
    planned: dict[str, FieldPlan],
    asked: Mapping[Cell, int],
    again: Callable[[Field], FieldPlan],
) -> dict[str, FieldPlan]:
    """The fields with keys that begin where all rows have room below them. `others`: entities as far as they are prepared.
    `asked`: where keys must begin for the sake of rows that refer to them. `again` prepares a field with other limits."""
    keys = {name for name, one in planned.items() if begins_freely(entity_plan, one)}
    for upper, lower, strict in orders_of(entity_plan.entity, keys) if keys else ():
        top = _top(others, entity_plan, planned, lower)
        if top is not None:
            planned = {**planned, upper: _from(entity_plan, planned[upper], top + strict, again)}
    for key in keys:
        if (entity_plan.name, key) in asked:
            planned = {**planned, key: _from(entity_plan, planned[key], asked[entity_plan.name, key], again)}
    return planned


def _from(entity_plan: EntityPlan, one: FieldPlan, first: int, again: Callable[[Field], FieldPlan]) -> FieldPlan:
    """A key that counts from a number on, as far as its type has room for all rows behind it."""
    assert isinstance(one.way, Counting) and one.axis is not None
    if one.way.numbers is not None:  # those that keep its checks: others of them, where there are enough
        least = Bound(comparison=">=", operand=str(first), origin=Origin.GUESSED)
        limits = replace(one.field.limits, bounds=(*one.field.limits.bounds, least))
        made = again(replace(one.field, limits=limits))
        enough = isinstance(made.way, Counting) and made.way.room >= entity_plan.total
        return replace(made, field=one.field) if enough else one
    high, step = one.axis.natural_limits[1] if one.high is None else one.high, one.way.step
    last = max(0, entity_plan.total - 1) * step
    first = min(-(-first // step) * step, (high - last) // step * step)
    return replace(one, way=replace(one.way, first=first, room=(high - first) // step + 1)) if first > one.way.first else one


def asked_of_keys(world: World) -> dict[Cell, int]:
    """Where keys must begin so that a reference to them can be above a field of its row whose least value is declared."""
    out: dict[Cell, int] = {}
    for entity in world.entities:
        if not entity.checks:
            continue
        held = {column: (relation, at) for relation in entity.relations for at, column in enumerate(relation.columns)}
        for upper, lower, _ in orders_of(entity, set(held)):
            relation, at = held[upper]
            least = _declared_least(entity.field(lower))
            if relation.target != entity.name and least is not None and least > 1:
                cell = (relation.target, relation.target_columns[at])
                out[cell] = max(out.get(cell, 0), least + _ROOM)
    return out


_ROOM = 1_000  # numbers between the least of a field and the keys that are above it


def _declared_least(field: Field) -> int | None:
    bounds = [bound for bound in field.limits.bounds if not bound.path and bound.comparison in (">", ">=")]
    return max((int(float(bound.operand)) for bound in bounds), default=None) if field.type.name in NUMBERS else None


def begins_freely(entity_plan: EntityPlan, one: FieldPlan) -> bool:
    """Whether nobody said where a key begins. Rows of later stages go on from those before them."""
    way = one.way
    plain = isinstance(way, Counting) and way.gaps is None and one.field.numbering is None
    return plain and not entity_plan.fixed and entity_plan.earlier is None


def orders_of(entity: Entity, keys: set[str], *, beside: bool = False) -> Iterator[tuple[str, str, bool]]:
    """A key, the column that it must be above, and whether the two must differ; `beside` also where that column is a key."""
    folded = {name.lower(): name for name in entity.field_names}
    for check in entity.checks:
        if not any(key.lower() in check.expression.lower() for key in keys):
            continue
        try:
            parts = conjuncts(parse(check.expression, check.dialect).tree.copy().unnest())
        except NotEvaluableError:
            continue
        for node in (part.unnest() for part in parts):
            if type(node) not in _ABOVE and type(node) not in _BELOW and not isinstance(node, exp.NEQ):
                continue
            sides = [bare(side) for side in (node.this, node.expression)]
            if not all(isinstance(side, exp.Column) and not side.table for side in sides):
                continue
            names = [folded.get(side.name.lower(), "") for side in sides]
            upper, lower = names if type(node) in _ABOVE or (names[0] in keys and isinstance(node, exp.NEQ)) else names[::-1]
            if isinstance(node, exp.NEQ):  # a column of many values is drawn again where it is the key
                few = bool(lower) and entity.field(lower).type.name is TypeName.BOOLEAN
                if few and upper in keys:
                    yield upper, lower, True
            elif upper in keys and lower and (beside or lower not in keys):
                yield upper, lower, _ABOVE.get(type(node), _BELOW.get(type(node), False))


def _top(others: Mapping[str, EntityPlan], entity_plan: EntityPlan, planned: dict[str, FieldPlan], name: str) -> int | None:
    """The greatest value, as a whole number, that a column of the row may have; None where no key needs to give way to it."""
    entity = entity_plan.entity
    relation = next((relation for relation in entity.relations if name in relation.columns), None)
    if relation is not None:
        if relation.target == entity.name:
            return None  # rows refer to those before them, whose keys are lower
        target = others[relation.target]
        theirs = target.fields.get(relation.target_columns[relation.columns.index(name)])
        return _greatest(target, theirs) if theirs is not None else None
    own = planned[name]
    ruled = any(name in rule.columns for rule in (*entity.unique_rules, *(r.rule for r in entity_plan.reduced)))
    if not ruled and not entity_plan.own_checks.get(name) and len(own.cell_bounds) == 1 and own.axis is not None:
        low = own.low if own.low is not None else max(1, own.axis.natural_limits[0])
        return int(-(-low // 10**own.axis.scale))  # it is drawn below the key, where there is room for the least of its values
    return _greatest(entity_plan, own)


def _greatest(entity_plan: EntityPlan, one: FieldPlan) -> int | None:
    if one.field.type.name is TypeName.BOOLEAN:
        return 1
    if one.axis is None:
        return None
    if isinstance(one.way, Counting):
        return ends_of_counting(entity_plan, one.way)[1]
    if isinstance(one.way, Drawn) and one.way.values.space:
        space = one.way.values.space
        some = np.unique(np.linspace(0, space - 1, min(space, 64)).astype(np.uint64))
        top = int(one.axis.read(one.way.values.decode(some)).max())
    elif one.high is not None:
        top = one.high
    else:
        return None
    return int(-(-top // 10**one.axis.scale))
