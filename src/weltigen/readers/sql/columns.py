"""A column: its type and all that stands behind it."""

from __future__ import annotations

import re
from typing import Any

from ...model import Field, FieldType, Place, Problem, TypeName, Unique
from ..drafts import TableDraft
from .cursor import Cursor
from .reading import Reading
from .rules import add_check, reference
from .types import NOT_A_TYPE, read_type

# words at which an expression of a column ends, where they stand in no parentheses
_STOPS = frozenset(
    "NOT NULL CONSTRAINT PRIMARY UNIQUE CHECK REFERENCES COLLATE GENERATED AS ON COMMENT AUTO_INCREMENT KEY DEFERRABLE INITIALLY "
    "DEFAULT STORED VIRTUAL PERSISTENT INVISIBLE".split()
)
_OVER = frozenset(
    "VISIBLE INVISIBLE COMPRESSED NULL VIRTUAL STORED PERSISTENT ENFORCED AUTOINCREMENT ASC DESC KEY NO INHERIT VALID "
    "NOVALIDATE".split()
)

_UNTYPED = FieldType(name=TypeName.TEXT)


def column(reading: Reading, table: TableDraft, part: Cursor) -> None:
    """A column with its type and all that follows it."""
    place = part.place()
    name = part.name()
    known = table.find(name)
    if known is not None and (known.name == name or not reading.script.dialect.folds_case):
        reading.draft.problems.append(Problem(fact=f"{table.name}.{name} is declared twice", place=place))
        return
    if part and part.word() not in NOT_A_TYPE:
        given = typed(reading, table, name, place, part)
    else:
        given = {"type": _UNTYPED}
        reading.unknown.setdefault(table.name, []).append(name)
    field = Field(name=name, place=place, **given)
    table.add_field(field)
    column_rules(reading, table, field.name, part)


def typed(reading: Reading, table: TableDraft, field: str, place: Place | None, part: Cursor) -> dict[str, Any]:
    """What the type that stands here says of a field; the rules of a domain become checks of the table."""
    if not part.is_name():
        raise part.unexpected("a type")
    word = part.word()
    spelled = read_type(part, reading.types)
    given: dict[str, Any] = {"type": spelled.type, "collation": "citext" if word == "CITEXT" else None}
    if spelled.counts_up:
        given |= {"identity": True, "nullable": False}
    if spelled.note:
        reading.notice(f"{table.name}.{field}: {spelled.note}", place)
    if spelled.unknown:
        reading.unknown.setdefault(table.name, []).append(field)
    if (domain := spelled.domain) is not None:
        given |= {"nullable": domain.nullable, "default": domain.default}
        for name, rule in domain.checks:
            table.checks.append(reading.check(reading.rewritten(rule, "value", field), name, place))
    return given


def column_rules(reading: Reading, table: TableDraft, field: str, part: Cursor) -> None:
    """Everything behind a column's type, in whatever order it stands; a word that is not known is listed."""
    constraint: str | None = None
    found = table.find(field)
    declared = (found.place if found else None) or part.place()
    while part:
        if part.take("CONSTRAINT"):
            constraint = part.name()
            continue
        start = part.at
        if not _column_rule(reading, table, field, part, constraint, declared):
            part.at = start + 1
            while part and part.word() not in _STOPS:
                part.next()
            what = part.text(start, part.at)
            reading.notice(f"{table.name}.{field}: '{what}' is not understood", reading.script.place(part.tokens[start].start))
        constraint = None


def _column_rule(reading: Reading, table: TableDraft, field: str, part: Cursor, constraint: str | None, declared: Place) -> bool:
    """One rule of a column; false where its words are not known."""
    offset = part.offset
    word = part.word()
    part.at += 1
    match word:
        case "NOT":
            if part.take("NULL"):
                table.replace_field(field, nullable=False)
                part.take("ENABLE")
                return True
            return bool(part.take_any("DEFERRABLE", "ENFORCED", "VALID"))
        case "PRIMARY" | "KEY":
            if word == "KEY" and not reading.script.dialect.backslashes:
                return False
            part.take("KEY")
            table.key, table.key_name = (field,), constraint
        case "UNIQUE":
            part.take_any("KEY", "INDEX")
            distinct = not part.take("NULLS", "NOT", "DISTINCT")
            place = reading.script.place(offset)
            table.uniques.append(Unique(columns=(field,), name=constraint, nulls_distinct=distinct, place=place))
        case "DEFAULT":
            _default(table, field, part.expression(_STOPS))
        case "CHECK" if part.sees("("):
            add_check(reading, table, part.group().text(), constraint, reading.script.place(offset))
        case "REFERENCES":
            reference(reading, table, (field,), part, constraint, declared)
        case "AUTO_INCREMENT" | "AUTOINCREMENT" | "IDENTITY":
            table.replace_field(field, identity=True, nullable=False)
            part.skip_group()
        case "GENERATED":
            _generated(table, field, part)
        case "AS" if part.sees("("):
            table.replace_field(field, generated=part.group().text())
        case "COMMENT":
            table.replace_field(field, comment=part.next().value)
        case "SRID":
            part.next()
        case "COLLATE":
            part.take("=")
            table.replace_field(field, collation=part.qualified()[1])
        case "CHARACTER" | "CHARSET" | "STORAGE" | "COMPRESSION":
            part.take("SET")
            part.take("=")
            part.qualified()
        case "ON" if part.take("UPDATE"):
            part.expression(_STOPS)
        case "ON" if part.take("CONFLICT"):
            part.next()
        case "DEFERRABLE" | "INITIALLY":
            part.take_any("DEFERRED", "IMMEDIATE")
        case _:
            return word in _OVER
    return True


def _default(table: TableDraft, field: str, text: str) -> None:
    text = plain_default(text)
    if text.upper() == "VALUE":
        return  # MySQL's SERIAL DEFAULT VALUE: it counts up
    if text.lower().startswith("nextval("):
        table.replace_field(field, identity=True)
    elif text.upper() != "NULL":
        kind = table.find(field)
        if kind is not None and kind.type.name is TypeName.NUMERIC and _NOW.match(text):  # SQLite has no type for moments
            table.replace_field(field, type=FieldType(name=TypeName.TIMESTAMP, spelled=kind.type.spelled))
        if kind is not None and kind.type.name is TypeName.BOOLEAN:
            text = {"1": "true", "0": "false", "b'1'": "true", "b'0'": "false"}.get(text, text)
        table.replace_field(field, default=text)


_NOW = re.compile(r"\(*(datetime|strftime|current_timestamp)\b", re.I)
_CAST_LITERAL = re.compile(r"\(*('(?:[^']|'')*'|-?[\d.]+)\)*::[\w .\"()\[\]]+")


def plain_default(text: str) -> str:
    """A default without the casts and parentheses in which databases give a literal back."""
    found = _CAST_LITERAL.fullmatch(text)
    text = found[1] if found else text
    inner = text[1:-1].strip()
    return inner if text.startswith("(") and re.fullmatch(r"'(?:[^']|'')*'|-?[\d.]+", inner) else text


def _generated(table: TableDraft, field: str, part: Cursor) -> None:
    """GENERATED … AS IDENTITY, or AS (expression)."""
    part.take("ALWAYS")
    part.take("BY", "DEFAULT")
    part.take("ON", "NULL")
    part.take("AS")
    if part.take("IDENTITY"):
        table.replace_field(field, identity=True, nullable=False)
        part.skip_group()
    elif part.sees("("):
        table.replace_field(field, generated=part.group().text())
