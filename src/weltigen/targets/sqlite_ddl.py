"""CREATE TABLE statements for SQLite, out of the model."""

from __future__ import annotations

from sqlglot import exp

from ..expression import NotEvaluableError, parse
from ..model import Entity, Field, OnDelete, Relation, TypeName
from ..model.types import INTEGERS
from ..stored.names import quoted

# the declared spelling is kept where SQLite gives it a fitting affinity, so that the model can be read back
_SPELLED = {
    TypeName.ENUM: "text",
    TypeName.TIMESTAMPTZ: "timestamp with time zone",
    TypeName.BYTEA: "blob",
    TypeName.ARRAY: "text",
    TypeName.OTHER: "text",
    TypeName.BIT: "text",  # any other spelling would make a number of 0101
    TypeName.INTERVAL: "text",
    TypeName.INET: "text",
    TypeName.MACADDR: "text",
}


_NOT_IN_SQLITE = (
    exp.RegexpLike, exp.RegexpILike, exp.SimilarTo, exp.Interval, exp.Extract, exp.TimestampTrunc, exp.DateTrunc, exp.Left,
    exp.Right, exp.Pad, exp.Repeat, exp.Reverse, exp.StartsWith, exp.Concat, exp.ConcatWs, exp.Pow, exp.Sqrt, exp.Exp, exp.Ln,
    exp.Anonymous, exp.Array,
)  # fmt: skip


def create_table(entity: Entity) -> str:
    """The statement that creates an entity's table with every rule that SQLite can keep."""
    rowid = entity.key[0] if len(entity.key) == 1 and entity.field(entity.key[0]).type.name in INTEGERS else None
    parts = [_column(entity, field, rowid) for field in entity.fields]
    if entity.key and rowid is None:
        parts.append(f"PRIMARY KEY ({_names(entity.key)})")
    for rule in entity.uniques:
        if not rule.expressions and not rule.where and rule.columns != entity.key:
            parts.append(f"UNIQUE ({_names(rule.columns)})")
    for check in entity.checks:
        expression = to_sqlite(check.expression, check.dialect)
        if expression is not None:
            named = f"CONSTRAINT {quoted(check.name)} " if check.name else ""
            parts.append(f"{named}CHECK ({expression})")
    parts += [_reference(relation) for relation in entity.relations]
    return f"CREATE TABLE {quoted(entity.name)} (\n  " + ",\n  ".join(parts) + "\n)"


def create_indexes(entity: Entity) -> list[str]:
    """The unique indexes over expressions, or over some of the rows, that SQLite can keep."""
    out = []
    for number, rule in enumerate(entity.special_rules):
        parts = [to_sqlite(text, None) for text in rule.expressions]
        where = to_sqlite(rule.where, None) if rule.where else ""
        if None in parts or where is None or not rule.nulls_distinct:
            continue
        listed = ", ".join([*map(quoted, rule.columns), *(f"({part})" for part in parts)])
        name = quoted(rule.name or f"{entity.name} unique {number + 1}")
        out.append(f"CREATE UNIQUE INDEX {name} ON {quoted(entity.name)} ({listed})" + (f" WHERE {where}" if where else ""))
    return out


def _column(entity: Entity, field: Field, rowid: str | None) -> str:
    if field.name == rowid:
        return f"{quoted(field.name)} INTEGER PRIMARY KEY"
    spelled = _SPELLED.get(field.type.name, str(field.type))
    parts = [quoted(field.name), spelled]
    if field.collation is not None and field.collation.upper() in ("NOCASE", "RTRIM"):
        parts.append(f"COLLATE {field.collation.upper()}")
    if field.generated is not None:
        parts.append(f"GENERATED ALWAYS AS ({to_sqlite(field.generated, None) or 'NULL'}) STORED")
    elif not field.nullable:
        parts.append("NOT NULL")
    return " ".join(parts)


def to_sqlite(expression: str, dialect: str | None) -> str | None:
    """The condition in SQLite's dialect; None where it uses what SQLite does not have built in, or reads other rows."""
    try:
        parsed = parse(expression, dialect)
    except NotEvaluableError:
        return None
    beyond = parsed.aggregates or any("." in path for path in parsed.paths)
    return None if beyond or parsed.tree.find(*_NOT_IN_SQLITE) is not None else parsed.sql("sqlite")


def _reference(relation: Relation) -> str:
    text = f"FOREIGN KEY ({_names(relation.columns)}) REFERENCES {quoted(relation.target)} ({_names(relation.target_columns)})"
    for event, action in (("DELETE", relation.on_delete), ("UPDATE", relation.on_update)):
        if action is not OnDelete.NO_ACTION:
            text += f" ON {event} {action.upper()}"
    if relation.deferrable:
        text += " DEFERRABLE" + (" INITIALLY DEFERRED" if relation.initially_deferred else "")
    return text


def _names(columns: tuple[str, ...]) -> str:
    return ", ".join(map(quoted, columns))
