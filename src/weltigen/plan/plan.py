"""The plan: everything decided once, before the first row is made. Frozen; passes make a new one out of the last."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

from ..model import Problem, Relation, World
from ..model.changing import changed
from ..model.paths import Cell
from ..model.problems import ImpossibleError
from ..randomness import Seed
from .entity import EntityPlan
from .fields import Room


@dataclass(frozen=True, slots=True, kw_only=True)
class Cycle:
    """Entities that refer to each other in a circle, and the reference at which it was broken."""

    members: tuple[str, ...]
    broken_at: Relation | None


@dataclass(frozen=True, kw_only=True)
class Plan:
    """A world with a seed, counts and fillers; `order` is the order of filling.

    A plan with `before` is a later stage: it adds rows to those, and its `order` holds the entities that get some. All others
    are `kept`: their rows are those of `before`, and what is added may refer to them. A plan with `stages` is all of these as
    one dataset (see stages.py).
    """

    world: World
    seed: int
    window: tuple[datetime, datetime]
    now: datetime
    asked: Mapping[str, int] = field(default_factory=dict)
    times: float = 1.0
    most: Mapping[str, int] = field(default_factory=dict)  # rows that entities whose number is derived have room for
    first_keys: Mapping[Cell, int] = field(default_factory=dict)  # where keys begin for the sake of rows that refer to them
    overrides: Mapping[str, str | None] = field(default_factory=dict)  # single fields that the run sets
    entities: Mapping[str, EntityPlan] = field(default_factory=dict)
    order: tuple[str, ...] = ()
    cycles: tuple[Cycle, ...] = ()
    notes: tuple[str, ...] = ()
    rooms: Mapping[Cell, Room] = field(default_factory=dict)
    satisfied_bounds: frozenset[tuple[str, str, tuple[str, ...], bool]] = (
        frozenset()
    )  # bounds by other cells that hold whatever these are
    ignored: tuple[str, ...] = ()  # wishes that change nothing, and why
    problems: tuple[Problem, ...] = ()
    before: Plan | None = None
    kept: frozenset[str] = frozenset()
    stages: tuple[Plan, ...] = ()

    @property
    def stage(self) -> int:
        """The number of the stage, from 1; of several as one dataset, that of the last."""
        if self.stages:
            return len(self.stages)
        return self.before.stage + 1 if self.before is not None else 1

    @property
    def stage_seed(self) -> Seed:
        """What all random bits follow from."""
        return self.seed if self.before is None else f"{self.seed}/{self.stage}"

    def with_entity(self, entity: EntityPlan) -> Plan:
        return self.with_entities([entity])

    def with_entities(self, entities: Iterable[EntityPlan]) -> Plan:
        """For a pass that looks at no entity which it has planned before: all of them at once, since a copy is made."""
        return changed(self, entities={**self.entities, **{entity.name: entity for entity in entities}})

    def with_problems(self, problems: list[Problem]) -> Plan:
        """With more problems, each said once."""
        every = {str(problem): problem for problem in (*self.problems, *problems)}
        return replace(self, problems=tuple(every.values())) if problems else self

    def entity(self, name: str) -> EntityPlan:
        self.world.entity(name)  # raises with the nearest word
        return self.entities[name]

    def check(self) -> Plan:
        """This plan, or ImpossibleError with all of its problems."""
        if self.problems:
            raise ImpossibleError(self.problems)
        return self
