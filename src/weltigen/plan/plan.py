"""The plan: everything decided once, before the first row is made. Frozen; passes make a new one out of the last."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ..model import Check, Entity, Favour, Field, Problem, Relation, Tree, Unique, World
from ..model.paths import Cell
from ..model.problems import ImpossibleError
from ..model.ties import Tie, Way
from ..randomness import Bits, ContiguousSplit, DistinctPicks, PopularitySplit, Seed
from ..values import Axis, People, Prepared

if TYPE_CHECKING:
    from .cohorts import CohortPlan
    from .formula import Formula
    from .reducing import ReducedRule
    from .rows import Rows


@dataclass(frozen=True, slots=True, kw_only=True)
class Filler:
    """Makes one column of any rows of its entity. `needs` are the columns it reads, of this entity or of others.

    `cheap`: arithmetic on the ordinals, so that a copy of the column is never worth keeping.
    """

    fill: Callable[[Rows], Any]
    because: str
    needs: tuple[Cell, ...] = ()
    cheap: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Owner:
    """The relation whose target's rows each have so many rows of this entity, and how the rows are split."""

    relation: str
    split: ContiguousSplit


@dataclass(frozen=True, slots=True, kw_only=True)
class Moving:
    """A bound that is another cell: `strict` by one unit; `within` units from it at most."""

    path: tuple[str, ...]
    upper: bool
    strict: bool
    within: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldPlan:
    """A field with its limits typed and its values prepared.

    `prepared` None: the field is a reference's column, or counts up, or is a constant that `constant` holds, or is `spaced`:
    the first value of each owner's rows and the distance from one to the next, in units; or it is `computed` from other cells.
    `counts_within`: numbers count up among an owner's rows. `rounded`: positions are spans of so many units, and values lie
    anywhere within theirs. With `cases` each row is filled by the first of them whose condition it keeps.
    """

    field: Field
    axis: Axis | None = None
    low: int | None = None
    high: int | None = None
    step: int = 1
    moving: tuple[Moving, ...] = ()
    prepared: Prepared | None = None
    constant: Any = None
    counts_up: bool = False
    spaced: tuple[int, int] | None = None
    computed: Formula | None = None
    cases: tuple[tuple[Formula | None, FieldPlan], ...] = ()
    shape: Any = None
    counts_within: bool = False
    rounded: int = 0
    because: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Digit:
    """One free part of a unique rule: a field, or a relation; `radix` different values.

    `through`: the rule holds only the part of a reference that names the owner of the row referred to; the digit is that
    owner, and the reference goes to one of the owner's rows. `counting`: the rank among an owner's rows itself. `null`: the
    last value is null, which the rule counts like any other.
    """

    name: str
    relation: bool
    radix: int
    rising: bool = False
    counting: bool = False
    null: bool = False
    through: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """A many-to-many with favourites at its ends: the rows of `first` have so many rows each, which go to different rows of
    `second`. `split` None: the first is the owner."""

    first: str
    second: str
    picks: DistinctPicks
    split: PopularitySplit | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Component:
    """Unique rules that share digits, laid out together: rows go to groups, and differ within them.

    A group is an owner (`within_owner`), the owner of an owner (`ancestors`), or all rows, divided evenly by the digits of
    `core`; each petal holds the other digits of one rule and takes a different value for each row of a group.
    """

    rules: tuple[str, ...]
    within_owner: bool
    core: tuple[Digit, ...]
    petals: tuple[tuple[Digit, ...], ...]
    bits: Bits
    ancestors: tuple[str, ...] = ()  # entities from the owner up, of which the last one's rows are the groups
    strata: tuple[str, ...] = ()  # references that agree: the one that leads, unless it is the owner, and its followers
    apart: frozenset[str] = frozenset()  # those of them that must differ from the leading one
    link: Link | None = None
    position_offset: int = 0  # positions that earlier stages took: the rows of this one go on behind them

    @property
    def core_space(self) -> int:
        space = 1
        for digit in self.core:
            space *= digit.radix
        return space


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """One thing in which the target of a reference agrees with what an earlier reference, `bringer`, brings.

    Either the value of a `column` that both hold, or the row of `ancestor` in which the ways `own`, on from the bringer's
    target, and `theirs`, on from this one's, both end. `bringer` None: the row itself.
    """

    leader: str | None
    ancestor: str = ""
    from_leader: Way = ()
    from_target: Way = ()
    column: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class CandidateFilter:
    """Which rows of its target a reference may point to: those that agree in every part and keep `where`.

    `columns` are those that other references bring. `followers` are references that agree with this one and must find a row
    too. `earlier`: of its own entity's rows, only those
    before the row itself, in a `chain` just the one before, or as a `tree` of each group has it.
    """

    agreements: tuple[Agreement, ...] = ()
    columns: tuple[str, ...] = ()
    where: Check | None = None
    followers: tuple[str, ...] = ()
    earlier: bool = False
    chain: bool = False
    tree: Tree | None = None
    apart: str | None = None  # another reference to the same target, from which this one differs
    optional: bool = False

    @property
    def implied(self) -> Agreement | None:
        """The part that leaves no choice: where its bringer leads is where this reference must."""
        alone = len(self.agreements) == 1 and self.where is None and not self.earlier
        return self.agreements[0] if alone and not self.agreements[0].from_target and self.agreements[0].column is None else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Precomputed:
    """Rules and references that no arithmetic lays out: choices are worked out beforehand for all rows (see tabled.py).

    `relations` are in the order in which they are chosen: of two that share a column the first one brings it.
    """

    rules: tuple[Unique, ...]
    relations: tuple[str, ...]
    fields: tuple[Digit, ...]
    bits: Bits
    because: str
    beside: frozenset[str] = frozenset()  # the rules that hold beside rows of earlier stages as well

    @property
    def bytes_a_row(self) -> int:
        return 8 * (len(self.relations) + len(self.fields) + len(self.rules))


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferencePlan:
    """How rows find the row that a relation points to: `targets(rows)` gives ordinals, -1 for none.

    `children(ordinal)` gives the rows that may refer to a target, fixed rows aside, where arithmetic knows them.
    """

    relation: Relation
    targets: Callable[[Rows], Any]
    because: str
    children: Callable[[int], list[int]] | None = None
    children_in_blocks: Callable[[Any], Iterator[tuple[Any, Any]]] | None = (
        None  # the same for many targets, in blocks with their places
    )
    favour: Favour | None = None  # where rows pick freely
    satisfied: tuple[str, ...] = ()  # what the world file asks of the choice, by its keys, and gets
    grouped: int | None = None  # the component in whose strata the rows that refer to one target lie together
    needs: tuple[Cell, ...] = ()


