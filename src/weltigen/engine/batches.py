"""Record batches of an entity, made on one or several threads in order; the same bytes in any batching."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model import TypeName
from ..plan import EntityPlan
from ..rows import PlanRuntime, verify

BATCH = 65_536
_AHEAD = 1  # batches in the making beyond one for each worker: enough to keep all busy, few enough to hold memory still

_T = TypeVar("_T")


def schema_of(entity_plan: EntityPlan) -> Any:
    """The Arrow schema of an entity's batches; a field that must not be null says so, and one whose texts are JSON."""
    fields = (entity_plan.entity.field(name) for name in entity_plan.columns)
    return pa.schema(
        [
            pa.field(
                f.name, f.type.arrow(), nullable=f.nullable, metadata={"sql": "json"} if f.type.name is TypeName.JSON else None
            )
            for f in fields
        ]
    )


def make_batch(runtime: PlanRuntime, entity: str, start: int, stop: int) -> Any:
    """Rows start … stop-1 of an entity as a record batch."""
    return make_rows(runtime, entity, np.arange(start, stop, dtype=np.int64))


def make_rows(runtime: PlanRuntime, entity: str, ordinals: NDArray[np.int64]) -> Any:
    """Any rows of an entity as a record batch."""
    entity_plan = runtime.plan.entities[entity]
    rows = runtime.rows(entity, ordinals)
    columns = [_one_array(rows.column(name)) for name in entity_plan.columns]
    verify(rows)
    return pa.RecordBatch.from_arrays(columns, schema=schema_of(entity_plan))


def _make_then(runtime: PlanRuntime, entity: str, start: int, stop: int, then: Callable[[Any], _T]) -> _T:
    return then(make_batch(runtime, entity, start, stop))


def _one_array(column: Any) -> Any:
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


def batches(runtime: PlanRuntime, entity: str, *, size: int = BATCH, workers: int = 1) -> Iterator[Any]:
    """All batches of an entity, in order."""
    return made(runtime, entity, lambda batch: batch, size=size, workers=workers)


def made(runtime: PlanRuntime, entity: str, then: Callable[[Any], _T], *, size: int = BATCH, workers: int = 1) -> Iterator[_T]:
    """What `then` makes of each batch, in order; `then` runs where the batch is made."""
    total = runtime.plan.entities[entity].total
    spans = [(start, min(total, start + size)) for start in range(0, total, size)]
    if workers <= 1 or len(spans) <= 1:
        for start, stop in spans:
            yield then(make_batch(runtime, entity, start, stop))
        return
    pool = ThreadPoolExecutor(workers, thread_name_prefix="weltigen")
    pending: deque[Future[_T]] = deque()
    try:
        for start, stop in spans:
            pending.append(pool.submit(_make_then, runtime, entity, start, stop, then))
            if len(pending) >= workers + _AHEAD:
                yield pending.popleft().result()
        while pending:
            yield pending.popleft().result()
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
