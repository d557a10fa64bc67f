"""Fillers: one function for each column, with the facts of how it came about, which planning/explaining puts into words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from ..model import Present, Relation
from ..model.paths import Cell
from .fields import FieldPlan
from .ports import Column, RowsPort

Fill = Callable[[RowsPort], Column]


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldFacts:
    """A field filled in its way; `present` says in which rows, `one_null` that a rule leaves room for one null in each group,
    `gives_way` that it is null where its bounds leave no room."""

    plan: FieldPlan
    present: Present | None = None
    one_null: bool = False
    gives_way: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferenceFacts:
    """A column of a reference: it holds what the row of `target` has to which `relation` leads."""

    relation: str
    target: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CohortFacts:
    """Whether a row is one of a cohort."""

    cohort: str


@dataclass(frozen=True, slots=True, kw_only=True)
class InCohort:
    """Rows of a cohort are filled in a way of their own."""

    cohort: str
    filler: Filler


@dataclass(frozen=True, slots=True, kw_only=True)
class InLanguage:
    """Each row is filled in one of the world's languages."""

    languages: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Demanded:
    """Some rows keep the condition of a reference to them, so that it finds any."""

    rows: int
    relation: Relation


@dataclass(frozen=True, slots=True, kw_only=True)
class ForPartialRule:
    """Values that a unique rule over the rows with `where` leaves: the opposite in every row, or in all but one of those with
    the same `columns`, or the condition itself in the first of them."""

    where: str
    role: Literal["never, beside earlier rows", "not in the others", "in the first"]
    columns: tuple[str, ...] = ()


Override = InCohort | InLanguage | Demanded | ForPartialRule


@dataclass(frozen=True, slots=True, kw_only=True)
class Filler:
    """Makes one column of any rows of its entity. `needs` are the cells it reads, of this entity or of others.

    `cheap`: arithmetic on the ordinals, so that a copy of the column is never worth keeping. `overrides`: rows that are filled
    otherwise.
    """

    fill: Fill
    how: FieldFacts | ReferenceFacts | CohortFacts
    needs: tuple[Cell, ...] = ()
    cheap: bool = False
    overrides: tuple[Override, ...] = ()
