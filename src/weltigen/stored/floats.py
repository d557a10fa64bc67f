"""Numbers of 32 bits where numbers of 64 are wanted."""

from __future__ import annotations

from typing import Any

import pyarrow as pa


def widened(column: Any) -> Any:
    """A column of binary32 numbers as binary64 ones with the same shortest decimals (9.09 and not 9.09000015258789); any other
    column as it is. Read as binary32 they are the same numbers."""
    return column.cast(pa.string()).cast(pa.float64()) if column.type == pa.float32() else column


def widened_rows(batch: Any) -> list[dict[str, Any]]:
    """The rows of an Arrow batch or table as mappings, with numbers as they are written."""
    columns = [widened(column) for column in batch.columns]
    made = type(batch).from_arrays(columns, names=batch.schema.names)
    rows: list[dict[str, Any]] = made.to_pylist()
    return rows
