"""Cohorts planned: named shares of an entity's rows, with their own way of filling some fields."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..model import Cohort
from ..model.phrases import plural
from ..randomness import ExactSubset
from .fields import FieldPlan


@dataclass(frozen=True, slots=True, kw_only=True)
class CohortPlan:
    """A cohort with the rows that belong to it, and its own way of filling some of their fields."""

    cohort: Cohort
    subset: ExactSubset
    fields: Mapping[str, FieldPlan] = field(default_factory=dict)

    def __str__(self) -> str:
        own = [*self.fields, *(relation.name for relation in self.cohort.references)]
        said = [f"sets {', '.join(own)}"] if own else []
        said += [f"{count.amount()} of {entity} each" for entity, count in self.cohort.children]
        return f"{self.cohort.name}: {plural(self.subset.rows, 'row')}" + (f"; {'; '.join(said)}" if said else "")
