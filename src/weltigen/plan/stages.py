"""Stages: rows that are added to those of an earlier plan, and all of them as one dataset.

A later stage is a plan of its own, whose ordinals begin at 0 and whose random bits follow from the seed and its number. An entity
of it either gets rows, and then everything that refers to it refers to those, or it is kept: its rows are the ones that
earlier stages made. So nothing in a stage needs to know two sets of rows of one entity, but for the rules that keep the
added rows apart from the earlier ones. As one dataset, rows of all stages follow each other.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..model import Relation, World
from ..model.problems import plural
from .entity import EntityPlan, Filler
from .plan import Plan
from .ports import RowsPort
from .references import ReferencePlan

Ints = NDArray[np.int64]


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
    entities = (replace(entity, fixed=(), fixed_places=()) if entity.fixed else entity for entity in world.entities)
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
    fillers = {field: Filler(fill=_by_stage(field), because=filler.because) for field, filler in shown.fillers.items()}
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


def _reference(stages: tuple[Plan, ...], relation: Relation, shown: ReferencePlan) -> ReferencePlan:
    found = [stage.entities[relation.entity].references[relation.name] for stage in stages if relation.entity not in stage.kept]

    def children(ordinal: int) -> list[int]:
        out: list[int] = []
        for stage in stages:
            if relation.entity in stage.kept:
                continue
            own = stage.entities[relation.entity].references[relation.name].children
            inside = ordinal
            if relation.target not in stage.kept:
                inside -= first_row(stage, relation.target)
            if own is not None and 0 <= inside < stage.entities[relation.target].total:
                out += [row + first_row(stage, relation.entity) for row in own(inside)]
        return out

    known = all(reference.children is not None for reference in found)
    return ReferencePlan(
        relation=relation, targets=lambda rows: rows.targets(relation.name), because=shown.because,
        children=children if known else None, favour=shown.favour, satisfied=shown.satisfied,
    )  # fmt: skip
