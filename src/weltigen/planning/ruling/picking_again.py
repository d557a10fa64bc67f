"""References that are picked again where a row fails a check, and those that then refer to nothing."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ...model import Relation
from ...model.origins import Origin
from ...plan.entity import EntityPlan, may_be_null, may_refer_to_none
from ...plan.formulas import Formula
from ...plan.plan import Plan
from ...plan.ports import RowsPort, redraw_key
from ...plan.references import ReferencePlan
from ...plan.rejection import RANDOM
from ...randomness import Bits
from ..knowledge.agreeing import per_pair
from ..knowledge.settled import is_settled, must_differ, ordered_freely


def picked_again(plan: Plan, entity_plan: EntityPlan, formula: Formula, read: set[str]) -> set[str]:
    """The references that a check reads through, and that may go to any row: they can be picked again, a pair as one."""
    entity = entity_plan.entity
    asked = {path[0] for path in formula.paths.values() if len(path) > 1}
    through = [relation for relation in entity.relations if relation.name in asked or set(relation.columns) & read]
    pairs = free_pairs(plan, entity_plan)
    free = {name for relation in through for name in pairs.get(relation.name, ())}
    free |= {
        relation.name
        for relation in through
        if _alone(entity_plan, relation) and must_differ(entity_plan, relation) is None and relation.tree is None
        and not (relation.target == entity.name and any(len(path) > 1 for path in formula.paths.values()))
        and relation.name not in {*entity_plan.candidate_filters, *per_pair(entity), *pairs}
        and not _wished(entity_plan, relation) and not is_settled(entity_plan, relation.name)
    }  # fmt: skip
    return set(map(redraw_key, free))


def free_pairs(plan: Plan, entity_plan: EntityPlan) -> dict[str, tuple[str, str]]:
    """References that are picked as a pair, of which one goes to the greater key; by the name of either."""
    out: dict[str, tuple[str, str]] = {}
    for upper in entity_plan.entity.relations:
        if upper.above is not None and ordered_freely(plan, entity_plan, upper):
            out |= dict.fromkeys((upper.name, upper.above), (upper.above, upper.name))
    return out


def _alone(entity_plan: EntityPlan, relation: Relation) -> bool:
    """Whether no other reference holds a column of this one."""
    others = (other for other in entity_plan.entity.relations if other is not relation)
    return not any(set(other.columns) & set(relation.columns) for other in others)


def _wished(entity_plan: EntityPlan, relation: Relation) -> bool:
    """Whether the world file says which rows a reference picks, which another pick would undo."""
    followed = any(relation.name in candidates.columns for candidates in entity_plan.candidate_filters.values())
    counted = "children" in entity_plan.references[relation.name].way.satisfied
    return followed or counted or bool(relation.weights or relation.spread or relation.choice)


def picking_again(plan: Plan, entity_plan: EntityPlan, usual: ReferencePlan, alone: bool) -> ReferencePlan:
    """Where an attempt failed, any row of the target, each as likely; a row that refers to nothing stays so. One that is `alone`
    in being picked again goes to all rows at last, one after the other."""
    relation, total = usual.relation, np.uint64(max(1, plan.entities[usual.relation.target].total))

    def there(rows: RowsPort) -> Any:
        """How many rows may be referred to: of its own entity those up to the row itself."""
        return rows.ordinals.astype(np.uint64) + np.uint64(1) if relation.target == rows.name else total

    def targets(rows: RowsPort) -> Any:
        found = usual.targets(rows)
        if redraw_key(relation.name) not in rows.redrawn or not rows.attempt:
            return found
        if rows.attempt < RANDOM or not alone:
            bits = Bits(plan.stage_seed, entity_plan.name, relation.name, "reference", rows.attempt)
            again = bits.below(there(rows), rows.ordinals).astype(np.int64)
        else:  # from another one on in each row
            first = Bits(plan.stage_seed, entity_plan.name, relation.name, "first").words(rows.ordinals) >> np.uint64(1)
            again = ((first + np.uint64(rows.attempt)) % there(rows)).astype(np.int64)
            if relation.target == rows.name and rows.attempt % 2:  # the first row has no other to refer to
                return np.where(found < 0, rows.ordinals, again)
        return np.where(found < 0, -1, again)

    return replace(usual, targets=targets, redrawn="another")


def giving_way(plan: Plan, entity_plan: EntityPlan, read: set[str]) -> set[str]:
    """The references of columns that a check reads which cannot be picked again, but may refer to nothing where it fails: nobody
    said when they are there, and nothing refers to a row by them."""
    asked = [r for r in entity_plan.entity.relations if set(r.columns) & read]
    return {redraw_key(relation.name) for relation in asked if _may_give_way(plan, entity_plan, relation)}


def _may_give_way(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> bool:
    entity, usual = entity_plan.entity, entity_plan.references[relation.name]
    said = usual.present is not None and usual.present.origin not in (Origin.GUESSED, Origin.FALLBACK)
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    worked_out = entity_plan.precomputed is not None and relation.name in entity_plan.precomputed.relations
    if said or owned or worked_out or usual.cohorts or not _alone(entity_plan, relation) or _wished(entity_plan, relation):
        return False
    asked = plan.world.columns_referred_to(entity.name)
    ruled = {c for rule in entity.unique_rules if not rule.nulls_distinct for c in rule.columns}
    free = may_be_null(entity_plan, relation) and may_refer_to_none(entity, relation)
    return free and not set(relation.columns) & (asked | ruled)


def referring_to_none(usual: ReferencePlan) -> ReferencePlan:
    """Where an attempt failed, nothing."""

    def targets(rows: RowsPort) -> Any:
        again = rows.attempt and redraw_key(usual.relation.name) in rows.redrawn
        return np.full(len(rows), -1, np.int64) if again else usual.targets(rows)

    return replace(usual, targets=targets, redrawn="none")
