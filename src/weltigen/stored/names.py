"""Identifiers and literals as a dialect of SQL writes them; without one, as the standard does."""

from __future__ import annotations

from functools import lru_cache

from sqlglot import exp

from ..model import Entity

LEDGER = "weltigen_ledger"  # the table in which runs are told of, which is no entity of any world
_SQLGLOT = {"postgresql": "postgres", "mariadb": "mysql"}  # what sqlglot calls a dialect that it names otherwise


@lru_cache(maxsize=4096)
def quoted(name: str, dialect: str | None = None) -> str:
    """An identifier in quotes: `"name"`, and `` `name` `` in MySQL."""
    return exp.to_identifier(name, quoted=True).sql(_SQLGLOT.get(dialect or "", dialect))


def literal(text: str, dialect: str | None = None) -> str:
    """A text in quotes, with those inside doubled."""
    return exp.Literal.string(text).sql(_SQLGLOT.get(dialect or "", dialect))


def family(dialect: str | None) -> str:
    """The kind of database that a dialect belongs to: postgresql, mysql, sqlite or duckdb; that of standard SQL is
    PostgreSQL's."""
    return {"mariadb": "mysql", "standard": "postgresql", None: "postgresql"}.get(dialect, dialect or "postgresql")


def schema_and_table(entity: Entity) -> tuple[str | None, str]:
    """An entity's schema, where that is not the usual one, and what its table is called there."""
    schema = entity.schema
    inside = schema is not None and entity.name.startswith(f"{schema}.")
    return (schema, entity.name[len(schema) + 1 :]) if inside and schema is not None else (None, entity.name)


def table_name(entity: Entity, dialect: str) -> str:
    """What stands for an entity's table in SQL. MySQL's schemas are databases, so that a schema becomes part of a name there."""
    schema, table = schema_and_table(entity)
    if schema is None or dialect in ("sqlite", "duckdb"):
        return quoted(entity.name, dialect)
    if dialect == "mysql":
        return quoted(f"{schema}_{table}", dialect)
    return f"{quoted(schema, dialect)}.{quoted(table, dialect)}"
