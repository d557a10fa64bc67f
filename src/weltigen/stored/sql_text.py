"""Rows as SQL text, made column by column in Arrow: literals of a dialect, INSERT statements of many rows, lines for LOAD
DATA."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..model import Field, TypeName
from ..model.literals import write_array
from ..model.written_moments import in_seconds

_ROWS = 500  # rows of a statement
_ROOM = 1 << 19  # bytes of a statement, about: servers limit what they take at once


def plain_text(column: Any) -> Any:
    """A column as texts without quotes; zoned moments in UTC, without saying so. Booleans are 0 and 1, bytes hexadecimal."""
    arrow = column.type
    if pa.types.is_string(arrow):
        return column
    if pa.types.is_timestamp(arrow):
        return in_seconds(column.cast(pa.timestamp("us"))).cast(pa.string())
    if pa.types.is_time(arrow):
        return in_seconds(column).cast(pa.string())
    if pa.types.is_boolean(arrow):
        return column.cast(pa.int8()).cast(pa.string())
    if pa.types.is_binary(arrow):
        return pa.array([None if value is None else value.hex() for value in column.to_pylist()], pa.string())
    if pa.types.is_list(arrow):
        return pa.array([None if value is None else write_array(value) for value in column.to_pylist()], pa.string())
    return column.cast(pa.string())


def _in_quotes(text: Any, backslashes: bool) -> Any:
    text = pc.replace_substring(text, "'", "''")
    text = pc.replace_substring(text, "\\", "\\\\") if backslashes else text
    return pc.binary_join_element_wise("'", text, "'", "")


def literals(column: Any, field: Field, dialect: str) -> Any:
    """A column as literals of a dialect (postgresql, mysql, sqlite, duckdb): NULL where it is null."""
    arrow, mysql = column.type, dialect == "mysql"
    text = plain_text(column)
    if pa.types.is_boolean(arrow) and dialect in ("postgresql", "duckdb"):
        text = pc.if_else(column, "TRUE", "FALSE")
    elif pa.types.is_binary(arrow):
        head = {"postgresql": "'\\x", "duckdb": "from_hex('"}.get(dialect, "X'")
        text = pc.binary_join_element_wise(head, text, "')" if dialect == "duckdb" else "'", "")
    elif field.type.name is TypeName.BIT and dialect in ("postgresql", "mysql"):
        text = pc.binary_join_element_wise("B'" if dialect == "postgresql" else "b'", text, "'", "")
    elif pa.types.is_timestamp(arrow) and arrow.tz is not None and not mysql:
        text = _in_quotes(pc.binary_join_element_wise(text, "+00:00", ""), False)
    elif not (
        pa.types.is_integer(arrow) or pa.types.is_floating(arrow) or pa.types.is_decimal(arrow) or pa.types.is_boolean(arrow)
    ):
        text = _in_quotes(text, mysql)
    return pc.fill_null(text, "NULL")


def insert_statements(table: str, columns: Sequence[str], batch: Any, fields: Sequence[Field], dialect: str) -> Iterator[str]:
    """INSERT statements of many rows each; `table` and `columns` stand as they are written."""
    head = f"INSERT INTO {table} ({', '.join(columns)}) VALUES\n"
    parts = [literals(column, field, dialect) for column, field in zip(batch.columns, fields, strict=True)]
    rows = pc.binary_join_element_wise("(", pc.binary_join_element_wise(*parts, ", "), ")", "")
    width = max(1, (rows.nbytes // max(1, len(rows))))
    step = max(1, min(_ROWS, _ROOM // width))
    for text in _joined(rows, step, ",\n"):
        yield head + text + ";\n"


def copy_lines(batch: Any) -> bytes:
    """Lines for PostgreSQL's COPY in its text format, whose end no value can be taken for."""
    parts = []
    for column in batch.columns:
        text, arrow = plain_text(column), column.type
        if pa.types.is_boolean(arrow):
            text = pc.if_else(column, "t", "f")
        elif pa.types.is_binary(arrow):
            text = pc.binary_join_element_wise("\\\\x", text, "")
        elif pa.types.is_string(arrow) or pa.types.is_list(arrow):
            for sign, written in (("\\", "\\\\"), ("\n", "\\n"), ("\r", "\\r"), ("\t", "\\t")):
                text = pc.replace_substring(text, sign, written)
        parts.append(pc.fill_null(text, "\\N"))
    rows = pc.binary_join_element_wise(*parts, "\t") if len(parts) > 1 else parts[0]
    return "".join(text + "\n" for text in _joined(rows, len(rows) or 1, "\n")).encode()


def data_lines(batch: Any) -> bytes:
    """Lines for MariaDB's LOAD DATA: every text in quotes, those inside doubled, NULL alone for null."""
    parts = []
    for column in batch.columns:
        text = plain_text(column)
        arrow = column.type
        if not (
            pa.types.is_integer(arrow) or pa.types.is_floating(arrow) or pa.types.is_decimal(arrow) or pa.types.is_boolean(arrow)
        ):
            text = pc.binary_join_element_wise('"', pc.replace_substring(text, '"', '""'), '"', "")
        parts.append(pc.fill_null(text, "NULL"))
    rows = pc.binary_join_element_wise(*parts, ",") if len(parts) > 1 else parts[0]
    return "".join(text + "\n" for text in _joined(rows, len(rows) or 1, "\n")).encode()


def _joined(rows: Any, step: int, between: str) -> Iterator[str]:
    """Texts joined in groups of `step`."""
    total = len(rows)
    if not total:
        return
    offsets = pa.array(np.append(np.arange(0, total, step), total), pa.int32())
    for text in pc.binary_join(pa.ListArray.from_arrays(offsets, rows), between):
        yield text.as_py()
