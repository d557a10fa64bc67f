"""Rows given by hand: what they refer to must be there, and what they give must keep the rules of their entity."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import pyarrow as pa

from ...expression import NotEvaluableError, parse
from ...model import Check, Entity, Field, FixedRow, Place, Problem, Relation
from ...model.folding import Fold, folded
from ...model.literals import read_stored
from ...model.origins import Origin
from ...model.paths import resolve_path
from ...plan.entity import EntityPlan
from ...plan.folding import fold_in_rules
from ...plan.keys import find_key
from ...plan.plan import Plan
from ..knowledge.limits import allowed_values, broken_limits, read_range

_UNCHECKED = ("sqlite", "mysql")  # databases whose scripts usually switch the checking of references off, or never had it on


def given_problems(plan: Plan, entity_plan: EntityPlan, notes: list[str]) -> list[Problem]:
    """What is wrong with the fixed rows of an entity: all that can be seen in what they give. What the database itself would let
    pass goes to `notes`."""
    entity = entity_plan.entity
    if not entity.fixed or entity.there:  # rows that a database holds are judged by it
        return []
    out = list(_repeated(plan, entity_plan))
    limits = {field.name: field for field in entity.fields if field.name in _given(entity) and not _refers(entity, field.name)}
    for name, field in limits.items():
        out += _outside(plan, entity, field)
        for bound in field.limits.bounds:
            if bound.path and "." not in bound.operand and bound.origin is not Origin.CHECK:  # checks are looked at below
                out += _broken(entity, Check(expression=f'"{name}" {bound.comparison} "{bound.operand}"'), bound.place)
    for check in entity.checks:
        out += _broken(entity, check, check.place)
    for relation in entity.relations:
        found = list(_references(plan, entity, relation))
        unchecked = plan.world.dialect in _UNCHECKED or relation.guess is not None
        if found and unchecked and not entity.fixed_places:
            more = f", and so do {len(found) - 1:,} others" if len(found) > 1 else ""
            notes.append(f"{found[0].fact}{more}: filled as the source gives it")
        else:
            out += found
    return list({str(problem): problem for problem in out}.values())


def place_of(entity: Entity, number: int) -> Place | None:
    return entity.fixed_places[number] if number < len(entity.fixed_places) else entity.place


def _given(entity: Entity) -> set[str]:
    return {name for row in entity.fixed for name, _ in row}


def _refers(entity: Entity, name: str) -> bool:
    return any(name in relation.columns for relation in entity.relations)


def _called(entity: Entity, number: int) -> str:
    return f"{entity.name}: fixed row {number + 1}"


def _repeated(plan: Plan, entity_plan: EntityPlan) -> Iterator[Problem]:
    entity = entity_plan.entity
    folds = {name: fold_in_rules(plan, entity_plan, name) for name in _given(entity)}
    for rule in entity.unique_rules:
        seen: dict[tuple[str, ...], int] = {}
        for number, row in enumerate(entity.fixed):
            given = [(text, folds[column]) for column in rule.columns if (text := dict(row).get(column)) is not None]
            if len(given) < len(rule.columns):
                continue
            key = tuple(folded(text, fold) for text, fold in given)
            if key in seen:
                same = max(fold for _, fold in given)
                how = f", which compares {same}" if same is not Fold.EXACT else ""
                fact = f"{entity.name}: fixed rows {seen[key] + 1} and {number + 1} break {rule}{how}"
                yield Problem(fact=fact, place=place_of(entity, number))
            seen[key] = number


def _outside(plan: Plan, entity: Entity, field: Field) -> Iterator[Problem]:
    """Values that the field's own limits do not allow."""
    span = read_range(entity, field, partial(resolve_path, plan.world), plan.now)
    values, trouble = allowed_values(entity, field, span)
    if span.problems or trouble:
        return
    for number, row in enumerate(entity.fixed):
        text = dict(row).get(field.name)
        if text is None:
            continue
        rules = broken_limits(field, text, span, values, checks=False)
        if rules:
            broken = " and ".join(dict.fromkeys(rules))
            yield Problem(fact=f"{_called(entity, number)} gives {field.name} {text}, which {broken} does not allow",
                          place=place_of(entity, number))  # fmt: skip


def _broken(entity: Entity, check: Check, place: Place | None) -> Iterator[Problem]:
    """Rows that give everything a check is about, and make it false."""
    for number, row in enumerate(entity.fixed):
        if _false(entity, row, check):
            hint = f"the check stands at {place}" if place is not None else None
            yield Problem(fact=f"{_called(entity, number)} breaks {check}", place=place_of(entity, number), hint=hint)


def _false(entity: Entity, row: FixedRow, check: Check) -> bool:
    """Whether a condition is false on what a row gives; not where it gives too little, or it cannot be evaluated."""
    values = {name.lower(): (name, text) for name, text in row}

    def column(path: str) -> pa.Array:
        if path.lower() not in values:
            raise NotEvaluableError(path)
        name, text = values[path.lower()]
        field_type = entity.field(name).type
        return pa.array([read_stored(text, field_type) if text is not None else None], field_type.arrow())

    try:
        return parse(check.expression, check.dialect).evaluate(column, 1)[0].as_py() is False
    except (NotEvaluableError, ValueError):
        return False


def _references(plan: Plan, entity: Entity, relation: Relation) -> Iterator[Problem]:
    """References to keys that are not there, or to fixed rows that a reference's condition shuts out."""
    target = plan.entities[relation.target].entity
    for number, row in enumerate(entity.fixed):
        values = dict(row)
        texts = [values.get(column) for column in relation.columns]
        given = tuple(text for text in texts if text is not None)
        if len(given) < len(texts):
            continue
        found = find_key(plan, relation, given)
        named = f"{relation.target} {', '.join(given)}"
        if found == -2:
            yield Problem(fact=f"{_called(entity, number)} refers to {named}, which is not there", place=place_of(entity, number),
                          hint=f"give that key in a fixed row of {relation.target}")  # fmt: skip
        elif relation.where is not None and found < len(target.fixed) and _false(target, target.fixed[found], relation.where):
            fact = f"{_called(entity, number)} refers to {named}, where not {relation.where.expression}"
            yield Problem(fact=fact, place=place_of(entity, number))
