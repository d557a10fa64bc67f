"""How many rows an entity has where nothing says so: by its place in the model."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ...model import Entity, Field, KindSource, Relation, WeightsSource
from ...plan.entity import EntityPlan
from ...plan.plan import Plan
from ...plan.stages import first_row
from ...values.things import number_of_names
from ...values.vocabulary import NEUTRAL
from ..knowledge.keeping import is_apart
from .room import rooms_of_rules
from .stages import new_rows

_HUB, _LOOKUP, _MOST_DERIVED = 100, 12, 10_000
_SMALL_ENTITY = 3  # an entity with so few columns, referred to and referring to nothing, is a lookup
# what mostly comes once to something that somebody orders or books
_ONCE = re.compile(r"(?i)(payment|shipment|invoice|refund|delivery|deliveries|receipt|check_?in|confirmation)s?$")
_OF_ONCE = re.compile(r"(?i)(order|booking|reservation|sale|purchase|appointment|rental|hire|ticket)s?$")
# what comes now and then to something that is itself done again and again: to a delivery, a rental, a piece of laundry
_RARE = re.compile(r"(?i)(claim|complaint|refund|dispute|incident|accident|damage|cancell?ation|chargeback|breakage)s?$")
_ONE_TO_ONE = 0.8  # of the rows that could each have one


@dataclass(frozen=True, slots=True)
class _Wish:
    """A number of rows and the reason; `factor` of `target`'s rows where it hangs on these alone."""

    rows: int
    because: str
    factor: float | None = None
    target: str = ""


def usual_rows(plan: Plan, entity_plan: EntityPlan) -> tuple[int, str]:
    """By its role: lookups few, hubs more, links more than their ends, leaves most; never more than its rules have room for."""
    entity = entity_plan.entity
    wished = _wish(plan, entity)
    wish, because = wished.rows, wished.because
    # a circle of references, each different in its rows, is broken where one may be null: whom it leads to is not counted yet
    later = {c for r in entity.relations if _comes_later(plan, entity, r) for c in r.columns if entity.field(c).nullable}
    for rule, capacity in rooms_of_rules(plan, entity_plan, wish):
        if later & set(rule.columns):
            continue
        if not is_apart(plan, entity, rule):
            capacity = max(0, capacity - first_row(plan, entity.name))
        if len(rule.columns) > 1:
            capacity = max(1, capacity // 2)
        if capacity < wish:
            wish, because = capacity, f"{because}, at most what {rule} holds"
    closed = [field for field in entity.fields if field.guess is not None and field.guess.closed]
    if closed and wished.factor is None:
        listed = _number_of_values(plan, entity, closed[0])
        if listed is not None and listed < wish:
            wish, because = listed, f"one for each value of {closed[0].name}"
    most = plan.most.get(entity.name)
    if most is not None and most < wish:
        wish, because = most, f"{because}, at most what its rules have room for"
    return wish, because


def _number_of_values(plan: Plan, entity: Entity, field: Field) -> int | None:
    """How many values there are of a field whose values are all that its entity has rows for."""
    if isinstance(field.source, WeightsSource):
        return len(field.source.weights)
    if isinstance(field.source, KindSource) and field.source.kind == "thing-name":
        told, language = dict(field.source.parameters), (plan.world.language or "en").partition("-")[0]
        return number_of_names(told.get("topic") or entity.topic or NEUTRAL, told.get("list", "names"), language, entity.words)
    return None


def _wish(plan: Plan, entity: Entity) -> _Wish:
    others, required = _referring(plan, entity)
    stage = plan.before is not None
    referred_to = entity.name in plan.world.referred_to
    if not required:
        if referred_to and len(entity.fields) <= _SMALL_ENTITY and not others:
            return _Wish(0 if stage else _LOOKUP, "a lookup: few columns, and others refer to it")
        return _Wish(max(0 if stage else 1, round(_HUB * plan.times)), "refers to nothing that must exist")
    largest = max(required, key=lambda r: new_rows(plan, r.target))
    parents = new_rows(plan, largest.target)
    one_to_one = _one_to_one(entity, required)
    if one_to_one is not None:
        share = 1.0 if _gave_way(plan, one_to_one.target) else _ONE_TO_ONE  # if fewer, a circle of such would shrink to nothing
        rows = round(new_rows(plan, one_to_one.target) * share)
        return _Wish(rows, f"at most one for each {one_to_one.target}", share, one_to_one.target)
    factor: float
    if referred_to:
        factor, role = 2, "refers and is referred to"
    elif len(required) > 1 and len(entity.fields) <= len(required) + 2:
        factor, role = 3, "a link"
    elif _RARE.search(entity.name) and _referring(plan, plan.entities[largest.target].entity)[1]:
        factor, role = 0.25, "now and then"
    elif _ONCE.search(entity.name) and _OF_ONCE.search(largest.target):
        factor, role = 1, "one of its kind"
    else:
        factor, role = 4, "a leaf"
    most = max(parents, round(_MOST_DERIVED * plan.times))
    rows = min(round(factor * parents), most)
    often = f"{factor} for each" if factor >= 1 else f"1 for {round(1 / factor)}"
    return _Wish(rows, f"{role}: {often} {largest.target}", factor if rows < most else None, largest.target)


def _referring(plan: Plan, entity: Entity) -> tuple[list[Relation], list[Relation]]:
    """The references to other entities, and those of them that must exist and are counted before."""
    others = [r for r in entity.relations if r.target != entity.name]
    return others, [
        r for r in others if not any(entity.field(c).nullable for c in r.columns) and not _comes_later(plan, entity, r)
    ]


def _one_to_one(entity: Entity, required: list[Relation]) -> Relation | None:
    """The required reference that no two rows share."""
    single = {rule.columns for rule in entity.unique_rules if len(rule.columns) == 1}
    return next((relation for relation in required if relation.columns in single), None)


def _gave_way(plan: Plan, name: str) -> bool:
    """Whether an entity has fewer rows than it would, for want of room: itself, or what it has one row for each of."""
    if name in plan.most:
        return True
    entity = plan.entities[name].entity
    above = _one_to_one(entity, _referring(plan, entity)[1])
    return above is not None and _gave_way(plan, above.target)


def _comes_later(plan: Plan, entity: Entity, relation: Relation) -> bool:
    """Whether a cycle was broken at this relation, so that its target is not counted yet."""
    return not plan.entities[relation.target].total and plan.order.index(relation.target) > plan.order.index(entity.name)


def follows_from(plan: Plan, entity_plan: EntityPlan) -> tuple[float, str] | None:
    """By how much the usual number of rows is a multiple of another entity's, and which: (4, "sailing"); None where it is a
    number of its own, or gave way to something."""
    wish = _wish(plan, entity_plan.entity)
    if wish.factor is None or wish.rows != entity_plan.generated:
        return None
    return wish.factor, wish.target
