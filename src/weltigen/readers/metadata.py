"""SQLAlchemy's MetaData as a world: tables as they were declared in Python, or reflected from a database."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ..model import Check, Field, FieldType, Index, OnDelete, Place, Problem, Relation, TypeName, Unique, World
from ..model.problems import UnreadableError
from .drafts import ModelDraft, TableDraft
from .sql import spelled_type

_OUR_DIALECTS = {"postgresql": "postgresql", "mysql": "mysql", "mariadb": "mysql", "sqlite": "sqlite"}


def metadata_of(source: object) -> Any:
    """The MetaData itself, that of a declarative base or of a registry, or None; SQLAlchemy is not imported for it."""
    for found in (source, getattr(source, "metadata", None)):
        if hasattr(type(found), "sorted_tables") and hasattr(found, "tables"):  # asking the object itself would sort them
            return found
    return None


def read_metadata(metadata: Any, name: str) -> World:
    """The world of every table in the MetaData, in the order of their declaration."""
    draft = ModelDraft(dialect="postgres")
    place = Place(file=name)
    for table in metadata.tables.values():
        draft.add(_table(draft, table, place))
    if not draft.tables:
        hint = "import the modules that declare the tables first, so that they are registered"
        raise UnreadableError(Problem(fact="no table is declared here", place=place, hint=hint))
    return draft.freeze(name, "postgresql")


def _entity_name(schema: str | None, name: str) -> str:
    return f"{schema}.{name}" if schema and schema not in ("public", "main") else name


def _table(draft: ModelDraft, table: Any, place: Place) -> TableDraft:
    from sqlalchemy import CheckConstraint, ForeignKeyConstraint, UniqueConstraint

    name = _entity_name(table.schema, table.name)
    out = TableDraft(name=name, place=place, schema=table.schema, comment=table.comment)
    for column in table.columns:
        out.add_field(_field(draft, out, column, place))
    out.key = tuple(column.name for column in table.primary_key.columns)
    of_columns = [rule for column in table.columns for rule in column.constraints]
    for rule in _declared_order([*table.constraints, *of_columns]):
        match rule:
            case UniqueConstraint():
                distinct = not rule.dialect_options["postgresql"].get("nulls_not_distinct")
                columns = tuple(column.name for column in rule.columns)
                out.uniques.append(Unique(columns=columns, name=_name(rule), nulls_distinct=distinct, place=place))
            case CheckConstraint() if not getattr(rule, "_type_bound", False):
                out.checks.append(Check(expression=_sql(rule.sqltext), name=_name(rule), dialect="postgres", place=place))
            case ForeignKeyConstraint():
                out.relations.append(_relation(name, rule, place))
            case _:  # the primary key, and what a type keeps by itself, are read with the columns
                continue
    for index in sorted(table.indexes, key=lambda index: str(index.name)):
        if index.unique:
            out.uniques.append(_unique_index(index, place))
        else:
            columns, expressions, where = _parts(index)
            out.indexes.append(Index(columns=columns, expressions=expressions, where=where, name=_name(index), place=place))
    return out


def _declared_order(constraints: Iterable[Any]) -> list[Any]:
    """SQLAlchemy keeps constraints in a set, but numbers them as they are made."""
    return sorted(constraints, key=lambda rule: getattr(rule, "_creation_order", 0))


def _name(rule: Any) -> str | None:
    return str(rule.name) if isinstance(rule.name, str) and rule.name else None


def _field(draft: ModelDraft, table: TableDraft, column: Any, place: Place) -> Field:
    kind = _type(draft, table, column, place)
    key = column.primary_key and len(column.table.primary_key.columns) == 1
    counts_up = column.identity is not None or column.autoincrement is True or (
        key and column.autoincrement == "auto" and not column.foreign_keys and column.server_default is None
        and kind.name in (TypeName.SMALLINT, TypeName.INTEGER, TypeName.BIGINT)
    )  # fmt: skip
    default, identity = _default(column, kind)
    return Field(
        name=column.name, type=kind, nullable=bool(column.nullable) and not column.primary_key, default=default,
        identity=bool(counts_up or identity), generated=_sql(column.computed.sqltext) if column.computed is not None else None,
        comment=column.comment, place=place, collation=_collation(column),
    )  # fmt: skip


def _collation(column: Any) -> str | None:
    kind = getattr(column.type, "impl_instance", column.type)
    name = "citext" if type(kind).__name__ == "CITEXT" else getattr(kind, "collation", None)
    return str(name) if name else None


def _default(column: Any, kind: FieldType) -> tuple[str | None, bool]:
    """The database's default; else a plain value that Python would put there. And whether the database numbers the column."""
    server = column.server_default
    if server is not None and hasattr(server, "arg"):
        text = server.arg if isinstance(server.arg, str) else _sql(server.arg)
        if text.lower().startswith("nextval("):
            return None, True
        quoted = isinstance(server.arg, str) and kind.name not in (
            TypeName.BOOLEAN,
            TypeName.NUMERIC,
            TypeName.INTEGER,
            TypeName.BIGINT,
        )
        return (_text(text) if quoted else text), False
    if column.default is not None and column.default.is_scalar:
        value = getattr(column.default.arg, "value", column.default.arg)
        if isinstance(value, bool):
            return str(value).lower(), False
        return (str(value) if isinstance(value, int | float) else _text(str(value))), False
    return None, False


