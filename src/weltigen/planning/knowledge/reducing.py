"""Unique rules over expressions and over some of the rows, brought down to columns: what the layout has to keep apart."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import Any

from sqlglot import exp, parse_one
from sqlglot.errors import SqlglotError

from ...model import Entity, Unique
from ...model.types import NUMBERS, TEXTS, TypeName
from ...plan.reduced import ReducedRule

_MOMENTS = (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ, TypeName.DATE)
UNITS = {"second": 1, "minute": 60, "hour": 3_600, "day": 86_400, "week": 604_800}  # seconds of what a moment is rounded down to
_ONE_TO_ONE = (exp.MD5, exp.SHA, exp.SHA2, exp.Hex, exp.Reverse, exp.Neg)


def reduce_rules(entity: Entity) -> tuple[list[ReducedRule], list[str]]:
    """The rules of an entity that are partial or over expressions, and what is said of those that cannot be brought down."""
    found: list[ReducedRule] = []
    said: list[str] = []
    for rule in entity.uniques:
        if not rule.expressions and not rule.where:
            continue
        reduced = _reduce(entity, rule)
        if isinstance(reduced, ReducedRule):
            found.append(reduced)
        else:
            said.append(f"{entity.name}: {rule} is not kept: '{reduced}' is not a function of one field that is known here")
    return found, said


def _reduce(entity: Entity, rule: Unique) -> ReducedRule | str:
    columns, folded, rounded, always = list(rule.columns), set(), {}, set()
    distinct = rule.nulls_distinct
    for text in rule.expressions:
        try:
            node = parse_one(f"({text}\n)", into=exp.Condition)
        except SqlglotError:
            return text
        while not isinstance(node, exp.Column):
            match node:
                case exp.Lower() | exp.Upper():
                    folded.add(_name(entity, node.this))
                case exp.Collate() | exp.Paren() | exp.Trim() | exp.Alias():
                    pass
                case exp.Cast() if node.to.this in exp.DataType.TEXT_TYPES:
                    pass
                case exp.Cast() if node.to.is_type("date"):
                    rounded[_name(entity, node.this)] = UNITS["day"]
                case exp.Date() | exp.TsOrDsToDate():
                    node = node if isinstance(node.this, exp.Expression) else exp.Paren(this=node.expressions[0])
                    rounded[_name(entity, node.this)] = UNITS["day"]
                case exp.TimestampTrunc() | exp.DateTrunc() if _unit(node) in UNITS:
                    rounded[_name(entity, node.this)] = UNITS[_unit(node)]
                case exp.Coalesce() if len(node.expressions) == 1 and not node.expressions[0].find(exp.Column):
                    if _outside(entity, _name(entity, node.this), node.expressions[0]):
                        distinct = False  # the nulls of the column are one more value
                    else:
                        always.add(_name(entity, node.this))
                case exp.Left() if _is_whole(entity, node):
                    pass
                case _ if isinstance(node, _ONE_TO_ONE):
                    pass
                case _:
                    return text
            node = node.this
        columns.append(_name(entity, node))
    if any(not name for name in columns) or "" in folded or any(not _fits(entity, name, unit) for name, unit in rounded.items()):
        return ", ".join(rule.expressions)
    plain = replace(
        rule, columns=tuple(dict.fromkeys(columns)), expressions=(), where=None, nulls_distinct=distinct, stands_for=str(rule)
    )  # fmt: skip
    texts = frozenset(name for name in folded if entity.field(name).type.name in TEXTS)
    return ReducedRule(rule=plain, where=rule.where, folded=texts, rounded=rounded, always=frozenset(always))


def _is_whole(entity: Entity, node: Any) -> bool:
    """Whether no text of a field is longer than the beginning that an index looks at."""
    name = _name(entity, node.this)
    room = entity.field(name).room if entity.has(name) and entity.field(name).type.name in TEXTS else None
    return room is not None and isinstance(node.expression, exp.Literal) and str(node.expression.this).isdigit() and room <= int(
        node.expression.this
    )  # fmt: skip


def _outside(entity: Entity, name: str, constant: Any) -> bool:
    """Whether a number lies below or above all values of a field."""
    if not entity.has(name) or not isinstance(constant, exp.Literal | exp.Neg) or (text := constant.sql()).startswith("'"):
        return False
    bounds = [bound for bound in entity.field(name).limits.bounds if not bound.path]
    number = Decimal(text)
    below = any(b.comparison in (">", ">=") and (Decimal(b.operand), b.comparison) > (number, ">") for b in bounds)
    above = any(b.comparison in ("<", "<=") and number > Decimal(b.operand) for b in bounds)
    return entity.field(name).type.name in NUMBERS and (below or above)


def _unit(node: Any) -> str:
    unit = node.args.get("unit")
    return str(unit.name).lower() if unit is not None else "day"


def _name(entity: Entity, node: Any) -> str:
    """The field that a node is over, as it is spelled; empty where there is none."""
    column = node if isinstance(node, exp.Column) else node.find(exp.Column)
    if column is None:
        return ""
    return next((name for name in entity.field_names if name.lower() == column.name.lower()), "")


def _fits(entity: Entity, name: str, unit: int) -> bool:
    type_name = entity.field(name).type.name if entity.has(name) else None
    return type_name in _MOMENTS and (type_name is not TypeName.DATE or unit >= UNITS["day"])
