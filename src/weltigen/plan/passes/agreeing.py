"""References that must agree: on a column that they share, or on a row to which both lead; which one leads, how others follow."""

from __future__ import annotations

from dataclasses import replace

from ...model import Entity, PerOwner, PerPair, Relation
from ..plan import EntityPlan, Part, Plan, Within
from ..tabled import may_be_null


def agree(plan: Plan, entity_plan: EntityPlan) -> EntityPlan:
    """The entity's references, each before those that agree with it, and among which rows each of those may choose."""
    entity = entity_plan.entity
    ordered = sorted(entity.relations, key=lambda relation: _rank(entity_plan, relation))
    within: dict[str, Within] = {}
    bringing: dict[str, Relation] = {}
    leading: list[str] = []
    for relation in ordered:
        parts = _shared_columns(plan, entity, relation, bringing) + _tied(entity_plan, relation, leading)
        own = relation.target == entity.name
        if parts or relation.where is not None:
            within[relation.name] = Within(
                parts=parts, where=relation.where, earlier=own, chain=own and is_chain(entity, relation)
            )
        leading.append(relation.name)
        for column in relation.columns:
            bringing.setdefault(column, relation)
    agreed = replace(entity_plan, bringing=tuple(r.name for r in ordered), within=within)
    within = {name: replace(w, optional=may_be_null(agreed, entity.relation(name))) for name, w in within.items()}
    return _leave_a_choice(plan, replace(agreed, within=within))


def _rank(entity_plan: EntityPlan, relation: Relation) -> tuple[bool, bool, bool, bool, int, int]:
    """The owner first, a reference to the entity itself last; what must be there, and what a rule holds, before the others."""
    entity = entity_plan.entity
    owner = entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    optional = any(entity.field(column).nullable for column in relation.columns)
    way = max((len(way) for tie in entity_plan.ties for way in tie.ways if way[:1] == (relation.name,)), default=0)
    ruled = any(set(relation.columns) <= set(rule.columns) for rule in entity.unique_rules)
    return (not owner, relation.target == entity.name, optional, not (ruled and way > 0), -way, -len(relation.columns))


def is_chain(entity: Entity, relation: Relation) -> bool:
    """Whether no two rows of the entity may refer to the same row of it."""
    own = relation.target == entity.name
    return own and any(set(rule.columns) <= set(relation.columns) for rule in entity.unique_rules)


def _shared_columns(plan: Plan, entity: Entity, relation: Relation, bringing: dict[str, Relation]) -> tuple[Part, ...]:
    taken = [(column, bringing[column]) for column in relation.columns if column in bringing]
    onward = _implied(plan, entity, relation, taken)
    if onward is not None:
        return (Part(bringer=taken[0][1].name, own=(onward,), ancestor=relation.target),)
    return tuple(Part(bringer=bringer.name, column=column) for column, bringer in taken)


def _implied(plan: Plan, entity: Entity, relation: Relation, taken: list[tuple[str, Relation]]) -> str | None:
    """The relation of the bringing target that leads to the one row which this reference must point to, if there is one."""
    if len({bringer.name for _, bringer in taken}) != 1:
        return None
    columns, bringer = [column for column, _ in taken], taken[0][1]
    held = {relation.target_columns[relation.columns.index(column)] for column in columns}
    target = plan.world.entity(relation.target)
    if not any(set(rule.columns) <= held for rule in target.unique_rules):
        return None
    brought = {
        bringer.target_columns[bringer.columns.index(c)]: relation.target_columns[relation.columns.index(c)] for c in columns
    }
    for onward in plan.world.entity(bringer.target).relations:
        pairs = dict(zip(onward.columns, onward.target_columns, strict=True))
        leads_there = onward.target == relation.target and all(brought.get(c) == t for c, t in pairs.items())
        if leads_there and any(set(rule.columns) <= set(pairs.values()) for rule in target.unique_rules):
            return onward.name
    return None


