"""What the checks of a script say beside their conditions: which columns there must be, and what a type holds that is not known.

sqlglot reads them, and is loaded only where there is something to ask.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from ...model import Check, Field, FieldType, Problem, TypeName
from ...model.problems import nearest
from ..drafts import TableDraft
from .reading import Reading

_DAY = re.compile(r"\d{4}-\d\d-\d\d")
_MOMENT = re.compile(r"\d{4}-\d\d-\d\d[ T]\d\d:\d\d.*")
_QUALIFIED = re.compile(r"[^\W\d]\w*[\"`]?\s*\.\s*[\"`]?[^\W\d]")
_CLOCK = re.compile(r"\d\d:\d\d(:\d\d(\.\d+)?)?")
# what stands in a condition like a column and is none
_WORDS = frozenset(
    "user current_user session_user system_user current_role current_catalog current_schema localtime localtimestamp "
    "current_date current_time current_timestamp rowid oid _rowid_ value true false null sysdate tableoid xmin ctid".split()
)


def told_by_checks(reading: Reading) -> None:
    """Types that are not known become what their columns' checks compare them with; a column that is not there is a problem."""
    for table in reading.draft.tables:
        table.checks = [_plain(table, check) for check in table.checks]
        trees = list(_trees(table)) if table.checks else []
        for check, tree in trees:
            _require_columns(reading, table, check, tree)
        for name in reading.unknown.get(table.name, ()):
            field = table.find(name)
            told = _type_of(field, [tree for _, tree in trees]) if field is not None else None
            if field is not None and told is not None:
                table.replace_field(field.name, type=replace(told, declared=field.type.declared, spelled=field.type.spelled))
                _say_so(reading, f"{table.name}.{field.name}: type ", told)
    for table in reading.draft.tables:
        _follow_references(reading, table)


def _follow_references(reading: Reading, table: TableDraft) -> None:
    """A column of a type that is not known is of the type of the column that it refers to, or else of one that refers to it."""
    for relation in table.relations:
        target = reading.draft.find(relation.target)
        if target is None:
            continue
        for column, theirs in zip(relation.columns, relation.target_columns or target.key, strict=False):
            own, other = table.find(column), target.find(theirs)
            if own is None or other is None or own.type == other.type:
                continue
            if own.name in reading.unknown.get(table.name, ()):
                table.replace_field(own.name, type=replace(other.type, declared=own.type.declared, spelled=own.type.spelled))
            elif other.type.name is TypeName.OTHER and other.name in reading.unknown.get(target.name, ()):
                target.replace_field(other.name, type=replace(own.type, declared=other.type.declared, spelled=other.type.spelled))


def _trees(table: TableDraft) -> Iterator[tuple[Check, Any]]:
    from ...expression import NotEvaluableError, parse

    for check in table.checks:
        try:
            yield check, parse(check.expression, check.dialect).tree
        except NotEvaluableError:  # it has no meaning here, which is told elsewhere, but it has names
            tree = _parsed(check)
            if tree is not None:
                yield check, tree


def _parsed(check: Check) -> Any:
    from sqlglot import parse_one
    from sqlglot.errors import SqlglotError

    try:
        return parse_one(check.expression, dialect=check.dialect)
    except (SqlglotError, RecursionError):
        return None


def _plain(table: TableDraft, check: Check) -> Check:
    """The check without its own table's name before columns; in SQLite a name in double quotes that names nothing is a text."""
    quoted = check.dialect == "sqlite" and '"' in check.expression
    tree = _parsed(check) if quoted or _QUALIFIED.search(check.expression) else None
    if tree is None:
        return check
    from sqlglot import exp

    own, changed = {table.name.lower(), table.name.lower().rpartition(".")[2]}, False
    for column in list(tree.find_all(exp.Column)):
        if column.table and column.table.lower() in own:
            column.replace(exp.Column(this=column.this.copy()))
            changed = True
        elif quoted and column.this.args.get("quoted") and not column.table and table.find(column.name) is None:
            column.replace(exp.Literal.string(column.name))
            changed = True
    return replace(check, expression=tree.sql(dialect=check.dialect)) if changed else check


def _require_columns(reading: Reading, table: TableDraft, check: Check, tree: Any) -> None:
    from sqlglot import exp

    for column in tree.find_all(exp.Column):
        quoted = column.this.args.get("quoted")
        if column.table.lower() not in ("", table.name.lower(), table.name.lower().rpartition(".")[2]):
            continue
        if table.find(column.name) is not None or (not quoted and column.name.lower() in _WORDS):
            continue
        what = str(check) if check.name else f"check ({' '.join(check.expression.split())[:60]})"
        reading.draft.problems.append(Problem(
            fact=f"{table.name}: {what} names a column '{column.name}' that is not there", place=check.place,
            hint=nearest(column.name, [field.name for field in table.fields]),
        ))  # fmt: skip
        return


def _type_of(field: Field, trees: list[Any]) -> FieldType | None:
    """What the checks compare a column with: texts, moments, or numbers; None where they do not say."""
    from sqlglot import exp

    found: list[FieldType] = []
    for tree in trees:
        for node in tree.find_all(exp.Length, exp.Lower, exp.Upper, exp.Trim, exp.Like, exp.ILike, exp.RegexpLike, exp.Glob):
            if _is(node.this, field):
                return FieldType(name=TypeName.TEXT)
        for node in tree.find_all(exp.EQ, exp.NEQ, exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Between, exp.In):
            parts = [node.args.get(name) for name in ("this", "expression", "low", "high")] + node.args.get("expressions", [])
            sides = [part.unnest() for part in parts if part is not None]
            if any(_is(side, field) for side in sides):
                found += [_literal_type(side) for side in sides if isinstance(side.find(exp.Literal), exp.Literal)]
    names = {one.name for one in found}
    if not found:
        return None
    if names <= {TypeName.DATE, TypeName.TIMESTAMP}:
        return FieldType(name=TypeName.TIMESTAMP if TypeName.TIMESTAMP in names else TypeName.DATE)
    if names <= {TypeName.BIGINT, TypeName.NUMERIC}:
        scale = max(one.scale or 0 for one in found)
        return FieldType(name=TypeName.NUMERIC, precision=18, scale=scale) if scale else FieldType(name=TypeName.BIGINT)
    return found[0] if len(names) == 1 else FieldType(name=TypeName.TEXT)


def _is(node: Any, field: Field) -> bool:
    from sqlglot import exp

    plain = node.unnest()
    return isinstance(plain, exp.Column) and plain.name.lower() == field.name.lower()


def _literal_type(node: Any) -> FieldType:
    from sqlglot import exp

    literal = node.find(exp.Literal)
    text = str(literal.this)
    if not literal.is_string:
        decimals = len(text.partition(".")[2])
        return FieldType(name=TypeName.NUMERIC, precision=18, scale=decimals) if decimals else FieldType(name=TypeName.BIGINT)
    if _DAY.fullmatch(text):
        return FieldType(name=TypeName.DATE)
    if _MOMENT.fullmatch(text):
        return FieldType(name=TypeName.TIMESTAMP)
    return FieldType(name=TypeName.TIME if _CLOCK.fullmatch(text) else TypeName.TEXT)


def _say_so(reading: Reading, begin: str, told: FieldType) -> None:
    """The notice that a type is not known says what it is taken for."""
    draft = reading.draft
    draft.notices = [
        replace(note, what=note.what.replace("filled as text", f"taken for {told}, as its check says"))
        if note.what.startswith(begin)
        else note
        for note in draft.notices
    ]
