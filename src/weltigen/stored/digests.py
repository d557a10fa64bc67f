"""Content digests: BLAKE2b over the digests of blocks of 65,536 rows, so that they are made in parallel.

They cover values, not files: the same rows give the same digest as CSV, Parquet or rows of a database.
"""

from __future__ import annotations

from collections.abc import Iterable
from hashlib import blake2b
from typing import Any

import numpy as np
import pyarrow as pa

_SIZE = 16


def block_digest(batch: Any) -> bytes:
    """The digest of one block: for each column its name, its type, which rows are null, and the others' values."""
    outer = blake2b(digest_size=_SIZE)
    for field, column in zip(batch.schema, batch.columns, strict=True):
        inner = blake2b(f"{field.name}\x1f{field.type}\x1f{len(column)}\x1f".encode(), digest_size=_SIZE)
        for part in _canonical(column):
            inner.update(part)
        outer.update(inner.digest())
    return outer.digest()


def entity_digest(blocks: Iterable[bytes]) -> str:
    """The digest of an entity out of its blocks' digests, as hexadecimal."""
    whole = blake2b(digest_size=_SIZE)
    for block in blocks:
        whole.update(block)
    return whole.hexdigest()


def _canonical(column: Any) -> list[Any]:
    """Bytes that depend on values alone, not on what lies in buffers under nulls or before an offset."""
    parts: list[Any] = []
    if column.null_count:
        valid = column.is_valid()
        parts.append(np.packbits(valid.to_numpy(zero_copy_only=False)).tobytes())
        column = column.drop_null()
    arrow = column.type
    if pa.types.is_boolean(arrow):
        return [*parts, np.packbits(column.to_numpy(zero_copy_only=False)).tobytes()]
    if pa.types.is_list(arrow) or pa.types.is_null(arrow):
        return [*parts, repr(column.to_pylist()).encode()]
    if pa.types.is_string(arrow) or pa.types.is_binary(arrow):
        offsets = np.frombuffer(column.buffers()[1], np.int32, len(column) + 1, column.offset * 4)
        data = column.buffers()[2]
        text = memoryview(data)[offsets[0] : offsets[-1]] if data is not None else b""
        return [*parts, np.diff(offsets).astype("<i4").tobytes(), text]
    width = arrow.bit_width // 8
    buffer = column.buffers()[1]
    if buffer is None:
        return parts
    return [*parts, memoryview(buffer)[column.offset * width : (column.offset + len(column)) * width]]
