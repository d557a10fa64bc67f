"""Functions of arrays: how many elements one has."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp

from .meaning import Evaluation, Meaning, NotEvaluableError


def _length(value: Any) -> Any:
    if not pa.types.is_list(value.type) and not pa.types.is_large_list(value.type):
        raise NotEvaluableError(f"{value.type} has no elements to count")
    return pc.cast(pc.list_value_length(value), pa.int64())


def _array_length(node: Any, at: Evaluation) -> Any:
    """PostgreSQL's array_length: null of an empty one, and of every dimension but the first, since ours have one."""
    length = _length(at.value(node.this))
    first = node.expression is None or at.constant(node.expression, "the dimension") in (1, "1")
    return pc.if_else(pc.greater(length, 0) if first else pa.scalar(False), length, pa.scalar(None, pa.int64()))


def _cardinality(node: Any, at: Evaluation) -> Any:
    return _length(at.value(node.expressions[0]))


MEANINGS: dict[type, Meaning] = {exp.ArraySize: _array_length}
BY_NAME: dict[str, Meaning] = {"CARDINALITY": _cardinality}
