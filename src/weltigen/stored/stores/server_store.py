"""Tables of a database server, asked in place; nothing is written."""

from __future__ import annotations

from typing import Any

from ...model import Entity, FieldType, TypeName
from ...model.problems import UnreadableError
from ..connections import open_connection, shown_url
from ..names import family, literal, quoted, schema_and_table
from .store import LOOKS, NotAnswered, Store


class ServerStore(Store):
    """One connection that may only read, outside of any transaction, so that a query that fails spoils no other."""

    family: str
    keeps_order = False

    def __init__(self, url: str) -> None:
        self.path = shown_url(url)
        self.connection = open_connection(url).execution_options(isolation_level="AUTOCOMMIT")
        for statement in self.settings():
            self.connection.exec_driver_sql(statement)
        self._columns: dict[str, dict[str, str] | None] = {}

    def settings(self) -> tuple[str, ...]:
        """What is said once, when the connection is open."""
        return ()

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        from sqlalchemy.exc import DBAPIError, OperationalError

        try:
            return [tuple(row) for row in self.connection.exec_driver_sql(sql.replace("%", "%%")).all()]
        except DBAPIError as error:
            said = str(getattr(error.orig, "args", [error])[-1]).partition("\n")[0]
            if isinstance(error, OperationalError) and error.connection_invalidated:
                raise UnreadableError(f"{self.path}: the connection was lost ({said})") from None
            raise NotAnswered(f"the database does not answer it: {said[:160]}") from None

    def columns(self, entity: Entity) -> dict[str, str] | None:
        if entity.name not in self._columns:
            schema, table = self.named(entity)
            rows = self.query(
                "SELECT column_name, data_type FROM information_schema.columns"
                f" WHERE table_schema = {schema} AND table_name = {self.text(table)} ORDER BY ordinal_position"
            )
            self._columns[entity.name] = {str(name): str(of) for name, of in rows} or None
        return self._columns[entity.name]

    def named(self, entity: Entity) -> tuple[str, str]:
        """An expression for the schema of an entity's table, and the table's name."""
        schema, table = schema_and_table(entity)
        return (self.text(schema) if schema is not None else "current_schema()"), table

    def text(self, value: str) -> str:
        return literal(value)

    def table(self, entity: Entity) -> str:
        schema, table = schema_and_table(entity)
        return f"{quoted(schema)}.{quoted(table)}" if schema is not None else quoted(table)

    def compares_as(self, dialect: str | None) -> bool:
        return family(dialect) == self.family

    def wrong_type(self, entity: Entity, column: str, field_type: FieldType) -> str | None:
        """The database holds values to the types of its columns; only what is kept as a text is looked at."""
        stored = (self.columns(entity) or {}).get(column, "")
        if field_type.name in LOOKS and stored in ("text", "character varying", "varchar", "longtext"):
            return f"NOT ({self.matches(quoted(column), LOOKS[field_type.name])})"
        return None

    def close(self) -> None:
        self.connection.close()
        self.connection.engine.dispose()


class PostgresqlStore(ServerStore):
    dialect, family = "postgres", "postgresql"

    def __init__(self, url: str) -> None:
        super().__init__(url)
        values_as_texts(self.connection.connection.driver_connection.adapters)

    def settings(self) -> tuple[str, ...]:
        return ("SET default_transaction_read_only = on", "SET TimeZone = 'UTC'", "SET IntervalStyle = 'iso_8601'")

    def as_text(self, column: str, field_type: FieldType) -> str:
        return f"CAST({column} AS text)" if field_type.name is TypeName.ENUM else column

    def same_json(self, column: str, literal: str) -> str:
        return f"CAST({column} AS jsonb) = CAST({literal} AS jsonb)"

    def is_float(self, value: str) -> str:
        return f"CAST(pg_typeof({value}) AS text) IN ('double precision', 'real')"

    def bytes_literal(self, value: bytes) -> str:
        return f"CAST('\\x{value.hex()}' AS bytea)"

    def matches(self, column: str, pattern: str) -> str:
        pattern = pattern.removeprefix("(?s)")  # a point is any character here anyway
        return f"CAST({column} AS text) ~ {literal(f'^(?:{pattern})$')}"

    def seconds(self, column: str, field_type: FieldType) -> str:
        return f"CAST(extract(epoch FROM {column}) AS double precision)"

    def moment(self, text: str, field_type: FieldType) -> str:
        zoned = "+00:00" if field_type.name is TypeName.TIMESTAMPTZ else ""
        return f"CAST({literal(text + zoned)} AS {field_type.name})"


class MariadbStore(ServerStore):
    dialect = family = "mysql"

    def settings(self) -> tuple[str, ...]:
        # names and texts as the standard writes them, so that a query reads alike everywhere
        mode = "ANSI_QUOTES,PIPES_AS_CONCAT,NO_BACKSLASH_ESCAPES,NO_ENGINE_SUBSTITUTION"
        return (f"SET SESSION sql_mode = '{mode}'", "SET SESSION time_zone = '+00:00'", "SET SESSION TRANSACTION READ ONLY")

    def named(self, entity: Entity) -> tuple[str, str]:
        schema, table = schema_and_table(entity)
        return "database()", f"{schema}_{table}" if schema is not None else table

    def table(self, entity: Entity) -> str:
        return quoted(self.named(entity)[1])

    def exactly(self, column: str, field_type: FieldType) -> str:
        return f"CAST({column} AS DOUBLE)" if field_type.name is TypeName.REAL else column

    def counted(self, query: str, columns: int) -> str:
        """Within another query MariaDB takes no two columns of one name."""
        return f"WITH broken ({', '.join(f'c{number}' for number in range(columns))}) AS ({query}) SELECT count(*) FROM broken"

    def without_last_spaces(self, column: str) -> str:
        return f"rtrim({column})"

    def is_float(self, value: str) -> str:
        return "1 = 1"  # it does not say what type a value has

    def same_json(self, column: str, literal: str) -> str:
        return f"JSON_COMPACT({column}) = JSON_COMPACT({literal})"

    def matches(self, column: str, pattern: str) -> str:
        return f"{column} REGEXP {literal(f'(?-i)^(?:{pattern})$')}"

    def seconds(self, column: str, field_type: FieldType) -> str:
        if field_type.name is TypeName.TIME:
            return f"(TIME_TO_SEC({column}) + MICROSECOND({column}) / 1e6)"
        return f"(TIMESTAMPDIFF(MICROSECOND, '1970-01-01', {column}) / 1e6)"


def values_as_texts(adapters: Any) -> None:
    """Values of some types come as the texts that they are everywhere else."""
    from psycopg.types.string import TextLoader

    for name in ("uuid", "json", "jsonb", "inet", "cidr", "interval", "bit", "varbit", "macaddr"):
        adapters.register_loader(name, TextLoader)