@dataclass(frozen=True, kw_only=True)
class EntityPlan:
    """One entity: how many rows and why, and how each column is made."""

    entity: Entity
    generated: int = 0
    because: str = ""
    owner: Owner | None = None
    fields: Mapping[str, FieldPlan] = field(default_factory=dict)
    people: People | None = None
    components: tuple[Component, ...] = ()
    precomputed: Precomputed | None = None
    ties: tuple[Tie, ...] = ()
    reference_order: tuple[str, ...] = ()  # all references, each before those that agree with it
    candidate_filters: Mapping[str, CandidateFilter] = field(default_factory=dict)
    references: Mapping[str, ReferencePlan] = field(default_factory=dict)
    fillers: Mapping[str, Filler] = field(default_factory=dict)
    rejection_groups: tuple[Any, ...] = ()
    verified_checks: tuple[Any, ...] = ()
    reduced: tuple[ReducedRule, ...] = ()  # unique rules over expressions or some of the rows, brought down to columns
    conditional: tuple[ReducedRule, ...] = ()  # those of them that are kept by their condition
    cohorts: Mapping[str, CohortPlan] = field(default_factory=dict)
    earlier: EntityPlan | None = None  # the rows of earlier stages, beside which these are added
    origin: EntityPlan | None = None  # the first stage that had any

    @property
    def name(self) -> str:
        return self.entity.name

    @property
    def fixed(self) -> int:
        return len(self.entity.fixed)

    @property
    def total(self) -> int:
        return self.fixed + self.generated

    @property
    def earlier_rows(self) -> int:
        return self.earlier.total if self.earlier is not None else 0

    @cached_property
    def columns(self) -> tuple[str, ...]:
        """The fields that are written, in the order of their declaration."""
        return tuple(f.name for f in self.entity.fields if not f.generated)


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """Ends of a field in units of its axis, within which other cells have room; and for which."""

    low: int | None
    high: int | None
    because: str


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
        return replace(self, entities={**self.entities, **{entity.name: entity for entity in entities}})

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
