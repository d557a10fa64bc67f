"""Stages: rows that are added to those of an earlier plan, and all of them as one dataset.

A later stage is a plan of its own, whose ordinals begin at 0 and whose random bits follow from the seed and its number. An entity
of it either gets rows, and then everything that refers to it refers to those, or it is kept: its rows are the ones that
earlier stages made. So nothing in a stage needs to know two sets of rows of one entity, but for the rules that keep the
added rows apart from the earlier ones. As one dataset, rows of all stages follow each other.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any

from ..model import Entity, Favour, Relation, World
from ..model.phrases import plural
from .entity import EntityPlan
from .plan import Plan
from .ports import Ordinals, RowsPort
from .references import ReferencePlan
from .ways.way import ReferenceWay


def as_kept(entity_plan: EntityPlan) -> EntityPlan:
    """An entity as a later stage sees it that adds no rows to it: what is laid out is not laid out again."""
    return replace(
        entity_plan,
        owner=None,
        components=(),
        precomputed=None,
        candidate_filters={},
        ties=(),
        rejection_groups=(),
        verified_checks=(),
    )


def without_fixed(world: World) -> World:
    """The world of a later stage: the first has the fixed rows."""
    entities = (replace(entity, fixed=(), fixed_places=(), there=0) if entity.fixed else entity for entity in world.entities)
    return replace(world, entities=tuple(entities))


def first_row(plan: Plan, entity: str) -> int:
    """How many rows of an entity come before those of a stage."""
    return plan.before.entities[entity].total if plan.before is not None else 0


def together(stages: Iterable[Plan]) -> Plan:
    """All stages, of which each was made beside the ones before it, as one plan; a single one is that plan itself."""
    every = tuple(stages)
    if len(every) == 1:
        return every[0]
    entities = {name: _joined(every, name) for name in every[0].entities}
    return replace(every[0], entities=entities, stages=every, notes=(), ignored=(), rooms={}, satisfied_bounds=frozenset())


def _joined(stages: tuple[Plan, ...], name: str) -> EntityPlan:
    """One entity of all stages. Its columns are made by the stages' own fillers (see StagedRows)."""
    parts = [(first_row(stage, name), stage.entities[name]) for stage in stages if name not in stage.kept]
    declared, latest = stages[0].entities[name], parts[-1][1]
    shown = latest if latest.total else declared
    fillers = {field: replace(filler, fill=_by_stage(field), needs=(), cheap=False) for field, filler in shown.fillers.items()}
    said = [(number, stage.entities[name].total) for number, stage in enumerate(stages, 1) if name not in stage.kept]
    total = sum(rows for _, rows in said)
    going_on = tuple(
        c for c in latest.components if c.position_offset or latest.origin is None
    )  # what a stage after these can go on with
    return EntityPlan(
        entity=declared.entity, generated=total - declared.fixed,
        because=", ".join(f"{plural(rows, 'row')} of stage {number}" for number, rows in said),
        fields=shown.fields, people=latest.people, components=going_on, fillers=fillers, cohorts=shown.cohorts,
        origin=latest.origin or latest,
        references={r.name: _reference(stages, r, shown.references[r.name]) for r in declared.entity.relations},
    )  # fmt: skip


def _by_stage(field: str) -> Callable[[RowsPort], Any]:
    return lambda rows: rows.column(field)


@dataclass(frozen=True, slots=True)
class StagedWay(ReferenceWay):
    """The ways of all stages as one: each stage finds targets and children of its own. `shown` is that of the latest."""

    relation: Relation
    stages: tuple[Plan, ...]
    shown: ReferenceWay

    def explained(self, entity: Entity) -> str:
        return self.shown.explained(entity)

    @property
    def satisfied(self) -> frozenset[str]:
        return self.shown.satisfied

    @property
    def favour(self) -> Favour | None:
        return self.shown.favour

    @property
    def _own(self) -> list[tuple[Plan, ReferencePlan]]:
        entity, name = self.relation.entity, self.relation.name
        return [(stage, stage.entities[entity].references[name]) for stage in self.stages if entity not in stage.kept]

    @property
    def finds_children(self) -> bool:
        return all(reference.finds_children for _, reference in self._own)

    def targets(self, rows: RowsPort) -> Ordinals:
        return rows.targets(self.relation.name)

    def children(self, ordinal: int) -> list[int]:
        entity, target = self.relation.entity, self.relation.target
        out: list[int] = []
        for stage, own in self._own:
            inside = ordinal if target in stage.kept else ordinal - first_row(stage, target)
            if 0 <= inside < stage.entities[target].total:
                out += [row + first_row(stage, entity) for row in own.way.children(inside)]
        return out


def _reference(stages: tuple[Plan, ...], relation: Relation, shown: ReferencePlan) -> ReferencePlan:
    way = StagedWay(relation, stages, shown.way)
    return ReferencePlan(relation=relation, way=way, targets=way.targets, present=shown.present)
