"""SQLite files: opened for reading alone, what their tables hold, and how values are stored in them."""

from __future__ import annotations

import sqlite3
from datetime import time
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ..model import Entity
from ..model.literals import write_array
from ..model.problems import RefusedError, UnreadableError
from ..model.written_moments import in_seconds
from .floats import widened
from .names import quoted
from .sqlite_files import open_to_read


def table_counts(path: Path) -> dict[str, int]:
    """The tables of a file and how many rows each holds."""
    connection = open_to_read(path)
    try:
        names = [
            n for (n,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'")
        ]
        return {name: connection.execute(f"SELECT count(*) FROM {quoted(name)}").fetchone()[0] for name in names}
    except sqlite3.OperationalError as error:
        if "locked" not in str(error):
            raise UnreadableError(f"{path}: {error}; nothing was changed") from None
        raise RefusedError(
            f"another program is at work in {path} ({error}); nothing was changed", hint="try again when it is done"
        ) from None
    except sqlite3.DatabaseError as error:
        raise UnreadableError(f"{path} is not an SQLite database ({error}); nothing was changed") from None
    finally:
        connection.close()


def stored_values(column: Any) -> Any:
    """A column as SQLite stores it, as an Arrow array of numbers, texts or bytes: times and decimals are texts, which numeric
    columns turn into numbers."""
    arrow = column.type
    if pa.types.is_timestamp(arrow):
        text = in_seconds(column.cast(pa.timestamp("us"))).cast(pa.string())
        return pc.binary_join_element_wise(text, "+00:00", "") if arrow.tz is not None else text
    if pa.types.is_time(arrow):
        return in_seconds(column).cast(pa.string())
    if pa.types.is_date(arrow) or pa.types.is_decimal(arrow) or pa.types.is_null(arrow):
        return column.cast(pa.string())
    if pa.types.is_boolean(arrow):
        return column.cast(pa.int8())
    if pa.types.is_list(arrow):
        return pa.array([None if value is None else write_array(value) for value in column.to_pylist()], pa.string())
    return widened(column)


_FLOAT_DIGITS = 15  # decimal digits that an IEEE 754 binary64 always keeps


def digits_lost(column: Any) -> int:
    """How many of a column's decimals are not what comes back when SQLite has stored them as floats."""
    arrow = column.type
    if not pa.types.is_decimal(arrow) or arrow.precision <= _FLOAT_DIGITS:
        return 0
    wide = column.cast(pa.decimal128(38, arrow.scale))
    back = column.cast(pa.string()).cast(pa.float64()).cast(pa.decimal128(38, arrow.scale), safe=False)
    return int(pc.sum(pc.not_equal(wide, back)).as_py() or 0)


def read_sqlite_table(path: Path, entity: Entity) -> Any:
    """One table as an Arrow table; a stored value that does not fit its field's type is shown as text."""
    connection = open_to_read(path)
    fields = [f for f in entity.fields if f.generated is None]
    try:
        rows = connection.execute(f"SELECT {', '.join(quoted(f.name) for f in fields)} FROM {quoted(entity.name)}").fetchall()
    except sqlite3.Error as error:
        raise UnreadableError(f"{path}: {error}") from None
    finally:
        connection.close()
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(fields)
    return pa.table({f.name: _typed(values, f.type.stored.arrow()) for f, values in zip(fields, columns, strict=True)})


def _typed(values: Any, arrow: Any) -> Any:
    try:
        if pa.types.is_boolean(arrow):
            return pa.array([None if v is None else bool(v) for v in values], arrow)
        if pa.types.is_time(arrow):
            return pa.array([None if v is None else time.fromisoformat(str(v)) for v in values], arrow)
        if pa.types.is_decimal(arrow) or pa.types.is_temporal(arrow):
            text = pa.array([None if v is None else str(v) for v in values], pa.string())
            return text.cast(pa.float64()).cast(arrow) if pa.types.is_decimal(arrow) else text.cast(arrow)
        return pa.array(values, arrow)
    except (pa.ArrowException, TypeError, ValueError, OverflowError):
        return pa.array([None if v is None else str(v) for v in values], pa.string())
