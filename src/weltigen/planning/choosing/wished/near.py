"""`near`: one of the rows nearest to the row of another reference, by coordinates, which are known by their kinds."""

from __future__ import annotations

from ....model import Entity, KindSource, Relation
from ....plan.entity import EntityPlan
from ....plan.plan import Plan
from ....plan.ways.near import Coordinates, Near
from ....randomness import Bits
from ...knowledge.settled import must_differ
from .choice import register

_MOST_ROWS = 30_000_000  # rows of which the neighbours are kept


def choose_near(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> Near:
    """ValueError where one of the two targets has no coordinates, or the reference must differ from a third one."""
    assert relation.choice is not None
    told = dict(relation.choice.parameters)
    other = entity_plan.entity.relation(told["to"])
    here, there = (_coordinates(plan, name) for name in (other.target, relation.target))
    if here.rows > _MOST_ROWS:
        raise ValueError(f"the neighbours of {here.rows:,} rows of {other.target} are too many to be kept")
    differing = must_differ(entity_plan, relation)
    if differing is not None and differing != other.name:
        raise ValueError(f"`near` cannot be kept, since this reference must differ from {differing}")
    bits = Bits(plan.stage_seed, entity_plan.name, relation.name, "near")
    return Near(bits, relation.name, other.name, int(told["of"]), here, there, differing is not None)


def _coordinates(plan: Plan, name: str) -> Coordinates:
    entity = plan.entities[name].entity
    latitude, longitude = _of_kind(entity, "latitude"), _of_kind(entity, "longitude")
    if latitude is None or longitude is None:
        missing = " and ".join(kind for kind, field in (("latitude", latitude), ("longitude", longitude)) if field is None)
        raise ValueError(f"`near` cannot be kept, since {name} has no field of the kind {missing}")
    return Coordinates(name, latitude, longitude, plan.entities[name].total)


def _of_kind(entity: Entity, kind: str) -> str | None:
    found = (field.name for field in entity.fields if isinstance(field.source, KindSource) and field.source.kind == kind)
    return next(found, None)


register("near", choose_near)
