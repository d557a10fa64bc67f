"""Where audited data lies: a folder of files read by DuckDB, or an SQLite file. Both answer in the same few words of SQL."""

from __future__ import annotations

import re
import sqlite3
from abc import ABC, abstractmethod
from datetime import date, datetime, time
from pathlib import Path
from typing import Any

from ..model import Entity, FieldType, TypeName
from ..model.literals import read_literal
from ..model.problems import UnreadableError, UsageError
from ..model.types import FLOATS, INTEGER_BITS, INTEGERS, NUMBERS
from ..readers.sqlite_file import open_to_read

_DUCK_TYPES = {
    TypeName.BOOLEAN: "BOOLEAN", TypeName.DATE: "DATE", TypeName.TIME: "TIME", TypeName.TIMESTAMP: "TIMESTAMP",
    TypeName.TIMESTAMPTZ: "TIMESTAMPTZ", TypeName.REAL: "FLOAT", TypeName.DOUBLE: "DOUBLE",
    TypeName.SMALLINT: "SMALLINT", TypeName.INTEGER: "INTEGER", TypeName.BIGINT: "BIGINT",
}  # fmt: skip
_CSV_AS_TEXT = "all_varchar = true, header = true, quote = '\"', escape = '\"', delim = ',', allow_quoted_nulls = false"
_KEPT = 100_000_000  # bytes
_SECONDS = "%Y-%m-%d %H:%M:%S"
_UUID = "[0-9a-fA-F]{8}-([0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}"


def quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def text_literal(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"


class NotAnswered(Exception):
    """A query that the place cannot run; the text says why."""


class Place(ABC):
    """Data that can be asked. `table(entity)` is what stands after FROM."""

    dialect: str

    @abstractmethod
    def columns(self, entity: Entity) -> dict[str, str] | None:
        """The stored columns of an entity with their types as the place calls them; None where it has no table."""

    @abstractmethod
    def table(self, entity: Entity) -> str: ...

    @abstractmethod
    def query(self, sql: str) -> list[tuple[Any, ...]]:
        """All rows of an answer; NotAnswered where the place cannot run it."""

    @abstractmethod
    def wrong_type(self, entity: Entity, column: str, kind: FieldType) -> str | None:
        """A condition that is true where the stored value is none of the type; None where the place rules that out."""

    def absent(self, column: str) -> str:
        """A condition that is true where nothing is stored."""
        return f"{quoted(column)} IS NULL"

    @abstractmethod
    def matches(self, column: str, pattern: str) -> str: ...

    @abstractmethod
    def seconds(self, column: str, kind: FieldType) -> str:
        """A time as a number of seconds."""

    def literal(self, text: str, kind: FieldType) -> str:
        """A literal as SQL, typed by its field."""
        value = read_literal(text, kind)
        if isinstance(value, bool):
            return str(value).upper() if self.dialect == "duckdb" else str(int(value))
        if isinstance(value, datetime):
            return self.moment(value.strftime(_SECONDS) + (f".{value.microsecond:06d}" if value.microsecond else ""), kind)
        if isinstance(value, date | time):
            return self.moment(value.isoformat(), kind)
        if kind.name in NUMBERS:
            return str(value)
        return text_literal(str(value))

    def moment(self, text: str, kind: FieldType) -> str:
        return text_literal(text)

    @abstractmethod
    def close(self) -> None: ...


class FolderPlace(Place):
    """CSV and Parquet files by DuckDB. Values are read as they are stored, then cast where they can be."""

    dialect = "duckdb"

    def __init__(self, path: Path) -> None:
        import duckdb

        self.path = path
        self.connection = duckdb.connect(":memory:")
        self.connection.execute("SET TimeZone = 'UTC'")
        self._views: dict[str, dict[str, str] | None] = {}

    def columns(self, entity: Entity) -> dict[str, str] | None:
        if entity.name not in self._views:
            self._views[entity.name] = self._view(entity)
        return self._views[entity.name]

    def _view(self, entity: Entity) -> dict[str, str] | None:
        """A view with each column typed under its name, and as stored under its name and a trailing space."""
        parquet, csv = self.path / f"{entity.name}.parquet", self.path / f"{entity.name}.csv"
        if parquet.is_file():
            source = f"read_parquet({text_literal(str(parquet))})"
        elif csv.is_file():
            source = f"read_csv({text_literal(str(csv))}, {_CSV_AS_TEXT})"
        else:
            return None
        stored = {name: kind for name, kind, *_ in self.query(f"DESCRIBE SELECT * FROM {source}")}
        parts = []
        for field in entity.fields:
            if field.name in stored:
                name = quoted(field.name)
                parts += [
                    f"{self._cast(name, field.type, stored[field.name])} AS {name}",
                    f"{name} AS {quoted(field.name + ' ')}",
                ]
        # small CSV files are parsed once and kept; large ones are gone through again for each query
        keep = "TABLE" if not parquet.is_file() and csv.stat().st_size < _KEPT else "VIEW"
        self.connection.execute(
            f"CREATE {keep} {quoted(entity.name)} AS SELECT {', '.join(parts) or 'NULL AS nothing'} FROM {source}"
        )
        return stored

    def _cast(self, name: str, kind: FieldType, stored: str) -> str:
        wanted = self._type(kind)
        return name if wanted is None or stored == wanted else f"TRY_CAST({name} AS {wanted})"

    def _type(self, kind: FieldType) -> str | None:
        if kind.name is TypeName.NUMERIC:
            return "DECIMAL({},{})".format(*kind.digits)
        return _DUCK_TYPES.get(kind.name)

    def table(self, entity: Entity) -> str:
        return quoted(entity.name)

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        import duckdb

        try:
            return list(self.connection.execute(sql).fetchall())
        except duckdb.IOException as error:
            raise UnreadableError(f"{self.path}: {str(error).splitlines()[0]}") from None
        except duckdb.Error as error:
            raise NotAnswered(str(error).splitlines()[0]) from None

    def wrong_type(self, entity: Entity, column: str, kind: FieldType) -> str | None:
        wanted, stored = self._type(kind), (self.columns(entity) or {}).get(column)
        raw, name = f"CAST({quoted(column + ' ')} AS VARCHAR)", quoted(column)
        if kind.name is TypeName.UUID:
            return f"NOT regexp_full_match({raw}, '{_UUID}')"
        if wanted is None or wanted == stored:
            return None
        if kind.name in INTEGERS:  # a cast would round 1.5
            return f"{raw} IS NOT NULL AND ({name} IS NULL OR NOT regexp_full_match({raw}, '[-+]?[0-9]+'))"
        if kind.name is TypeName.NUMERIC:  # and a third decimal
            exact = f"TRY_CAST({raw} AS DECIMAL(38,10)) IS NOT DISTINCT FROM CAST({name} AS DECIMAL(38,10))"
            return f"{raw} IS NOT NULL AND ({name} IS NULL OR NOT {exact})"
        return f"{raw} IS NOT NULL AND {name} IS NULL"

    def absent(self, column: str) -> str:
        return f"{quoted(column + ' ')} IS NULL"  # what could not be cast is null too, but it is there

    def matches(self, column: str, pattern: str) -> str:
        return f"regexp_full_match({column}, {text_literal(pattern)})"

    def seconds(self, column: str, kind: FieldType) -> str:
        return f"epoch({column})"

    def moment(self, text: str, kind: FieldType) -> str:
        return f"CAST({text_literal(text)} AS {self._type(kind)})"

    def close(self) -> None:
        self.connection.close()


class SqlitePlace(Place):
    """An SQLite file in place, opened for reading only."""

    dialect = "sqlite"

    def __init__(self, path: Path) -> None:
        if not path.is_file():
            raise UnreadableError(f"{path}: no such file or folder")
        self.path = path
        self.connection = open_to_read(path)
        self.connection.create_function("weltigen_matches", 2, _matches, deterministic=True)
        self.connection.create_function("date_trunc", 2, _rounded_down, deterministic=True)
        self.connection.create_function("regexp", 2, _finds, deterministic=True)  # what SQLite's REGEXP calls
        self.connection.create_function("regexp_like", 2, lambda text, pattern: _finds(pattern, text), deterministic=True)

    def columns(self, entity: Entity) -> dict[str, str] | None:
        found = {row[1]: row[2] for row in self.query(f"PRAGMA table_xinfo({quoted(entity.name)})")}
        return found or None

    def table(self, entity: Entity) -> str:
        return quoted(entity.name)

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        try:
            return self.connection.execute(sql).fetchall()
        except sqlite3.OperationalError as error:
            raise NotAnswered(str(error)) from None
        except sqlite3.DatabaseError as error:
            raise UnreadableError(f"{self.path} is no SQLite database ({error})") from None

    def wrong_type(self, entity: Entity, column: str, kind: FieldType) -> str | None:
        c = quoted(column)
        right = "1"
        if kind.name in INTEGERS:
            half = 1 << (INTEGER_BITS[kind.name] - 1)
            right = f"typeof({c}) = 'integer'" + (f" AND {c} BETWEEN {-half} AND {half - 1}" if half < 1 << 60 else "")
        elif kind.name is TypeName.NUMERIC:
            precision, scale = kind.digits
            within = f"abs(round({c}, {scale}) - {c}) < 1e-9 AND abs({c}) < 1e{precision - scale}"
            right = f"typeof({c}) IN ('integer', 'real') AND {within}"
        elif kind.name in FLOATS:
            right = f"typeof({c}) IN ('integer', 'real')"
        elif kind.name is TypeName.BOOLEAN:
            right = f"typeof({c}) = 'integer' AND {c} IN (0, 1)"
        elif kind.name is TypeName.DATE:
            right = f"{c} = date(julianday({c}))"  # by way of a number, since a 30 February would pass as it stands
        elif kind.name is TypeName.TIME:
            right = f"typeof({c}) = 'text' AND time({c}) IS NOT NULL"
        elif kind.name in (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ):
            right = f"substr({c}, 1, 19) = datetime(julianday(substr({c}, 1, 19)))"
        elif kind.name is TypeName.UUID:
            right = self.matches(c, _UUID)
        elif kind.name is TypeName.BYTEA:
            return None
        else:
            right = f"typeof({c}) = 'text'"
        return f"{c} IS NOT NULL AND NOT coalesce({right}, 0)"

    def matches(self, column: str, pattern: str) -> str:
        return f"weltigen_matches({text_literal(pattern)}, {column})"

    def seconds(self, column: str, kind: FieldType) -> str:
        return f"(julianday({column}) * 86400.0)"

    def close(self) -> None:
        self.connection.close()


_KEPT_OF = {"year": 4, "month": 7, "day": 10, "hour": 13, "minute": 16, "second": 19}  # characters of a moment


def _rounded_down(unit: str, moment: Any) -> str | None:
    """PostgreSQL's date_trunc over a moment kept as a text."""
    if moment is None:
        return None
    whole = f"{moment} 00:00:00"[:19] if len(str(moment)) == 10 else str(moment)
    kept = _KEPT_OF[unit.lower()]
    return whole[:kept] + "0001-01-01 00:00:00"[kept:]


def _matches(pattern: str, text: Any) -> bool | None:
    return None if text is None else re.fullmatch(pattern, str(text)) is not None


def _finds(pattern: str, text: Any) -> bool | None:
    return None if text is None else re.search(pattern, str(text)) is not None


def open_place(target: str | Path) -> Place:
    """The place that a path means."""
    if re.match(r"[a-z][a-z0-9+]*://|env:", str(target)):
        raise UsageError("the data of a database server cannot be audited yet", hint="name a folder or an SQLite file")
    path = Path(target)
    return FolderPlace(path) if path.is_dir() else SqlitePlace(path)
