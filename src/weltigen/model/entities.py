"""An entity: its fields, its rules, its relations, and how many rows it should have."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from .constraints import Check, Index, Unique
from .fields import Field
from .phrases import plural
from .problems import Place
from .relations import Relation


@dataclass(frozen=True, slots=True, kw_only=True)
class PerOwner:
    """A number of rows for each row of `per`: exactly `each`, or `mean` of them between `least` and `most`.

    `none` is the share of owners without any. Limits left out follow from `mean`. `every` is a span of time: then each
    owner has one row for each such span of the window.
    """

    per: str
    each: int | None = None
    mean: float | None = None
    least: int | None = None
    most: int | None = None
    none: float = 0.0
    every: str | None = None
    place: Place | None = None

    @property
    def lowest(self) -> int:
        """The fewest rows of an owner that has any."""
        if self.each is not None:
            return self.each
        if self.least is not None:
            return self.least
        return 1 if self.none else 0

    @property
    def highest(self) -> int:
        if self.each is not None:
            return self.each
        if self.most is not None:
            return self.most
        mean = self.mean if self.mean is not None else max(2.0, 2.0 * self.lowest)
        return max(self.lowest, round(4 * mean), 1)

    def amount(self) -> str:
        """How many rows one owner has, in words."""
        if self.each is not None:
            return plural(self.each, "row")
        mean = f" ({self.mean:g} on average)" if self.mean is not None else ""
        return f"{self.lowest} to {self.highest} rows{mean}"

    def __str__(self) -> str:
        if self.every is not None:
            return f"one every {self.every} per {self.per}"
        about = f", {self.mean:g} on average" if self.mean is not None else ""
        none = f", {100 * self.none:.3g}% with none" if self.none else ""
        limits = f"{self.lowest}" if self.lowest == self.highest else f"{self.lowest} to {self.highest}"
        return f"{limits} per {self.per}{about}{none}"


@dataclass(frozen=True, slots=True, kw_only=True)
class PerPair:
    """One row for each combination of the rows to which the relations `per` refer."""

    per: tuple[str, ...]
    place: Place | None = None

    def __str__(self) -> str:
        return f"one for each {' and '.join(self.per)}"


@dataclass(frozen=True, slots=True, kw_only=True)
class RowCount:
    """A plain number of generated rows."""

    number: int
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RowFormula:
    """A number of generated rows that follows from those of other entities: `2 * count(port)`."""

    expression: str
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Cohort:
    """A named part of an entity's generated rows: a `share` of them, or a fixed number of `rows`.

    `fields` and `references` hold only what the cohort sets itself. `children` are the rows that each of its rows has.
    """

    name: str
    share: float | None = None
    rows: int | None = None
    fields: tuple[Field, ...] = ()
    references: tuple[Relation, ...] = ()
    children: tuple[tuple[str, PerOwner], ...] = ()
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class States:
    """How the entity's `field` goes from state to state, told by rows of the entity `history`.

    `start` and each of `steps` are weighted states. A state without steps is an end; a step to itself means that it stays.
    `lasts` are spans of time as written: how long a state lasts on average.
    """

    field: str
    history: str
    start: tuple[tuple[str, float], ...]
    steps: tuple[tuple[str, tuple[tuple[str, float], ...]], ...]
    lasts: tuple[tuple[str, str], ...] = ()
    place: Place | None = None


FixedRow = tuple[tuple[str, str | None], ...]


@dataclass(frozen=True, kw_only=True)
class Entity:
    """One table. Fixed rows come first and are not counted by `rows`; `rows` None means: derive it.

    `held` is how many rows a live database already holds, None where nobody looked. Of the fixed rows the first `there` are rows
    that a target holds: they are referred to, and never written.
    """

    name: str
    fields: tuple[Field, ...]
    schema: str | None = None
    key: tuple[str, ...] = ()
    uniques: tuple[Unique, ...] = ()
    indexes: tuple[Index, ...] = ()
    checks: tuple[Check, ...] = ()
    relations: tuple[Relation, ...] = ()
    comment: str | None = None
    place: Place | None = None
    rows: RowCount | RowFormula | PerOwner | PerPair | None = None
    fixed: tuple[FixedRow, ...] = ()
    fixed_places: tuple[Place, ...] = ()  # of each fixed row, where a world file gives them
    label: str | None = None
    cohorts: tuple[Cohort, ...] = ()
    states: States | None = None
    held: int | None = None
    there: int = 0
    topic: str | None = None  # what its texts speak of
    topic_is_guessed: bool = False
    words: tuple[tuple[str, tuple[str, ...]], ...] = ()  # lists of the topic's words that were said

    @cached_property
    def field_names(self) -> tuple[str, ...]:
        return tuple(field.name for field in self.fields)

    @cached_property
    def _by_name(self) -> dict[str, Field]:
        return {field.name: field for field in self.fields}

    def field(self, name: str) -> Field:
        """The field called `name`; KeyError without one."""
        return self._by_name[name]

    @cached_property
    def cohort_names(self) -> tuple[str, ...]:
        return tuple(cohort.name for cohort in self.cohorts)

    def has(self, name: str) -> bool:
        return name in self._by_name

    def relation(self, name: str) -> Relation:
        """The relation called `name`; KeyError without one."""
        for relation in self.relations:
            if relation.name == name:
                return relation
        raise KeyError(name)

    def has_relation(self, name: str) -> bool:
        return any(relation.name == name for relation in self.relations)

    @cached_property
    def _fixed_by(self) -> dict[tuple[str, ...], dict[tuple[str | None, ...], int]]:
        return {}

    def fixed_row(self, columns: tuple[str, ...], texts: tuple[str | None, ...]) -> int | None:
        """The first fixed row that gives these texts in some columns; None where none does."""
        if columns not in self._fixed_by:
            found: dict[tuple[str | None, ...], int] = {}
            for ordinal, row in enumerate(self.fixed):
                values = dict(row)
                found.setdefault(tuple(values.get(column) for column in columns), ordinal)
            self._fixed_by[columns] = found
        return self._fixed_by[columns].get(texts)

    def tells_apart(self, columns: tuple[str, ...]) -> bool:
        """Whether no two rows hold the same in some columns."""
        return any(set(rule.columns) <= set(columns) for rule in self.unique_rules)

    @cached_property
    def unique_rules(self) -> tuple[Unique, ...]:
        """The primary key and the unique rules over plain columns of all rows, each set of columns once."""
        rules = {}
        if self.key:
            rules[frozenset(self.key)] = Unique(columns=self.key, name="primary key", place=self.place)
        for rule in self.uniques:
            if rule.expressions or rule.where:
                continue
            rules.setdefault(frozenset(rule.columns), rule)
        return tuple(rules.values())

    @property
    def needed_rules(self) -> tuple[frozenset[str], ...]:
        """The columns of unique rules that no narrower one keeps anyway."""
        rules = [frozenset(rule.columns) for rule in self.unique_rules]
        return tuple(rule for rule in rules if not any(other < rule for other in rules))

    @property
    def special_rules(self) -> tuple[Unique, ...]:
        """Unique rules over expressions, or over a part of the rows."""
        return tuple(rule for rule in self.uniques if rule.expressions or rule.where)
