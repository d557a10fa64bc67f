"""Reckoning with dates as each database does it: a difference is a number of days, and a day some days later is a date."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlglot import exp

from ..expression.canonical import PARTS_IN_SQLITE
from ..model import Field, TypeName
from ..model.types import INTEGERS


def with_days(tree: Any, field_of: Callable[[Any], Field | None], dialect: str) -> None:
    """Differences of dates, and dates so many days away, in a tree, as SQLite and MariaDB know them; others know them as they are
    written. `field_of` gives the field that a column stands for."""
    if dialect not in ("sqlite", "mysql"):
        return
    for node in list(tree.find_all(exp.Extract)) if dialect == "sqlite" else ():
        if (part := _part(node.name.lower(), node.expression.copy())) is not None:
            node.replace(part)

    def kind(node: Any) -> TypeName | None:
        node = node.unnest() if isinstance(node, exp.Expression) else node
        if isinstance(node, exp.Column):
            field = field_of(node)
            return None if field is None else field.type.name
        if isinstance(node, exp.Literal) and not node.is_string:
            return TypeName.INTEGER
        return None

    for node in list(tree.find_all(exp.Sub, exp.Add)):
        sides = kind(node.this), kind(node.expression)
        if sides == (TypeName.DATE, TypeName.DATE) and isinstance(node, exp.Sub):
            node.replace(_between(node.this.copy(), node.expression.copy(), dialect))
        elif sides[0] is TypeName.DATE and sides[1] in INTEGERS:
            number = node.expression.copy()
            node.replace(_later(node.this.copy(), exp.Neg(this=number) if isinstance(node, exp.Sub) else number, dialect))


def _part(unit: str, moment: Any) -> Any:
    """A part of a moment that SQLite keeps as a text; None for one that it does not know."""
    if unit == "epoch":  # whole seconds, and what is left of one: julianday() alone would be some microseconds off
        past = exp.Sub(this=_told("%f", moment.copy(), "double"), expression=_told("%S", moment.copy(), "int"))
        return exp.Paren(this=exp.Add(this=_told("%s", moment, "int"), expression=exp.Paren(this=past)))
    return _told(PARTS_IN_SQLITE[unit], moment, "int") if unit in PARTS_IN_SQLITE else None


def _told(form: str, moment: Any, kind: str) -> Any:
    """A part of a moment as strftime() writes it, as a number."""
    told = exp.Anonymous(this="strftime", expressions=[exp.Literal.string(form), moment])
    return exp.Cast(this=told, to=exp.DataType.build(kind))


def _between(end: Any, start: Any, dialect: str) -> Any:
    if dialect == "mysql":
        return exp.Anonymous(this="DATEDIFF", expressions=[end, start])
    days = [exp.Anonymous(this="julianday", expressions=[one]) for one in (end, start)]
    return exp.Cast(this=exp.Paren(this=exp.Sub(this=days[0], expression=days[1])), to=exp.DataType.build("int"))


def _later(start: Any, days: Any, dialect: str) -> Any:
    if dialect == "mysql":
        return exp.Anonymous(this="ADDDATE", expressions=[start, days])
    told = exp.DPipe(this=exp.Paren(this=days), expression=exp.Literal.string(" days"))
    return exp.Anonymous(this="date", expressions=[start, told])
