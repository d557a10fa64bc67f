"""States over time: what their declaration names, and which fields of the history tell what."""

from __future__ import annotations

from dataclasses import dataclass

from .entities import Entity, States
from .types import TypeName
from .world import World

_MOMENTS = (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ, TypeName.DATE)
_BEFORE = ("from", "old", "previous", "prior", "before")


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryColumns:
    """The fields of a history: what the state is, what it was before, and when it began."""

    relation: str
    state: str
    before: str | None
    at: str


def history_of(world: World, name: str) -> Entity | None:
    """The entity whose states an entity tells."""
    return world.history_owners.get(name)


def names_of(states: States) -> tuple[str, ...]:
    """All states, in the order in which they are named."""
    named = [state for state, _ in states.start]
    for state, onward in states.steps:
        named += [state, *(to for to, _ in onward)]
    return tuple(dict.fromkeys(named))


def history_columns(entity: Entity, history: Entity) -> HistoryColumns | str:
    """Which fields of the history tell what; else why that is not clear."""
    assert entity.states is not None
    relation = next((relation for relation in history.relations if relation.target == entity.name), None)
    if relation is None:
        return f"{history.name} does not refer to {entity.name}"
    brought = {column for one in history.relations for column in one.columns}
    free = [field for field in history.fields if field.name not in brought and field.name not in history.key]
    type_name = entity.field(entity.states.field).type.name
    alike = [field for field in free if field.type.name is type_name]
    before = next((f for f in alike if f.name.lower().split("_")[0] in _BEFORE and f.nullable), None)
    now = [field for field in alike if field is not before and not field.name.lower().startswith(tuple(f"{w}_" for w in _BEFORE))]
    named = [field for field in now if entity.states.field.lower() in field.name.lower()]
    required = [field for field in now if not field.nullable]
    moments = [field for field in history.fields if field.type.name in _MOMENTS and field.name not in brought]
    state, at = next(iter(named or required or now), None), next(iter([f for f in moments if not f.nullable] or moments), None)
    if state is None:
        return f"{history.name} has no field of the type of {entity.name}.{entity.states.field}, which would tell the state"
    if at is None:
        return f"{history.name} has no date or time, which would tell when a state began"
    return HistoryColumns(
        relation=relation.name, state=state.name, before=before.name if before is not None else None, at=at.name
    )
