"""Checks that read nothing which could be drawn again: digits of unique rules, references that these hold, numbers that count up.

Attempts do not help them, so the rows of such an entity are worked out with the checks in view.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlglot import exp

from ...expression import Expression, NotEvaluableError, parse
from ...model import Check, Unique
from ...model.origins import Status
from ...plan.components import Digit
from ...plan.entity import EntityPlan
from ...plan.fields import Counting, Drawn


@dataclass(frozen=True, slots=True)
class SettledCheck:
    """A check with the digits and references that it reads."""

    check: Check
    expression: Expression
    names: frozenset[str]


def settled_checks(entity_plan: EntityPlan, laid: list[tuple[Unique, dict[str, Digit] | None, str | None]]) -> list[SettledCheck]:
    """The open checks of an entity of which all that they read is settled by its rules."""
    entity = entity_plan.entity
    folded = {name.lower(): name for name in entity.field_names}
    fields = {name for _, digits, _ in laid for name, digit in (digits or {}).items() if not digit.relation}
    relations = {name for _, digits, _ in laid for name, digit in (digits or {}).items() if digit.relation}
    out = []
    for check in entity.checks:
        if check.status not in (Status.OPEN, Status.AGAIN):
            continue
        try:
            expression = parse(check.expression, check.dialect)
        except NotEvaluableError:
            continue
        columns = [folded.get(path.lower()) for path in expression.paths]
        if any(r.above is not None and set(columns) == {*r.columns, *entity.relation(r.above).columns} for r in entity.relations):
            continue  # references are laid out in their order
        if expression.aggregates or None in columns or len(set(columns)) < 2 or expression.tree.find(exp.Is):
            continue  # what is worked out is always there
        names = frozenset(n for column in columns if (n := _settled(entity_plan, str(column), fields)) is not None)
        plain = all(_settled(entity_plan, str(column), fields) is not None for column in columns)
        if plain and names - {""} & (fields | relations):
            out.append(SettledCheck(check, expression, names - {""}))
    return out


def _settled(entity_plan: EntityPlan, column: str, fields: set[str]) -> str | None:
    """The digit or the reference by which a column is settled, nothing where it counts up; None where it could be drawn again."""
    entity, planned = entity_plan.entity, entity_plan.fields.get(column)
    for relation in entity.relations:
        if column in relation.columns:
            if relation.target != entity.name:
                return relation.name
            theirs = entity_plan.fields.get(relation.target_columns[relation.columns.index(column)])
            return relation.name if theirs is not None and isinstance(theirs.way, Counting) else None
    if planned is None:
        return None
    if isinstance(planned.way, Counting):
        return ""
    return column if column in fields and isinstance(planned.way, Drawn) and not planned.cell_bounds else None
