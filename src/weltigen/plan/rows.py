"""Rows while they are made: some ordinals of one entity, and the columns worked out for them so far."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from threading import RLock
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model import Problem
from ..model.paths import Path, field_at
from ..model.problems import ImpossibleError
from ..model.ties import Way
from ..values import Person
from .members import Members, require_members
from .plan import EntityPlan, Owner, Plan
from .positions import positions_of
from .precomputed import Choices, work_out
from .stages import first_row, merged
from .strata import Strata
from .verifying import FIRST, verify

SMALL = 65_536  # columns of entities up to this many rows are kept once made, for the rows that refer to them

Ordinals = NDArray[np.int64]
_T = TypeVar("_T")


def redraw_key(relation: str) -> str:
    """How rows call a relation whose targets are picked again, among the fields that are made again."""
    return f"→{relation}"


def take(column: Any, index: Ordinals, null: NDArray[np.bool_] | None) -> Any:
    """Entries of a column, null where `null` is true; one row alone is a slice."""
    if null is None and len(index) == 1:
        return column.slice(int(index[0]), 1)
    return column.take(pa.array(index, mask=null))


class PlanRuntime:
    """All cells of a plan. Holds no rows but the columns of small entities that others refer to."""

    def __init__(self, plan: Plan, known: dict[int, PlanRuntime] | None = None) -> None:
        known = {} if known is None else known
        known[id(plan)] = self
        self.plan = plan
        self.before = _known_runtime(plan.before, known) if plan.before is not None and not plan.stages else None
        self.stages = [_known_runtime(stage, known) for stage in plan.stages]
        self._kept: dict[Any, Any] = {}
        self._choices: dict[str, Choices] = {}
        self._members: dict[tuple[str, str], Members] = {}
        self._strata: dict[tuple[str, int], Strata] = {}
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
                yield partial(self.strata, name, number)
        for cohort in entity_plan.cohorts.values():
            if cohort.subset.rows and any(delta.where is not None for delta in cohort.cohort.references):
                rows = self.rows(name, cohort.subset.at(np.zeros(1, np.int64) + cohort.subset.first))
                yield from (partial(rows.targets, delta.name) for delta in cohort.cohort.references)
        if entity_plan.verified_checks and entity_plan.total:
            first = np.arange(min(entity_plan.total, FIRST), dtype=np.int64)
            yield lambda: verify(self.rows(name, first))
        for relation in entity_plan.candidate_filters:
            yield partial(require_members, self, entity_plan, entity_plan.entity.relation(relation))

    def choices(self, entity: str) -> Choices:
        """What was worked out beforehand for all rows of an entity; the first thread that asks does the work."""
        with self._working:
            if entity not in self._choices:
                self._choices[entity] = work_out(self, self.plan.entities[entity])
            return self._choices[entity]

    def members(self, entity: str, relation: str) -> Members:
        """The rows that a reference may point to; made once."""
        with self._working:
            if (entity, relation) not in self._members:
                entity_plan = self.plan.entities[entity]
                candidates = entity_plan.candidate_filters[relation]
                self._members[entity, relation] = Members(self, entity_plan, entity_plan.entity.relation(relation), candidates)
            return self._members[entity, relation]

    def strata(self, entity: str, component: int) -> Strata:
        """The groups of a component whose references agree; made once."""
        with self._working:
            if (entity, component) not in self._strata:
                entity_plan = self.plan.entities[entity]
                self._strata[entity, component] = Strata(self, entity_plan, entity_plan.components[component])
            return self._strata[entity, component]

    def lead(self, entity: str, at: Ordinals, way: Way) -> Ordinals:
        """Where a way over references ends, from the rows `at` of an entity; -1 from -1, and where one refers to nothing."""
        for name in way:
            there = np.maximum(at, 0)
            low, high = (int(there.min()), int(there.max())) if there.size else (0, 0)
            if there.size > 1 and high - low < 2 * there.size:  # most of a range is reached: each of its rows is worked out once
                led = self.targets(entity, np.arange(low, high + 1), name)[there - low]
            else:
                led = self.targets(entity, there, name)
            at = np.where(at < 0, -1, led)
            entity = self.plan.entities[entity].entity.relation(name).target
        return at

    def whole(self, entity: str, path: Path) -> Any:
        """A whole column of a small entity, or of what a path leads to. Two threads may both make it once; they make the same."""
        return self.once((entity, path), lambda: self.rows(entity, np.arange(self.plan.entities[entity].total)).path(path))

    def once(self, key: Any, make: Callable[[], Any]) -> Any:
        """What `make` gives, made once for all rows."""
        kept = self._kept.get(key)
        if kept is None:
            kept = self._kept[key] = make()
        return kept


def _known_runtime(plan: Plan, known: dict[int, PlanRuntime]) -> PlanRuntime:
    return known[id(plan)] if id(plan) in known else PlanRuntime(plan, known)


class Rows:
    """Columns of some rows, each made when it is first asked for."""

    __slots__ = ("_made", "_whole", "attempt", "ordinals", "plan", "redrawn", "runtime")

    def __init__(
        self, runtime: PlanRuntime, plan: EntityPlan, ordinals: Ordinals, attempt: int = 0, redrawn: frozenset[str] = frozenset()
    ) -> None:
        self.runtime, self.plan, self.ordinals, self.attempt = runtime, plan, ordinals, attempt
        self._made: dict[Any, Any] = {}
        self.redrawn = redrawn
        self._whole: tuple[Rows, Ordinals] | None = None

    def __len__(self) -> int:
        return len(self.ordinals)

    def once(self, key: Any, make: Callable[[], _T]) -> _T:
        """What `make` gives, made once for these rows."""
        if key not in self._made:
            self._made[key] = make()
        made: _T = self._made[key]
        return made

    def column(self, field: str) -> Any:
        """The Arrow column of one field."""
        made = self._made.get(field)
        if made is None and self._whole is not None and field in self._whole[0]._made:
            made = self._made[field] = self._whole[0]._made[field].take(pa.array(self._whole[1]))
        if made is None:
            if field not in self.redrawn:
                for group in self.plan.rejection_groups:
                    if field in group.fields:
                        self._made.update(group.settle(self))
                        return self._made[field]
            made = self._made[field] = self.plan.fillers[field].fill(self)
        return made

    def generated(self) -> Ordinals:
        """Ordinals counted from the first generated row; negative for fixed rows."""
        return self.ordinals - self.plan.fixed if self.plan.fixed else self.ordinals

    def belong(self, parents: Rows, relation: str, at: Ordinals, rank: Ordinals, count: Ordinals) -> None:
        """Says that these are the children, by their owner, of the rows `at` of others: what those know is not made again."""
        owners = parents.ordinals[at]
        self._made["owners"] = (owners, rank, count)
        self._made["targets", relation] = owners
        self._made["reached", relation, False, False] = (parents, at)

    def owners(self) -> tuple[Ordinals, Ordinals, Ordinals]:
        """Owner, rank among the owner's rows, and how many those are; fixed rows count as the first row's."""
        owner = self.plan.owner
        assert owner is not None
        return self.once("owners", lambda: self._owners(owner))

    def _owners(self, owner: Owner) -> tuple[Ordinals, Ordinals, Ordinals]:
        if self._whole is not None:
            of, rank, count = self._whole[0].owners()
            return of[self._whole[1]], rank[self._whole[1]], count[self._whole[1]]
        if len(self.ordinals) == 1:
            one = owner.split.locate_one(max(0, int(self.generated()[0])))
            return np.array(one[:1]), np.array(one[1:2]), np.array(one[2:])
        return owner.split.locate(np.maximum(self.generated(), 0) if self.plan.fixed else self.ordinals)

    def person(self) -> Person:
        people = self.plan.people
        assert people is not None
        return self.once("person", lambda: people.at(self.ordinals))

    def digit(self, component: int, name: str) -> NDArray[np.uint64]:
        """The positions of one digit of a unique rule."""
        made = self.once(("component", component), lambda: positions_of(component, self))
        return made[name]

    def targets(self, relation: str) -> Ordinals:
        """The ordinals of the rows that a relation points to, -1 for none."""
        return self.once(("targets", relation), lambda: self._targets(relation))

    def _targets(self, relation: str) -> Ordinals:
        if self._whole is not None:
            return np.asarray(self._whole[0].targets(relation)[self._whole[1]], np.int64)
        if self.plan.rejection_groups and redraw_key(relation) not in self.redrawn:
            for group in self.plan.rejection_groups:
                if relation in group.relations:
                    self._made.update(group.settle(self))
                    found: Ordinals = self._made["targets", relation]
                    return found
        return np.asarray(self.plan.references[relation].targets(self), np.int64)

    def follow(self, relation: str, way: Way) -> Ordinals:
        """Where a way that begins with a relation ends, in ordinals of the last entity; -1 where it leads to nothing."""
        if not way:
            return self.targets(relation)
        return self.once(("follow", relation, way), lambda: self._follow(relation, way))

    def _follow(self, relation: str, way: Way) -> Ordinals:
        at = self.plan.entity.relation(relation).target
        for name in way[:-1]:
            at = self.runtime.plan.entities[at].entity.relation(name).target
        return self.runtime.lead(at, self.follow(relation, way[:-1]), way[-1:])

    def path(self, path: Path, earlier: bool = False) -> Any:
        """A column of these rows, or of the rows to which relations lead; null where one of them points to nothing.

        `earlier`: what fills a field by a row of its own entity asks only rows that come before it, so that it comes to an end.
        """
        return self.column(path[0]) if len(path) == 1 else self.reach(path[0], path[1:], earlier)

    def reach(self, relation: str, path: Path, earlier: bool = False) -> Any:
        """A column of the rows that a relation points to, or of those to which the path leads on from there."""
        targets = self.targets(relation)
        target = self.runtime.plan.entities[self.plan.references[relation].relation.target]
        to_itself = target.name == self.plan.name
        absent = targets < 0
        if earlier and to_itself:
            absent |= targets >= self.ordinals
        null = absent if absent.any() else None
        if null is not None and null.all():
            return pa.nulls(len(self), field_at(self.runtime.plan.world, target.entity, path).type.arrow())
        cheap = len(path) == 1 and target.fillers[path[0]].cheap
        if target.total <= SMALL and not cheap and not to_itself:
            return take(self.runtime.whole(target.name, path), targets, null)
        key = ("reached", relation, cheap, earlier and to_itself)
        reached, index = self.once(key, lambda: self._reached(relation, target, targets, null, cheap))
        column = reached.path(path, earlier)
        if index is None:
            return column
        return take(column, index, null)

    def _reached(
        self, relation: str, target: EntityPlan, targets: Ordinals, null: Any, cheap: bool
    ) -> tuple[Rows, Ordinals | None]:
        """The rows reached, each once where that is quickly had, and where each row finds its own."""
        if null is not None:  # only rows that are there, each row's place among them
            return self.runtime.rows(target.name, targets[~null]), np.maximum(np.cumsum(~null) - 1, 0)
        if cheap:
            return self.runtime.rows(target.name, targets), None
        if self.plan.owner is not None and self.plan.owner.relation == relation and len(targets):
            low, high = int(targets.min()), int(targets.max())
            if high - low < len(targets):
                return self.runtime.rows(target.name, np.arange(low, high + 1, dtype=np.int64)), targets - low
        return self.runtime.rows(target.name, targets), None

    def in_stages(self) -> list[Rows]:
        """The rows as the stages have them that made them."""
        return [self]

    def some(self, chosen: Ordinals) -> Rows:
        """Only the rows at `chosen`; columns that are made already are taken from, not made again."""
        part = Rows(self.runtime, self.plan, self.ordinals[chosen], self.attempt, self.redrawn)
        part._whole = (self, chosen)
        return part

    def redraw(self, chosen: Ordinals, attempt: int, redrawn: frozenset[str]) -> Rows:
        """Some of these rows, whose `raw` fields are made anew for another attempt."""
        return Rows(self.runtime, self.plan, self.ordinals[chosen], attempt, redrawn)


class StagedRows(Rows):
    """Rows of several stages as one dataset: each stage makes its own."""

    __slots__ = ()

    def parts(self) -> list[tuple[Ordinals, int, Rows]]:
        """For each stage that has some of the rows: their places, the number of the stage, and the rows there."""
        return self.once("parts", self._parts)

    def _parts(self) -> list[tuple[Ordinals, int, Rows]]:
        out, name = [], self.plan.name
        for number, runtime in enumerate(self.runtime.stages):
            if name in runtime.plan.kept:
                continue
            first = first_row(runtime.plan, name)
            inside = (self.ordinals >= first) & (self.ordinals < first + runtime.plan.entities[name].total)
            places = np.flatnonzero(inside)
            if places.size:
                out.append((places, number, runtime.rows(name, self.ordinals[places] - first)))
        return out

    def column(self, field: str) -> Any:
        return self.once(
            field, lambda: self._merged([(places, rows.column(field)) for places, _, rows in self.parts()], (field,))
        )

    def reach(self, relation: str, path: Path, earlier: bool = False) -> Any:
        found = [(places, rows.reach(relation, path, earlier)) for places, _, rows in self.parts()]
        return self._merged(found, (relation, *path))

    def _merged(self, found: list[tuple[Ordinals, Any]], path: Path) -> Any:
        if not found:
            return pa.nulls(0, field_at(self.runtime.plan.world, self.plan.entity, path).type.arrow())
        return merged(found, len(self))

    def _targets(self, relation: str) -> Ordinals:
        out = np.full(len(self), -1, np.int64)
        target = self.plan.entity.relation(relation).target
        for places, number, rows in self.parts():
            stage = self.runtime.stages[number].plan
            there = rows.targets(relation)
            added = 0 if target in stage.kept else first_row(stage, target)
            out[places] = np.where(there < 0, there, there + added)
        return out

    def some(self, chosen: Ordinals) -> Rows:
        return StagedRows(self.runtime, self.plan, self.ordinals[chosen])

    def in_stages(self) -> list[Rows]:
        return [rows for _, _, rows in self.parts()]