def _tied(entity_plan: EntityPlan, relation: Relation, leading: list[str]) -> tuple[Part, ...]:
    """What ties ask of a reference, seen from the first of each tie's references in order, or from the row itself."""
    parts = []
    for tie in entity_plan.ties:
        mine = next((way for way in tie.ways if way[:1] == (relation.name,)), None)
        if mine is None:
            continue
        if () in tie.ways:
            parts.append(Part(bringer=None, ancestor=tie.ancestor, theirs=mine[1:]))
            continue
        first = min((way for way in tie.ways if way[0] in leading), key=lambda way: leading.index(way[0]), default=None)
        if first is not None:
            parts.append(Part(bringer=first[0], ancestor=tie.ancestor, own=first[1:], theirs=mine[1:]))
    return tuple(parts)


def _leave_a_choice(plan: Plan, entity_plan: EntityPlan) -> EntityPlan:
    """A reference that picks freely passes over rows which leave no choice to one that must agree with it."""
    within = dict(entity_plan.within)
    for name in reversed(entity_plan.bringing):
        bringers = _may_find_nothing(plan, entity_plan, name)
        if len(bringers) == 1 and bringers[0] is not None and _picks_freely(entity_plan, bringers[0]):
            leader = within.get(bringers[0], Within(optional=may_be_null(entity_plan, entity_plan.entity.relation(bringers[0]))))
            within[bringers[0]] = replace(leader, followers=(*leader.followers, name))
    return replace(entity_plan, within=within)


def _may_find_nothing(plan: Plan, entity_plan: EntityPlan, name: str) -> list[str | None]:
    """The references with which this one agrees, where it must be there and a row that agrees might not."""
    within = entity_plan.within.get(name)
    relation = entity_plan.entity.relation(name)
    if within is None or within.implied is not None or within.earlier or within.optional or not within.parts:
        return []
    return [] if _always_there(plan, relation, within) else list(dict.fromkeys(part.bringer for part in within.parts))


def _picks_freely(entity_plan: EntityPlan, name: str) -> bool:
    """Whether a reference is no owner and no digit of a rule, so that it may pass over some rows."""
    relation = entity_plan.entity.relation(name)
    owned = entity_plan.owner is not None and entity_plan.owner.relation == name
    ruled = any(set(relation.columns) & set(rule.columns) for rule in entity_plan.entity.unique_rules)
    differs = any(name in (other.unlike, other.name) and other.unlike for other in entity_plan.entity.relations)
    own = relation.target == entity_plan.name
    return not (owned or ruled or differs or own or relation.weights or relation.spread or name in per_pair(entity_plan.entity))


def per_pair(entity: Entity) -> tuple[str, ...]:
    """The relations of which the entity has a row for each combination."""
    return entity.rows.per if isinstance(entity.rows, PerPair) else ()


def retried(plan: Plan, entity_plan: EntityPlan) -> tuple[set[str], str]:
    """References whose target may be missing for what another one brings, so that both must be drawn again; and what they share.

    Where the owner brings it there is nothing to draw: its rows are looked at before anything is written.
    """
    names: set[str] = set()
    shared: dict[str, None] = {}
    followed = {follower for within in entity_plan.within.values() for follower in within.followers}
    owner = entity_plan.owner.relation if entity_plan.owner else None
    for name, within in entity_plan.within.items():
        bringers = _may_find_nothing(plan, entity_plan, name)
        if not bringers or name in followed or bringers in ([owner], [None]):
            continue
        names |= {name, *(bringer for bringer in bringers if bringer is not None)}
        shared.update(dict.fromkeys(part.column or f"the way to {part.ancestor}" for part in within.parts))
    return names, ", ".join(shared)


def _always_there(plan: Plan, relation: Relation, within: Within) -> bool:
    """Whether the target has a row for every value that is brought: each row from which the value comes owns some."""
    target = plan.world.entity(relation.target)
    if len(within.parts) != 1 or within.where is not None or not isinstance(target.rows, PerOwner):
        return False
    if target.rows.none or target.rows.lowest < 1 or target.name in plan.asked:
        return False
    part, owner = within.parts[0], target.relation(target.rows.per)
    if part.column is None:
        return part.theirs == (owner.name,)
    return owner.columns == (relation.target_columns[relation.columns.index(part.column)],)
