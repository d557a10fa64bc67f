"""References that must agree: on a column that they share, or on a row to which both lead; which one leads, how others follow."""

from __future__ import annotations

from collections.abc import Iterator

from ...model import Entity, PerOwner, PerPair, Relation, World
from ...model.changing import changed
from ...model.ties import Way
from ...plan.agreement import Agreement, CandidateFilter
from ...plan.entity import EntityPlan, may_be_null, may_refer_to_none
from ...plan.plan import Plan


def agree(plan: Plan, entity_plan: EntityPlan) -> EntityPlan:
    """The entity's references, each before those that agree with it, and among which rows each of those may choose."""
    entity = entity_plan.entity
    ordered = sorted(entity.relations, key=lambda relation: _rank(entity_plan, relation))
    candidates: dict[str, CandidateFilter] = {}
    columns_brought: dict[str, Relation] = {}
    leading: list[str] = []
    for relation in ordered:
        found = _shared_columns(plan, entity, relation, columns_brought) + _tied(entity_plan, relation, leading)
        agreements = tuple(_beyond_implied(agreement, candidates) for agreement in found)
        if not (entity_plan.owner is not None and entity_plan.owner.relation == relation.name):
            agreements += tuple(Agreement(leader=None, alike=alike) for alike in relation.alike)
        own = relation.target == entity.name
        if agreements or relation.where is not None:
            candidates[relation.name] = CandidateFilter(
                agreements=agreements, columns=tuple(column for column in relation.columns if column in columns_brought),
                where=relation.where, earlier=own, chain=own and is_chain(entity, relation),
                tree=relation.tree if own and agreements and relation.where is None else None,
            )  # fmt: skip
        leading.append(relation.name)
        for column in relation.columns:
            columns_brought.setdefault(column, relation)
    for rank, relation in enumerate(ordered):
        if relation.name in candidates and relation.target != entity.name:
            other = next((o.name for o in ordered[:rank] if differs(o, relation)), None)
            candidates[relation.name] = changed(candidates[relation.name], apart=other)
    agreed = changed(entity_plan, reference_order=tuple(r.name for r in ordered), candidate_filters=candidates)
    for name, one in candidates.items():
        relation = entity.relation(name)
        own = relation.target == entity.name
        optional = may_be_null(agreed, relation) and (not own or may_refer_to_none(entity, relation))
        candidates[name] = changed(one, optional=optional)
    return _leave_a_choice(plan, changed(agreed, candidate_filters=candidates))


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


def _shared_columns(
    plan: Plan, entity: Entity, relation: Relation, columns_brought: dict[str, Relation]
) -> tuple[Agreement, ...]:
    """What a reference takes over with columns: the row from which they come in both targets, else the columns' values."""
    taken: dict[str, list[str]] = {}
    for column in relation.columns:
        if column in columns_brought:
            taken.setdefault(columns_brought[column].name, []).append(column)
    agreements: list[Agreement] = []
    for name, columns in taken.items():
        bringer = entity.relation(name)
        whole = _origin(plan.world, relation, bringer, tuple(columns))
        apart = [whole] if whole else [_origin(plan.world, relation, bringer, (column,)) or column for column in columns]
        agreements += [
            agreement if isinstance(agreement, Agreement) else Agreement(leader=name, column=agreement) for agreement in apart
        ]
    return tuple(agreements)


def _origin(world: World, relation: Relation, bringer: Relation, columns: tuple[str, ...]) -> Agreement | None:
    """Where shared columns come from: the first entity in which both references' ways with them end, and whose rows they name."""
    mine, brought = (
        dict(_traced(world, one.target, tuple(one.target_columns[one.columns.index(column)] for column in columns)))
        for one in (relation, bringer)
    )
    for end, theirs in mine.items():
        if end in brought:
            return Agreement(leader=bringer.name, ancestor=end[0], from_leader=brought[end], from_target=theirs)
    return None


End = tuple[str, tuple[str, ...]]  # an entity, and those of its columns that hold what was followed


def _traced(world: World, entity: str, columns: tuple[str, ...]) -> Iterator[tuple[End, Way]]:
    """Some columns of an entity, followed over its references to where their values come from; only where they name one row."""
    waiting: list[tuple[str, tuple[str, ...], Way]] = [(entity, columns, ())]
    seen: set[End] = set()
    while waiting:
        name, held, way = waiting.pop(0)
        if (name, held) in seen:
            continue
        seen.add((name, held))
        at = world.entity(name)
        if any(set(rule.columns) <= set(held) for rule in at.unique_rules):
            yield (name, held), way
        for onward in at.relations:
            if set(held) <= set(onward.columns) and onward.target != name:
                there = tuple(onward.target_columns[onward.columns.index(column)] for column in held)
                waiting.append((onward.target, there, (*way, onward.name)))


