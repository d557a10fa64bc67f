"""The cells that must be known before a reference can find its target."""

from __future__ import annotations

from ...model import Relation
from ...model.paths import Cell
from ...model.ties import Way
from ...plan.entity import EntityPlan
from ...plan.formulas import bind
from ...plan.plan import Plan
from ..knowledge.settled import is_settled, must_differ


def differing_cells(entity_plan: EntityPlan, relation: Relation) -> tuple[Cell, ...]:
    """The columns of the reference from which this one must differ, where it is the one that gives way."""
    differing = must_differ(entity_plan, relation)
    if differing is None or (differing != relation.unlike and is_settled(entity_plan, relation.name)):
        return ()
    return tuple((entity_plan.name, column) for column in entity_plan.entity.relation(differing).columns)


def agreed_cells(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> tuple[Cell, ...]:
    """The cells that must be known before a reference can agree with others and keep its condition."""
    candidates = entity_plan.candidate_filters.get(relation.name)
    if candidates is None or (entity_plan.owner is not None and entity_plan.owner.relation == relation.name):
        return ()
    cells: list[Cell] = []
    for agreement in candidates.agreements:
        if agreement.leader is not None:
            bringer = entity_plan.entity.relation(agreement.leader)
            cells += [(entity_plan.name, column) for column in bringer.columns]
            cells += _along(plan, bringer.target, agreement.from_leader)
        cells += _along(plan, relation.target, agreement.from_target)
        if agreement.alike is not None:
            cells += [(entity_plan.name, agreement.alike.own), (relation.target, agreement.alike.theirs)]
    if candidates.where is not None:
        target = plan.entities[relation.target]
        cells += bind(plan.world, target.entity, candidates.where.expression, candidates.where.dialect).needs
    return tuple(cells)


def _along(plan: Plan, entity: str, way: Way) -> list[Cell]:
    cells: list[Cell] = []
    for name in way:
        relation = plan.entities[entity].entity.relation(name)
        cells += [(entity, column) for column in relation.columns]
        entity = relation.target
    return cells
