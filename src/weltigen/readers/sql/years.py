"""MySQL's YEAR: what it is compared with may be a year of two digits, 70 to 99 of the last century and 1 to 69 of this one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ...model import Check
from ..drafts import TableDraft
from .types import YEARS


def with_whole_years(table: TableDraft) -> None:
    """The checks of a table with years of four digits."""
    years = {field.name.lower() for field in table.fields if (field.type.least, field.type.most) == YEARS}
    if years:
        table.checks = [_rewritten(check, years) for check in table.checks]


def _rewritten(check: Check, years: set[str]) -> Check:
    if not any(year in check.expression.lower() for year in years):
        return check
    from sqlglot import exp, parse_one  # few models have years, and most commands would wait for it in vain
    from sqlglot.errors import SqlglotError

    try:
        tree = parse_one(check.expression, dialect="mysql")
    except SqlglotError:
        return check
    changed = False
    for node in tree.find_all(exp.EQ, exp.NEQ, exp.LT, exp.LTE, exp.GT, exp.GTE, exp.In, exp.Between):
        sides = [side.unnest() for side in _sides(node)]
        if any(isinstance(side, exp.Column) and side.name.lower() in years for side in sides):
            for side in sides:
                if isinstance(side, exp.Literal) and side.this.isdigit() and 0 < int(side.this) < 100:
                    side.set("this", str(int(side.this) + (1900 if int(side.this) >= 70 else 2000)))
                    side.set("is_string", False)
                    changed = True
    return replace(check, expression=tree.sql(dialect="mysql")) if changed else check


def _sides(node: Any) -> list[Any]:
    """The two sides of a comparison, all that an IN lists, both ends of a BETWEEN."""
    parts = [
        node.this,
        node.args.get("expression"),
        node.args.get("low"),
        node.args.get("high"),
        *(node.args.get("expressions") or ()),
    ]
    return [part for part in parts if part is not None]
