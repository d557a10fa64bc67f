"""Whole columns, and their values as small numbers or words that are the same for equal ones."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..plan.ports import Ordinals
from ..randomness import Key
from ..randomness.mixing import mix
from ..values.pools import one_array
from .ports import PlannedRuntime


def whole_column(runtime: PlannedRuntime, entity: str, column: str) -> Any:
    """A column of all rows of an entity, in one piece."""
    total = runtime.plan.entities[entity].total
    made = runtime.rows(entity, np.arange(total, dtype=np.int64)).column(column)
    return one_array(made)


def numbered(columns: list[Any]) -> Ordinals:
    """The rows of some columns as small numbers, the same for equal rows."""
    code = np.zeros(len(columns[0]), np.int64)
    for column in columns:
        indices = column.dictionary_encode().indices
        agreement = pc.fill_null(indices, -1).to_numpy(zero_copy_only=False).astype(np.int64) + 1
        _, code = np.unique(code * np.int64(agreement.max(initial=0) + 1) + agreement, return_inverse=True)
        code = code.astype(np.int64)
    return code


_LINK = Key(0x428A2F98D728AE22, 0x7137449123EF65CD)  # any two constants: they join the parts of a rule's key


def words_of(column: Any) -> NDArray[np.uint64]:
    """A word for each value of a column, the same for equal ones; whatever for nulls."""
    column = one_array(column)
    arrow = column.type
    if pa.types.is_boolean(arrow):
        column = column.cast(pa.int8())
    elif pa.types.is_temporal(arrow):
        column = column.view(pa.int32() if arrow.bit_width == 32 else pa.int64())
    if pa.types.is_integer(column.type) or pa.types.is_floating(column.type):
        plain = pc.fill_null(column, 0).to_numpy(zero_copy_only=False)
        plain = plain.astype(np.float64).view(np.uint64) if pa.types.is_floating(column.type) else plain.astype(np.int64)
        return mix(_LINK, plain.astype(np.uint64))
    from pandas.util import hash_array

    if not (pa.types.is_string(arrow) or pa.types.is_binary(arrow)):
        column = column.cast(pa.string())
    return np.asarray(hash_array(pc.fill_null(column, "" if column.type == pa.string() else b"").to_numpy(zero_copy_only=False)))