def _tied(entity_plan: EntityPlan, relation: Relation, leading: list[str]) -> tuple[Agreement, ...]:
    """What ties ask of a reference, seen from the first of each tie's references in order, or from the row itself."""
    agreements = []
    for tie in entity_plan.ties:
        mine = next((way for way in tie.ways if way[:1] == (relation.name,)), None)
        if mine is None:
            continue
        if () in tie.ways:
            agreements.append(Agreement(leader=None, ancestor=tie.ancestor, from_target=mine[1:]))
            continue
        first = min((way for way in tie.ways if way[0] in leading), key=lambda way: leading.index(way[0]), default=None)
        if first is not None:
            agreements.append(Agreement(leader=first[0], ancestor=tie.ancestor, from_leader=first[1:], from_target=mine[1:]))
    return tuple(agreements)


def differs(one: Relation, other: Relation) -> bool:
    """Whether two references must go to different rows."""
    return one.unlike == other.name or other.unlike == one.name


def _beyond_implied(agreement: Agreement, candidates: dict[str, CandidateFilter]) -> Agreement:
    """The same way, begun at the reference that implies the one with which it begins."""
    through = candidates[agreement.leader].implied if agreement.leader in candidates else None
    return (
        changed(agreement, leader=through.leader, from_leader=(*through.from_leader, *agreement.from_leader))
        if through and agreement.column is None
        else agreement
    )


def _leave_a_choice(plan: Plan, entity_plan: EntityPlan) -> EntityPlan:
    """A reference that picks freely passes over rows which leave no choice to one that must agree with it."""
    candidates = dict(entity_plan.candidate_filters)
    for name in reversed(entity_plan.reference_order):
        bringers = may_find_nothing(plan, entity_plan, name)
        if len(bringers) == 1 and bringers[0] is not None and _picks_freely(entity_plan, bringers[0]):
            leader = candidates.get(
                bringers[0], CandidateFilter(optional=may_be_null(entity_plan, entity_plan.entity.relation(bringers[0])))
            )
            candidates[bringers[0]] = changed(leader, followers=(*leader.followers, name))
    return changed(entity_plan, candidate_filters=candidates)


def may_find_nothing(plan: Plan, entity_plan: EntityPlan, name: str) -> list[str | None]:
    """The references with which this one agrees, where it must be there and a row that agrees might not."""
    candidates = entity_plan.candidate_filters.get(name)
    relation = entity_plan.entity.relation(name)
    if (
        candidates is None
        or candidates.implied is not None
        or candidates.earlier
        or candidates.optional
        or not candidates.agreements
    ):
        return []
    return (
        []
        if _always_there(plan, relation, candidates)
        else list(dict.fromkeys(agreement.leader for agreement in candidates.agreements))
    )


def _picks_freely(entity_plan: EntityPlan, name: str) -> bool:
    """Whether a reference may pass over some rows: it is not an owner, and no other wish or reference decides where it goes."""
    relation = entity_plan.entity.relation(name)
    owned = entity_plan.owner is not None and entity_plan.owner.relation == name
    differs = any(name in (other.unlike, other.name) and other.unlike for other in entity_plan.entity.relations)
    own = relation.target == entity_plan.name
    return not (
        owned or differs or own or relation.weights or relation.spread or relation.choice or name in per_pair(entity_plan.entity)
    )


def per_pair(entity: Entity) -> tuple[str, ...]:
    """The relations of which the entity has a row for each combination."""
    return entity.rows.per if isinstance(entity.rows, PerPair) else ()


def retried(plan: Plan, entity_plan: EntityPlan, settled: set[str]) -> tuple[set[str], str]:
    """References that may find no row which agrees, so that they are drawn again with what they agree with; and on what.

    `settled` ones find their rows by a layout of their own. Where the owner leads there is nothing to draw: it gets no rows
    that find nothing.
    """
    names: set[str] = set()
    shared: dict[str, None] = {}
    followed = {follower for candidates in entity_plan.candidate_filters.values() for follower in candidates.followers}
    owner = entity_plan.owner.relation if entity_plan.owner else None
    for name, candidates in entity_plan.candidate_filters.items():
        bringers = may_find_nothing(plan, entity_plan, name)
        if not bringers or name in followed | settled or bringers in ([owner], [None]):
            continue
        names |= {name, *(bringer for bringer in bringers if bringer is not None)}
        shared.update(
            dict.fromkeys(agreement.column or agreement.ancestor or str(agreement.alike) for agreement in candidates.agreements)
        )
    return names, ", ".join(shared)


def _always_there(plan: Plan, relation: Relation, candidates: CandidateFilter) -> bool:
    """Whether the target has a row for every value that is brought: each row from which the value comes owns some."""
    target = plan.world.entity(relation.target)
    if len(candidates.agreements) != 1 or candidates.where is not None or not isinstance(target.rows, PerOwner):
        return False
    owned = plan.entities[target.name].owner if target.name in plan.entities else None
    least = owned.split.least if owned is not None else target.rows.lowest  # the declared one, until it is counted
    if target.rows.none or least < 1 or target.name in plan.asked or target.name in plan.kept:
        return False
    agreement, owner = candidates.agreements[0], target.relation(target.rows.per)
    if agreement.column is None:
        return agreement.alike is None and agreement.from_target == (owner.name,)
    return owner.columns == (relation.target_columns[relation.columns.index(agreement.column)],)
