"""An SQLite file, asked in place."""

from __future__ import annotations

import re
import sqlite3
from pathlib import Path
from typing import Any

from ...model import Entity, FieldType, TypeName
from ...model.problems import UnreadableError
from ...model.types import FLOATS, INTEGER_BITS, INTEGERS
from ..names import literal, quoted
from ..sqlite_files import open_to_read
from .store import LOOKS, UUID, NotAnswered, Store


class SqliteStore(Store):
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
            raise NotAnswered(f"SQLite does not answer it: {error}") from None
        except sqlite3.DatabaseError as error:
            raise UnreadableError(f"{self.path} is not an SQLite database ({error})") from None

    def wrong_type(self, entity: Entity, column: str, field_type: FieldType) -> str | None:
        c = quoted(column)
        right = "1"
        if field_type.name in INTEGERS:
            half = 1 << (INTEGER_BITS[field_type.name] - 1)
            right = f"typeof({c}) = 'integer'" + (f" AND {c} BETWEEN {-half} AND {half - 1}" if half < 1 << 60 else "")
        elif field_type.name is TypeName.NUMERIC:
            precision, scale = field_type.digits
            within = f"abs(round({c}, {scale}) - {c}) < 1e-9 + 1.2e-15 * abs({c}) AND abs({c}) < 1e{precision - scale}"
            right = f"typeof({c}) IN ('integer', 'real') AND {within}"
        elif field_type.name in FLOATS:
            right = f"typeof({c}) IN ('integer', 'real')"
        elif field_type.name is TypeName.BOOLEAN:
            right = f"typeof({c}) = 'integer' AND {c} IN (0, 1)"
        elif field_type.name is TypeName.DATE:
            right = f"{c} = date(julianday({c}))"  # by way of a number, since a 30 February would pass as it stands
        elif field_type.name is TypeName.TIME:
            right = f"typeof({c}) = 'text' AND time({c}) IS NOT NULL"
        elif field_type.name in (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ):
            right = f"substr({c}, 1, 19) = datetime(julianday(substr({c}, 1, 19)))"
        elif field_type.name is TypeName.UUID:
            right = self.matches(c, UUID)
        elif field_type.name is TypeName.BYTEA:
            return None
        elif field_type.name is TypeName.JSON:
            right = f"typeof({c}) = 'text' AND json_valid({c})"
        elif field_type.name in LOOKS:
            right = f"typeof({c}) = 'text' AND {self.matches(c, LOOKS[field_type.name])}"
        else:
            right = f"typeof({c}) = 'text'"
        return f"{c} IS NOT NULL AND NOT coalesce({right}, 0)"

    def is_float(self, value: str) -> str:
        return f"typeof({value}) = 'real'"

    def matches(self, column: str, pattern: str) -> str:
        return f"weltigen_matches({literal(pattern)}, {column})"

    def seconds(self, column: str, field_type: FieldType) -> str:
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
