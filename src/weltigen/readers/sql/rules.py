"""The rules that a column or a table declares: checks, unique rules and indexes, references."""

from __future__ import annotations

import re
from dataclasses import replace

from ...model import FieldType, Index, OnDelete, Place, Problem, Relation, TypeName, Unique
from ...model.folding import Fold, fold_of
from ..drafts import TableDraft
from .cursor import Cursor
from .reading import Reading, names_in

_TEXT = FieldType(name=TypeName.TEXT)
_NAME = r"[`\"\[]?(\w+)[`\"\]]?"
_VALID = rf"(?:json_valid\(\s*{_NAME}\s*\)|isjson\(\s*{_NAME}\s*\)\s*(?:=\s*1|>\s*0))"
_OR_NULL = rf"{_NAME}\s+is\s+null"
_JSON = re.compile(rf"\(*\s*(?:{_OR_NULL}\s+or\s+)?{_VALID}(?:\s+or\s+{_OR_NULL})?\s*\)*", re.I)


def add_check(reading: Reading, table: TableDraft, text: str, name: str | None, place: Place) -> None:
    """A condition on each row; the ways of MariaDB, SQLite and T-SQL of saying that a text is JSON become the type."""
    json = _JSON.fullmatch(text)
    told = {name.lower() for name in json.groups() if name} if json is not None else set()
    if len(told) == 1 and table.find(column := told.pop()) is not None:
        table.replace_field(column, type=FieldType(name=TypeName.JSON))
    elif text:
        table.checks.append(reading.check(text, name, place))


def skip_to_group(part: Cursor) -> None:
    while part and not part.sees("("):
        part.next()


def unique(reading: Reading, table: TableDraft, part: Cursor, name: str | None, place: Place) -> None:
    part.take_any("KEY", "INDEX")
    distinct = not part.take("NULLS", "NOT", "DISTINCT")
    part.take("NULLS", "DISTINCT")
    if part.take("USING", "INDEX"):
        _promote(reading, table, part.name(), name)
        return
    if part.is_name() and part.word() != "USING":
        name = name or part.name()
    skip_to_group(part)
    columns, expressions = index_parts(part.group())
    table.uniques.append(Unique(columns=columns, expressions=expressions, name=name, nulls_distinct=distinct, place=place))


def index(table: TableDraft, part: Cursor, place: Place) -> None:
    """Behind MySQL's KEY or INDEX: it orders the data, and rules nothing out."""
    name = part.name() if part.is_name() and part.word() != "USING" else None
    skip_to_group(part)
    columns, expressions = index_parts(part.group(), rules_out=False)
    table.indexes.append(Index(columns=columns, expressions=expressions, name=name, place=place))


def _promote(reading: Reading, table: TableDraft, index: str, name: str | None) -> None:
    """A unique index that becomes a constraint under its own or another name."""
    table.uniques = [replace(u, name=name or u.name) if (u.name or "").lower() == index.lower() else u for u in table.uniques]


def index_parts(group: Cursor, *, rules_out: bool = True) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Plain columns and expressions of an index. Where it rules something out, a prefix `a(10)` is the expression left(a, 10)."""
    columns, expressions = [], []
    for item in group.items():
        start = item.at
        if item.is_name() and not _is_call(item):
            column = item.name()
            if not rules_out:
                columns.append(column)
            elif item.sees("("):
                expressions.append(f"left({column}, {item.group().text()})")
            elif item.take("COLLATE") and fold_of(_TEXT, item.qualified()[1], None) >= Fold.CASE:
                expressions.append(f"lower({column})")
            else:
                columns.append(column)
            continue
        if item.sees("("):
            item.group()
        while item and item.word() not in ("ASC", "DESC", "NULLS") and item.word() != "COLLATE":
            item.next()
            if item.at > item.stop:
                break
        text = re.sub(r"\s+\w+_ops$", "", item.text(start, min(item.at, item.stop)))
        while text.startswith("(") and text.endswith(")") and _balanced(text[1:-1]):
            text = text[1:-1].strip()
        expressions.append(text)
    return tuple(columns), tuple(expressions)


def _is_call(item: Cursor) -> bool:
    """`lower(email)`, not the prefix `email(10)`; and `a || b`, but not `a DESC` or PostgreSQL's `a text_ops`."""
    if item.peek(1).kind == "sign" and item.peek(1).value == "(":
        return not (item.peek(2).kind == "number" and item.peek(3).value == ")")
    return item.peek(1).kind == "sign"


def _balanced(text: str) -> bool:
    depth = 0
    for character in text:
        depth += {"(": 1, ")": -1}.get(character, 0)
        if depth < 0:
            return False
    return depth == 0


def reference(
    reading: Reading, table: TableDraft, columns: tuple[str, ...], part: Cursor, constraint: str | None, place: Place
) -> None:
    """Behind REFERENCES."""
    _, target = reading.table_name(part)
    target_columns = names_in(part.group()) if part.sees("(") else ()
    on_delete = on_update = OnDelete.NO_ACTION
    deferrable = deferred = full = False
    while part:
        if part.take("MATCH"):
            full = part.take_any("FULL", "SIMPLE", "PARTIAL") == "FULL" or full
        elif part.take("ON", "DELETE"):
            on_delete = _action(part)
        elif part.take("ON", "UPDATE"):
            on_update = _action(part)
        elif part.take("NOT", "DEFERRABLE") or part.take("NOT", "VALID") or part.take("NOT", "ENFORCED") or part.take("ENFORCED"):
            pass
        elif part.take("DEFERRABLE"):
            deferrable = True
        elif part.take("INITIALLY"):
            deferred = part.take_any("DEFERRED", "IMMEDIATE") == "DEFERRED"
        else:
            break
    if target_columns and len(target_columns) != len(columns):
        counts = f"{len(columns)} to {len(target_columns)} columns"
        fact = f"{table.name}.{'+'.join(columns)} cannot refer to {target}: {counts}"
        reading.draft.problems.append(Problem(fact=fact, place=place, hint="each column refers to one column"))
        return
    table.relations.append(Relation(
        name="", entity=table.name, columns=columns, target=target, target_columns=target_columns, constraint=constraint,
        place=place, deferrable=deferrable or deferred, initially_deferred=deferred, match_full=full,
        on_delete=on_delete, on_update=on_update,
    ))  # fmt: skip


def _action(part: Cursor) -> OnDelete:
    for words, action in (
        (("NO", "ACTION"), OnDelete.NO_ACTION), (("RESTRICT",), OnDelete.RESTRICT), (("CASCADE",), OnDelete.CASCADE),
        (("SET", "NULL"), OnDelete.SET_NULL), (("SET", "DEFAULT"), OnDelete.SET_DEFAULT),
    ):  # fmt: skip
        if part.take(*words):
            part.skip_group()  # PostgreSQL's SET NULL (some of the columns)
            return action
    raise part.unexpected("what a delete or an update does")
