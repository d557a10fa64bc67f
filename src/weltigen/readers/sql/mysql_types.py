"""Types of MySQL alone. YEAR: what it is compared with may be a year of two digits, 70 to 99 of the last century and 1 to 69 of
this one. BIGINT UNSIGNED: it holds numbers that no signed one does, and where any is named it is read as a decimal."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from ...model import Check, Field, FieldType, TypeName
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


_SIGNED = (1 << 63) - 1
_WIDE = FieldType(name=TypeName.NUMERIC, precision=20, scale=0, least=0, most=(1 << 64) - 1, declared="bigint unsigned")
_LONG_NUMBER = re.compile(r"(?<![\w.])\d{19,20}(?![\w.])")


def with_wide_numbers(tables: Iterable[TableDraft]) -> None:
    """Columns of BIGINT UNSIGNED of which a check, a default or a row names a number that no signed one holds, and those that
    refer to them."""
    drafts = {table.name.lower(): table for table in tables}
    widened = [
        (table, field.name) for table in drafts.values() for field in table.fields
        if field.type is _WIDE or (_is_plain(field) and not field.identity and _names_more(table, field.name))
    ]  # fmt: skip
    seen = set()
    while widened:
        table, name = widened.pop()
        if (table.name, name) in seen or (field := table.find(name)) is None:
            continue
        seen.add((table.name, name))
        if field.type.name is TypeName.BIGINT:
            table.replace_field(name, type=_WIDE)
        for other in drafts.values():
            for relation in other.relations:
                if relation.target.lower() == table.name.lower():
                    aims = relation.target_columns or table.key
                    widened += [
                        (other, own) for own, aim in zip(relation.columns, aims, strict=False) if aim.lower() == name.lower()
                    ]


def widened(field: Field, text: str) -> FieldType | None:
    """The type of a column that holds a number which no signed one does; None where it holds none such."""
    return _WIDE if _is_plain(field) and text.isdigit() and _SIGNED < int(text) <= (1 << 64) - 1 else None


def _is_plain(field: Field) -> bool:
    """Whether a column is a BIGINT UNSIGNED that is still read as a signed one."""
    return field.type.name is TypeName.BIGINT and field.type.least == 0 and field.type.most is None


def _names_more(table: TableDraft, name: str) -> bool:
    field = table.find(name)
    texts = [check.expression for check in table.checks if name.lower() in check.expression.lower()]
    texts += [field.default] if field is not None and field.default else []
    texts += [text for row in table.fixed for column, text in row if column.lower() == name.lower() and text is not None]
    return any(int(number) > _SIGNED for text in texts for number in _LONG_NUMBER.findall(text))
