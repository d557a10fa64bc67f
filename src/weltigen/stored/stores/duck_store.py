"""Data asked through DuckDB: values are read as they are stored, then cast where they can be."""

from __future__ import annotations

import re
from abc import abstractmethod
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ...model import Entity, FieldType, TypeName
from ...model.problems import UnreadableError
from ...model.types import INTEGERS
from ..names import literal, quoted
from .store import LOOKS, UUID, NotAnswered, Store

_DUCK_TYPES = {
    TypeName.BOOLEAN: "BOOLEAN", TypeName.DATE: "DATE", TypeName.TIME: "TIME", TypeName.TIMESTAMP: "TIMESTAMP",
    TypeName.TIMESTAMPTZ: "TIMESTAMPTZ", TypeName.REAL: "FLOAT", TypeName.DOUBLE: "DOUBLE",
    TypeName.SMALLINT: "SMALLINT", TypeName.INTEGER: "INTEGER", TypeName.BIGINT: "BIGINT",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Stored:
    """Where the rows of an entity are: what stands after FROM, and whether they are parsed once and kept."""

    sql: str
    keep: bool = False


class DuckStore(Store):
    """Each entity is a view with every column twice: typed under its name, and as stored under its name and a trailing space."""

    dialect = "duckdb"

    def __init__(self, path: Path) -> None:
        import duckdb

        self.path = path
        self.connection = duckdb.connect(":memory:")
        self.connection.execute("SET TimeZone = 'UTC'")
        self._views: dict[str, dict[str, str] | None] = {}
        self._called: dict[str, str] = {}  # what the view of an entity is called: DuckDB ignores case

    @abstractmethod
    def stored(self, entity: Entity) -> Stored | None:
        """Where an entity's rows are; None where it has none."""

    def columns(self, entity: Entity) -> dict[str, str] | None:
        if entity.name not in self._views:
            self._views[entity.name] = self._view(entity)
        return self._views[entity.name]

    def _view(self, entity: Entity) -> dict[str, str] | None:
        found = self.stored(entity)
        return None if found is None else self.viewed(entity, found)

    def viewed(self, entity: Entity, found: Stored) -> dict[str, str]:
        source = found.sql
        stored = {name: field_type for name, field_type, *_ in self.query(f"DESCRIBE SELECT * FROM {source}")}
        parts = []
        for field in entity.fields:
            if field.name in stored:
                name = quoted(field.name)
                parts += [
                    f"{self._cast(name, field.type, stored[field.name])} AS {name}",
                    f"{name} AS {quoted(field.name + ' ')}",
                ]
        # small files of texts are parsed once and kept; large ones are gone through again for each query
        keep = "TABLE" if found.keep else "VIEW"
        view = self.table(entity)
        self.query(f"CREATE {keep} {view} AS SELECT {', '.join(parts) or 'NULL AS nothing'} FROM {source}")
        self.query(f"SELECT count(*) FROM {view}")  # a view has read nothing so far
        return stored

    def _cast(self, name: str, field_type: FieldType, stored: str) -> str:
        wanted = self._type(field_type)
        if field_type.name is TypeName.BYTEA and stored == "VARCHAR":
            return f"CASE WHEN starts_with({name}, '\\x') THEN TRY(from_hex(substr({name}, 3))) ELSE TRY(from_base64({name})) END"
        return name if wanted is None or stored == wanted else f"TRY_CAST({name} AS {wanted})"

    def _type(self, field_type: FieldType) -> str | None:
        if field_type.name is TypeName.NUMERIC:
            return "DECIMAL({},{})".format(*field_type.digits)
        return _DUCK_TYPES.get(field_type.name)

    def table(self, entity: Entity) -> str:
        if entity.name not in self._called:
            others = {name.casefold() for name in self._called.values()}
            alike = entity.name.casefold() in others
            self._called[entity.name] = f"{entity.name} ({len(self._called)})" if alike else entity.name
        return quoted(self._called[entity.name])

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        import duckdb

        try:
            return list(self.connection.execute(sql).fetchall())
        except duckdb.Error as error:
            said = re.sub(r"^[A-Z][A-Za-z ]* Error: ", "", str(error).splitlines()[0]).strip(" :")
            if isinstance(error, duckdb.IOException) or type(error) is duckdb.Error:  # of no class: from reading a broken file
                raise UnreadableError(f"{self.path}: {said}", hint="a file there is broken") from None
            raise NotAnswered(f"DuckDB does not answer it: {said}") from None

    def wrong_type(self, entity: Entity, column: str, field_type: FieldType) -> str | None:
        wanted, stored = self._type(field_type), (self.columns(entity) or {}).get(column)
        raw, name = f"CAST({quoted(column + ' ')} AS VARCHAR)", quoted(column)
        if field_type.name is TypeName.UUID:
            return f"NOT regexp_full_match({raw}, '{UUID}')"
        if field_type.name is TypeName.BYTEA and stored == "VARCHAR":
            return f"{raw} IS NOT NULL AND {name} IS NULL"
        if field_type.name is TypeName.JSON and stored == "VARCHAR":
            return f"NOT json_valid({raw})"
        if field_type.name in LOOKS and stored == "VARCHAR":
            return f"NOT regexp_full_match({raw}, {literal(LOOKS[field_type.name])})"
        if wanted is None or wanted == stored:
            return None
        if field_type.name in INTEGERS:  # a cast would round 1.5
            return f"{raw} IS NOT NULL AND ({name} IS NULL OR NOT regexp_full_match({raw}, '[-+]?[0-9]+'))"
        if field_type.name is TypeName.NUMERIC:  # and a third decimal
            exact = f"TRY_CAST({raw} AS DECIMAL(38,10)) IS NOT DISTINCT FROM CAST({name} AS DECIMAL(38,10))"
            return f"{raw} IS NOT NULL AND ({name} IS NULL OR NOT {exact})"
        return f"{raw} IS NOT NULL AND {name} IS NULL"

    def absent(self, column: str) -> str:
        return f"{quoted(column + ' ')} IS NULL"  # what could not be cast is null too, but it is there

    def matches(self, column: str, pattern: str) -> str:
        return f"regexp_full_match({column}, {literal(pattern)})"

    def is_float(self, value: str) -> str:
        return f"typeof({value}) IN ('DOUBLE', 'FLOAT')"

    def bytes_literal(self, value: bytes) -> str:
        return f"unhex('{value.hex()}')"

    def seconds(self, column: str, field_type: FieldType) -> str:
        return f"epoch({column})"

    def moment(self, text: str, field_type: FieldType) -> str:
        return f"CAST({literal(text)} AS {self._type(field_type)})"

    def close(self) -> None:
        self.connection.close()
