"""The runtime of a plan: all of its rows, with what is worked out once for all of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from threading import RLock
from typing import Any, cast

import numpy as np

from ..model import Problem, Relation, World
from ..model.graphs import depth_first
from ..model.paths import Cell, Path
from ..model.problems import ImpossibleError
from ..model.ties import Way
from ..plan.agreement import CandidateFilter
from ..plan.entity import EntityPlan
from ..plan.plan import Plan
from ..plan.ports import Column, Ordinals, T
from .key_order import in_key_order, rank_by_key
from .members import Members, members_of, require_members
from .precomputed import Choices, choices_of
from .rows import SMALL, Rows
from .staged import StagedRows
from .strata import strata_of
from .verifying import FIRST, verify

_DEEP = 40  # cells that need each other in a chain, up to which calls simply nest


class PlanRuntime:
    """All cells of a plan. Holds no rows but the columns of small entities that others refer to."""

    def __init__(self, plan: Plan, known: dict[int, PlanRuntime] | None = None) -> None:
        known = {} if known is None else known
        known[id(plan)] = self
        self.plan = plan
        self.before = _known_runtime(plan.before, known) if plan.before is not None and not plan.stages else None
        self.stages = [_known_runtime(stage, known) for stage in plan.stages]
        self._made: dict[Any, Any] = {}
        self._working = RLock()

    def rows(self, entity: str, ordinals: Ordinals) -> Rows:
        """Some rows; those that a later stage keeps are rows of the stages before it, with all that they refer to."""
        if self.before is not None and entity in self.plan.kept:
            return self.before.rows(entity, ordinals)
        if self.stages:
            return StagedRows(self, self.plan.entities[entity], ordinals)
        return Rows(self, self.plan.entities[entity], ordinals)

    def targets(self, entity: str, ordinals: Ordinals, relation: str) -> Ordinals:
        """The rows that some rows refer to, -1 for none. What is kept refers to none of what this stage adds."""
        targets = self.rows(entity, ordinals).targets(relation)
        if entity in self.plan.kept and self.plan.entities[entity].entity.relation(relation).target not in self.plan.kept:
            return np.full_like(targets, -1)
        return targets

    def settle(self) -> None:
        """Everything that must be known before the first row is written; ImpossibleError says all at once what cannot be."""
        problems: dict[str, Problem] = {}
        for name in self.plan.order:
            for step in self._steps(self.plan.entities[name]):
                try:
                    step()
                except ImpossibleError as error:
                    problems.update({str(problem): problem for problem in error.problems})
        if problems:
            raise ImpossibleError(list(problems.values()))

    def _steps(self, entity_plan: EntityPlan) -> Iterator[Callable[[], object]]:
        name = entity_plan.name
        if entity_plan.precomputed is not None:
            yield lambda: self.choices(name)
        for number, component in enumerate(entity_plan.components):
            if component.strata:
                yield partial(strata_of, self, name, number)
        for cohort in entity_plan.cohorts.values():
            if cohort.subset.rows and any(delta.where is not None for delta in cohort.cohort.references):
                rows = self.rows(name, cohort.subset.at(np.zeros(1, np.int64) + cohort.subset.first))
                yield from (partial(rows.targets, delta.name) for delta in cohort.cohort.references)
        if entity_plan.verified_checks and entity_plan.total:
            first = np.arange(min(entity_plan.total, FIRST), dtype=np.int64)
            yield lambda: verify(self.rows(name, first))
        for relation in entity_plan.candidate_filters:
            yield partial(require_members, self, entity_plan, entity_plan.entity.relation(relation))

    @property
    def world(self) -> World:
        return self.plan.world

    def total(self, entity: str) -> int:
        """How many rows an entity has."""
        return self.plan.entities[entity].total

    def choices(self, entity: str) -> Choices:
        """What was worked out beforehand for all rows of an entity."""
        return choices_of(self, entity)

    def members(self, entity: str, relation: str) -> Members:
        """The rows that a reference may point to."""
        return members_of(self, entity, relation)

    def members_of_cohort(self, entity: str, relation: Relation, where: CandidateFilter, cohort: str) -> Members:
        """The rows that a reference of one cohort may point to."""
        key = ("members of a cohort", entity, relation.name, cohort)
        return self.once(key, lambda: Members(self, self.plan.entities[entity], relation, where))

    def key_order(self, relation: Relation) -> Ordinals | None:
        """The rows of a reference's target by their keys, rising; None where they stand so."""
        return in_key_order(self, relation)

    def key_rank(self, relation: Relation) -> Ordinals | None:
        """The rank of each row of a reference's target among all by key; None where they stand so."""
        return rank_by_key(self, relation)

    def lead(self, entity: str, at: Ordinals, way: Way) -> Ordinals:
        """Where a way over references ends, from the rows `at` of an entity; -1 from -1, and where one refers to nothing."""
        for name in way:
            least, high = (int(at.min()), int(at.max())) if at.size else (0, 0)
            there, low = (np.maximum(at, 0), 0) if least < 0 else (at, least)
            high = max(high, 0)
            if there.size > 1 and high - low < 2 * there.size:  # most of a range is reached: each of its rows is worked out once
                led = self.targets(entity, np.arange(low, high + 1), name)[there - low]
            else:
                led = self.targets(entity, there, name)
            at = np.where(at < 0, -1, led) if least < 0 else led
            entity = self.plan.entities[entity].entity.relation(name).target
        return at

    def whole(self, entity: str, path: Path) -> Column:
        """A whole column of a small entity, or of what a path leads to. Two threads may both make it once; they make the same."""
        if len(path) == 1 and (entity, path) not in self._made:
            self._make_first(entity, path[0])
        return self.once((entity, path), lambda: self.rows(entity, np.arange(self.plan.entities[entity].total)).path(path))

    def _make_first(self, entity: str, field: str) -> None:
        """Makes what a column needs from the first cell of the chain on, where that is so long that calls would nest too deep."""

        def needs(cell: Cell) -> tuple[Cell, ...]:
            made = (cell[0], (cell[1],)) in self._made
            filler = None if made else self.plan.entities[cell[0]].fillers.get(cell[1])
            return filler.needs if filler is not None else ()

        order, _ = depth_first([(entity, field)], needs)
        for name, column in order[:-1] if len(order) > _DEEP else ():
            entity_plan = self.plan.entities[name]
            if entity_plan.total <= SMALL and not entity_plan.fillers[column].cheap:
                self.once((name, (column,)), partial(self._column, name, column))

    def _column(self, entity: str, field: str) -> Column:
        return self.rows(entity, np.arange(self.plan.entities[entity].total)).column(field)

    def once(self, key: Any, make: Callable[[], T]) -> T:
        """What `make` gives, made once for all rows. Two threads may both make it once; they make the same."""
        made = self._made.get(key)
        if made is None:
            made = self._made[key] = make()
        return cast(T, made)

    def shared(self, key: Any, make: Callable[[], T]) -> T:
        """What `make` gives, made once for all rows; the first thread that asks does the work, and the others wait."""
        with self._working:
            if key not in self._made:
                self._made[key] = make()
            return cast(T, self._made[key])


def _known_runtime(plan: Plan, known: dict[int, PlanRuntime]) -> PlanRuntime:
    return known[id(plan)] if id(plan) in known else PlanRuntime(plan, known)
