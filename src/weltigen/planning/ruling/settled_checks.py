"""Checks that read nothing which could be drawn again: digits of unique rules, references that these hold, numbers that count up.

Attempts do not help them, so the rows of such an entity are worked out with the checks in view.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlglot import exp

from ...expression import Expression, NotEvaluableError, parse
from ...model import Check, Relation, Unique
from ...model.origins import Status
from ...plan.components import Digit
from ...plan.entity import EntityPlan
from ...plan.fields import Counting, Drawn

_FEW = 1 << 12
Laying = tuple[Unique, dict[str, Digit] | None, str | None]  # a rule, its digits, and the reference that it cuts through


@dataclass(frozen=True, slots=True)
class SettledCheck:
    """A check with the digits and references that it reads."""

    check: Check
    expression: Expression
    names: frozenset[str]
    hard: bool


def settled_checks(entity_plan: EntityPlan, laid: list[Laying]) -> list[SettledCheck]:
    """The open checks of an entity of which all that they read is settled by its rules, or counts up, or is a reference; those
    that read a digit of a rule are `hard`."""
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
        if plain and names - {""}:
            out.append(SettledCheck(check, expression, names - {""}, hard=bool(names & (fields | relations))))
    return out


def demanded_together(entity_plan: EntityPlan, relations: list[Relation], laid: list[Laying]) -> list[SettledCheck]:
    """The conditions that references ask of an entity over several digits of its rules, of which none alone says what keeps it.

    Where there are many rows, some keep it without being made so.
    """
    entity = entity_plan.entity
    folded = {name.lower(): name for name in entity.field_names}
    fields = {name for _, digits, _ in laid for name, digit in (digits or {}).items() if not digit.relation}
    out = []
    open_ = entity_plan.earlier is None and not entity_plan.fixed and entity_plan.total <= _FEW
    for relation in relations if open_ else ():
        assert relation.where is not None
        try:
            expression = parse(relation.where.expression, relation.where.dialect)
        except NotEvaluableError:
            continue
        names = frozenset(folded.get(path.lower(), "") for path in expression.paths)
        usual = isinstance(expression.tree.unnest(), exp.NEQ)  # what hardly any row breaks
        beside = names - fields
        if len(names) < 2 or beside == names or expression.aggregates or usual:
            continue
        if all(name in entity_plan.fields and _is_alone(entity_plan, name) for name in beside):
            out.append(SettledCheck(relation.where, expression, names - beside, hard=True))
    return out


def _is_alone(entity_plan: EntityPlan, name: str) -> bool:
    """Whether a field's values hang on nothing else: they can be read while others are worked out."""
    planned = entity_plan.fields[name]
    read = any(name.lower() in check.expression.lower() for check in entity_plan.entity.checks if check.status is not Status.MET)
    return isinstance(planned.way, Drawn) and not planned.cell_bounds and not planned.field.nullable and not read


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