def _text(value: str) -> str:
    return "'" + value.replace("'", "''") + "'"


def _type(draft: ModelDraft, table: TableDraft, column: Any, place: Place) -> FieldType:
    """A type is compiled to SQL by the dialect it belongs to, and read like any other type in SQL."""
    from sqlalchemy import Enum
    from sqlalchemy.dialects import mysql, postgresql, sqlite
    from sqlalchemy.exc import SQLAlchemyError

    kind = getattr(column.type, "impl_instance", column.type)
    if isinstance(kind, Enum):
        return FieldType(name=TypeName.ENUM, values=tuple(kind.enums))
    dialects: dict[str, Any] = {"postgresql": postgresql.dialect(), "mysql": mysql.dialect(), "sqlite": sqlite.dialect()}  # type: ignore[no-untyped-call]
    own = next((name for name in dialects if f".dialects.{name}" in type(kind).__module__), "postgresql")
    for name in dict.fromkeys((own, "postgresql", "mysql", "sqlite")):
        try:
            text = column.type.compile(dialect=dialects[name])
        except (SQLAlchemyError, AttributeError, NotImplementedError):
            continue
        spelled = spelled_type(text, _OUR_DIALECTS[name])
        if spelled.note:
            draft.notices.append(_notice(f"{table.name}.{column.name}: {spelled.note}", place))
        return spelled.type
    draft.notices.append(
        _notice(f"{table.name}.{column.name}: type {type(column.type).__name__} has no SQL of its own: filled as text", place)
    )
    return FieldType(name=TypeName.TEXT)


def _notice(what: str, place: Place) -> Any:
    from ..model import Notice

    return Notice(what=what, place=place)


def _relation(entity: str, rule: Any, place: Place) -> Relation:
    targets = [element.target_fullname.split(".") for element in rule.elements]
    schema, target = (".".join(targets[0][:-2]) or None), targets[0][-2]
    return Relation(
        name="", entity=entity, columns=tuple(rule.column_keys), target=_entity_name(schema, target),
        target_columns=tuple(parts[-1] for parts in targets), constraint=_name(rule), place=place,
        on_delete=_action(rule.ondelete), on_update=_action(rule.onupdate),
        deferrable=bool(rule.deferrable) or (rule.initially or "").upper() == "DEFERRED",
        initially_deferred=(rule.initially or "").upper() == "DEFERRED", match_full=(rule.match or "").upper() == "FULL",
    )  # fmt: skip


def _action(text: str | None) -> OnDelete:
    folded = (text or "no action").lower()
    return next((action for action in OnDelete if action == folded), OnDelete.NO_ACTION)


def _unique_index(index: Any, place: Place) -> Unique:
    columns, expressions, where = _parts(index)
    distinct = not index.dialect_options["postgresql"].get("nulls_not_distinct")
    return Unique(columns=columns, expressions=expressions, where=where, name=_name(index), nulls_distinct=distinct, place=place)


def _parts(index: Any) -> tuple[tuple[str, ...], tuple[str, ...], str | None]:
    """The columns, the expressions and the condition of an index."""
    columns, expressions = [], []
    for part in index.expressions:
        name = getattr(part, "name", None)
        if name is not None and name in index.table.columns and not hasattr(part, "clauses"):
            columns.append(name)
        else:
            expressions.append(_sql(part))
    options = [index.dialect_options[name].get("where") for name in ("postgresql", "sqlite")]
    return tuple(columns), tuple(expressions), next((_sql(option) for option in options if option is not None), None)


def _sql(element: Any) -> str:
    """An expression as PostgreSQL's SQL, its values written out and its columns without their table."""
    from sqlalchemy.dialects import postgresql

    if isinstance(element, str):
        return element
    dialect = postgresql.dialect()  # type: ignore[no-untyped-call]
    return str(element.compile(dialect=dialect, compile_kwargs={"literal_binds": True, "include_table": False}))
