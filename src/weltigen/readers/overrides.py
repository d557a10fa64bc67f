"""Single fields set for one run, over what the world file says of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ..expression import NotEvaluableError, parse
from ..model import Check, ConstSource, Entity, Field, KindSource, Place, Present, Problem, World
from ..model.literals import read_stored, require_form
from ..model.origins import Status
from ..model.problems import UsageError, nearest

PLACE = Place(file="--set")


def with_overrides(world: World, values: Mapping[str, Any]) -> World:
    """The world with the same value in all generated rows of each given field, called `entity.field`.

    None, or the text `null`, leaves a field empty. UsageError tells of everything that cannot be so.
    """
    problems: list[Problem] = []
    entities = {entity.name: entity for entity in world.entities}
    for path, value in values.items():
        name, _, column = path.rpartition(".")
        if name not in entities:
            hint = nearest(name or path, tuple(entities)) if name else "write ENTITY.FIELD=VALUE"
            problems.append(Problem(fact=f"'{path}' names no field of an entity that is there", place=PLACE, hint=hint))
            continue
        entity = entities[name]
        if not entity.has(column):
            fact = f"{name} has no field '{column}'"
            problems.append(Problem(fact=fact, place=PLACE, hint=nearest(column, entity.field_names)))
            continue
        field = _set(entity, entity.field(column), value, problems)
        entities[name] = replace(
            entity,
            fields=tuple(field if one.name == column else one for one in entity.fields),
            checks=tuple(_looked_at_again(check, column) for check in entity.checks),
            cohorts=tuple(replace(c, fields=tuple(f for f in c.fields if f.name != column)) for c in entity.cohorts),
        )
    if problems:
        raise UsageError(problems)
    return replace(world, entities=tuple(entities.values()))


def _looked_at_again(check: Check, column: str) -> Check:
    """A check that limits met until a field was set by hand: whether rows keep it now is seen when they are planned."""
    if check.status is not Status.MET:
        return check
    try:
        read = parse(check.expression, check.dialect).paths
    except NotEvaluableError:
        return check
    return replace(check, status=Status.AGAIN, met_by=None) if column.lower() in {path.lower() for path in read} else check


def stored_text(value: Any) -> str:
    """A Python value as the text that a field's type reads."""
    return str(value).lower() if isinstance(value, bool) else str(value)


def _set(entity: Entity, field: Field, value: Any, problems: list[Problem]) -> Field:
    name = f"{entity.name}.{field.name}"
    relation = next((r for r in entity.relations if field.name in r.columns), None)
    if relation is not None or field.generated is not None:
        why = f"it follows the reference to {relation.target}" if relation is not None else "the database computes it"
        hint = (
            f"a world file says so: {entity.name}: {{fields: {{{field.name}: {{const: …}}}}}}" if relation is not None else None
        )
        problems.append(Problem(fact=f"{name} cannot be set: {why}", place=PLACE, hint=hint))
        return field
    if value is None or value == "null":
        if not field.nullable:
            problems.append(Problem(fact=f"{name} must not be null", place=PLACE))
        return replace(field, present=Present(share=0.0, place=PLACE))
    text = stored_text(value)
    try:
        read_stored(text, field.type)
        require_form(text, field.type)
    except ValueError as error:
        problems.append(Problem(fact=f"{name}: {error}", place=PLACE))
        return field
    present = field.present if field.present is not None and field.present.when else Present(share=1.0, place=PLACE)
    return replace(
        field, source=ConstSource(value=text, place=PLACE), present=present if field.nullable else None, follows=(), guess=None,
        means=field.source.kind if isinstance(field.source, KindSource) else field.means,
    )  # fmt: skip
