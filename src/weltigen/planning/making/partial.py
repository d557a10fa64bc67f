"""Unique rules over some of the rows, where values alone cannot keep rows apart: of those that agree one keeps the condition.

`unique (port) where is_main`: one row of a port is its main one, and all others are not. The condition and its opposite are
read like checks, into limits of the fields that decide it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...model import Check, Problem
from ...plan.components import MOST_ROWS
from ...plan.entity import EntityPlan
from ...plan.fields import FieldPlan
from ...plan.fillers import ForPartialRule
from ...plan.plan import Plan
from ...plan.ports import RowsPort, RuntimePort
from ...plan.reduced import ReducedRule
from ...rows.columns import numbered
from ..knowledge.keeping import is_apart
from .demanding import narrowed

Chosen = Callable[[RowsPort], NDArray[np.bool_]]


@dataclass(frozen=True, slots=True)
class Exemption:
    """Some rows take the values of `fields` within limits of their own; `wished`: the rule would hold without."""

    fields: dict[str, FieldPlan]
    chosen: Chosen
    why: ForPartialRule
    wished: bool = False


def conditional_parts(
    plan: Plan, entity_plan: EntityPlan, reduced: ReducedRule
) -> tuple[list[Exemption], list[Problem], list[str]]:
    """The rows that must not keep the rule's condition, and those that do; problems; and what to say where it cannot be kept."""
    entity, columns = entity_plan.entity, reduced.rule.columns
    if entity_plan.total > MOST_ROWS:
        fact = f"{entity.name}: {reduced.rule} needs to look at all rows, and {entity_plan.total:,} are too many"
        return [], [Problem(fact=fact, place=reduced.rule.place, hint=f"at most {MOST_ROWS:,} rows")], []
    where = Check(expression=reduced.where or "", place=reduced.rule.place)
    others = narrowed(plan, entity_plan, Check(expression=f"NOT ({reduced.where})", place=reduced.rule.place))
    if not others:
        said = f"{entity.name}: {reduced.rule} is not kept: no field that is free decides '{reduced.where}', so rows may break it"
        return [], [], [said]
    if not is_apart(plan, entity, reduced.rule):
        why = ForPartialRule(where=where.expression, role="never, beside earlier rows")
        return [Exemption(others, lambda rows: np.ones(len(rows), bool), why)], [], []
    first = _first_by_owner(entity_plan, columns) or partial(_first_of_all, columns)
    why = ForPartialRule(where=where.expression, role="not in the others", columns=columns)
    parts = [Exemption(others, lambda rows: ~first(rows), why)]
    decided = {column for relation in entity.relations for column in relation.columns} >= set(columns)
    if decided and (own := narrowed(plan, entity_plan, where)):
        parts.append(Exemption(own, first, replace(why, role="in the first"), wished=True))
    return parts, [], []


def _first_by_owner(entity_plan: EntityPlan, columns: tuple[str, ...]) -> Chosen | None:
    """The first row of each owner, where the rule is about no more than the owner."""
    owner = entity_plan.owner
    if owner is None or entity_plan.fixed or set(columns) != set(entity_plan.entity.relation(owner.relation).columns):
        return None
    return lambda rows: rows.owners()[1] == 0


def _first_of_all(columns: tuple[str, ...], rows: RowsPort) -> NDArray[np.bool_]:
    """The first of the rows with the same values, found by going through all of them once: one byte for each is kept."""
    key = ("first", rows.name, columns)
    whole = rows.runtime.once(key, lambda: _firsts(rows.runtime, rows.name, columns))
    return np.asarray(whole[rows.ordinals], bool)


def _firsts(runtime: RuntimePort, entity: str, columns: tuple[str, ...]) -> NDArray[np.bool_]:
    total = runtime.total(entity)
    rows = runtime.rows(entity, np.arange(total, dtype=np.int64))
    made: list[Any] = [column.combine_chunks() if hasattr(column, "combine_chunks") else column
                       for column in (rows.column(name) for name in columns)]  # fmt: skip
    _, where = np.unique(numbered(made), return_index=True)
    out = np.zeros(total, bool)
    out[where] = True
    for column in made:
        if column.null_count:
            out |= np.asarray(column.is_null())  # a row with a null breaks no rule
    return out
