"""Moments and times of day as texts: decimals only where a value has any, so that texts compare as the moments do."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

_SECOND = 1_000_000


def in_seconds(column: Any) -> Any:
    """A column of microseconds in a type, or as texts, without the six zeros that whole seconds would have. How a value comes out
    does not depend on the others."""
    units = column.view(pa.int64())
    seconds = pc.divide(units, _SECOND)
    whole = pc.equal(pc.multiply(seconds, _SECOND), units)
    short = pa.timestamp("s") if pa.types.is_timestamp(column.type) else pa.time32("s")
    if column.null_count == len(column) or pc.all(whole).as_py():
        return column.cast(short)
    return pc.if_else(whole, column.cast(short, safe=False).cast(pa.string()), column.cast(pa.string()))


def as_texts(column: Any) -> Any:
    """Days, or days and times of day, as ISO 8601 writes them, with a space between."""
    short = column if pa.types.is_date(column.type) else in_seconds(column)
    return short.cast(pa.string())
