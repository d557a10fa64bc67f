"""References that share a column must agree on it: which one brings it, and how the others follow."""

from __future__ import annotations

from dataclasses import replace

from ...model import Entity, PerOwner, Relation
from ..plan import EntityPlan, Plan, Shared
from ..tabled import may_be_null


def share_columns(plan: Plan, entity_plan: EntityPlan) -> EntityPlan:
    """The entity's references in the order in which they bring columns, and what each of them takes over from others."""
    entity = entity_plan.entity
    owner = entity_plan.owner.relation if entity_plan.owner else None

    def early(relation: Relation) -> tuple[bool, bool, int]:
        optional = any(entity.field(column).nullable for column in relation.columns)
        return (relation.name != owner, optional, -len(relation.columns))

    ordered = sorted(entity.relations, key=early)
    shared: dict[str, Shared] = {}
    bringing: dict[str, Relation] = {}
    for relation in ordered:
        taken = tuple((column, bringing[column].name) for column in relation.columns if column in bringing)
        if taken:
            shared[relation.name] = Shared(columns=taken, implied=_implied(plan, entity, relation, taken))
        for column in relation.columns:
            bringing.setdefault(column, relation)
    return replace(entity_plan, bringing=tuple(r.name for r in ordered), shared=shared)


def _implied(plan: Plan, entity: Entity, relation: Relation, taken: tuple[tuple[str, str], ...]) -> str | None:
    """The relation of the bringing target that leads to the one row which this reference must point to, if there is one."""
    if len({name for _, name in taken}) > 1:
        return None
    columns = [column for column, _ in taken]
    held = {relation.target_columns[relation.columns.index(column)] for column in columns}
    target = plan.world.entity(relation.target)
    if not any(set(rule.columns) <= held for rule in target.unique_rules):
        return None
    bringer = entity.relation(taken[0][1])
    brought = {
        bringer.target_columns[bringer.columns.index(c)]: relation.target_columns[relation.columns.index(c)] for c in columns
    }
    for onward in plan.world.entity(bringer.target).relations:
        pairs = dict(zip(onward.columns, onward.target_columns, strict=True))
        leads_there = onward.target == relation.target and all(brought.get(c) == t for c, t in pairs.items())
        if leads_there and any(set(rule.columns) <= set(pairs.values()) for rule in target.unique_rules):
            return onward.name
    return None


def retried(plan: Plan, entity_plan: EntityPlan) -> tuple[set[str], set[str]]:
    """References whose target may be missing for what another one brings, so that both must be drawn again; and their columns."""
    names: set[str] = set()
    columns: set[str] = set()
    for name, shared in entity_plan.shared.items():
        relation = entity_plan.entity.relation(name)
        if shared.implied is None and not may_be_null(entity_plan, relation) and not _always_there(plan, entity_plan, relation):
            names |= {name, *(bringer for _, bringer in shared.columns)}
            columns |= {column for column, _ in shared.columns}
    return names, columns


def _always_there(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> bool:
    """Whether the target has a row for every value that is brought: each row from which the value comes owns some."""
    shared = entity_plan.shared[relation.name]
    target = plan.world.entity(relation.target)
    if len(shared.columns) != 1 or not isinstance(target.rows, PerOwner) or target.rows.none or target.rows.lowest < 1:
        return False
    if target.name in plan.asked:
        return False
    owner = target.relation(target.rows.per)
    held = relation.target_columns[relation.columns.index(shared.columns[0][0])]
    return owner.columns == (held,)
