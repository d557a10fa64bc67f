"""Record batches of entities, made on one or several threads in order; the same bytes in any batching."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import pairwise
from typing import Any, NamedTuple, NoReturn, TypeVar

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model import FieldType, Problem, TypeName
from ..model.problems import ImpossibleError
from ..model.written_moments import as_texts
from ..plan import EntityPlan
from ..rows import PlanRuntime, verify
from ..rows.ports import PlannedRows
from ..values.pools import one_array
from .families import Family

BATCH = 65_536
_AHEAD = 1  # batches in the making beyond one for each worker: enough to keep all busy, few enough to hold memory still

_T = TypeVar("_T")
Then = Callable[[str, Any], _T]  # what becomes of a batch of an entity


def schema_of(entity_plan: EntityPlan) -> Any:
    """The Arrow schema of an entity's batches; a field that must not be null says so, and one whose texts are JSON."""
    fields = (entity_plan.entity.field(name) for name in entity_plan.columns)
    return pa.schema(
        [
            pa.field(
                f.name,
                f.type.stored.arrow(),
                nullable=f.nullable,
                metadata={"sql": "json"} if f.type.name is TypeName.JSON else None,
            )
            for f in fields
        ]
    )


def make_batch(runtime: PlanRuntime, entity: str, start: int, stop: int) -> Any:
    """Rows start … stop-1 of an entity as a record batch."""
    return make_rows(runtime, entity, np.arange(start, stop, dtype=np.int64))


def make_rows(runtime: PlanRuntime, entity: str, ordinals: NDArray[np.int64]) -> Any:
    """Any rows of an entity as a record batch."""
    return _record_batch(runtime.rows(entity, ordinals))


def _record_batch(rows: PlannedRows) -> Any:
    columns = [_as_stored(one_array(rows.column(name)), rows.plan.entity.field(name).type) for name in rows.plan.columns]
    verify(rows)
    schema = schema_of(rows.plan)
    for field, column in zip(schema, columns, strict=True):
        if not field.nullable and column.null_count:
            _refuse_null(rows, field.name)
    return pa.RecordBatch.from_arrays(columns, schema=schema)


def _as_stored(column: Any, kind: FieldType) -> Any:
    """A column as its database keeps it: moments as texts, where their column is one of texts."""
    return column if kind.written is None else as_texts(column)


def _refuse_null(rows: PlannedRows, column: str) -> NoReturn:
    """What would leave a field empty that must not be is seen when a plan is settled; some rows alone may be made before that."""
    rows.runtime.settle()
    problem = Problem(
        fact=f"{rows.name}.{column} must not be null, but nothing fills it", place=rows.plan.entity.field(column).place
    )
    raise ImpossibleError(problem)


def batches(
    runtime: PlanRuntime, entity: str, *, then: Callable[[Any], Any] = lambda batch: batch, size: int = BATCH, workers: int = 1
) -> Iterator[Any]:
    """All batches of an entity, in order, or what `then` makes of each."""
    family = Family(names=(entity,))
    return (one for _, one in made(runtime, family, lambda _, batch: then(batch), size=size, workers=workers))


def made(
    runtime: PlanRuntime, family: Family, then: Then[_T], *, size: int = BATCH, workers: int = 1, first: int = 0
) -> Iterator[tuple[str, _T]]:
    """What `then` makes of each batch of `size` rows of a family's entities, with the entity; from its row `first` on.

    Each entity's come in order, and owners before the rows that they own. `then` runs where the batch is made, but for batches
    that are put together out of several spans of owners.
    """
    joined: dict[str, list[Any]] = {name: [] for name in family.names}
    owners = _owners(family)
    held: list[tuple[str, _T]] = []  # batches of which some owners are still in a batch that is not full
    for pieces in _spans(runtime, family, then, size, workers, first):
        for piece in pieces:
            parts = joined[piece.entity]
            if piece.done:
                held.append((piece.entity, piece.content))
            else:
                parts.append(piece.content)
                if piece.stop % size and piece.stop != runtime.plan.entities[piece.entity].total:
                    continue
                held.append((piece.entity, then(piece.entity, pa.concat_batches(parts) if len(parts) > 1 else parts[0])))
                parts.clear()
            for name in family.names:  # owners come first
                waiting = {one for one, _ in held}
                if name in waiting and not any(joined[owner] or owner in waiting for owner in owners[name]):
                    yield from (one for one in held if one[0] == name)
                    held = [one for one in held if one[0] != name]


def _owners(family: Family) -> dict[str, list[str]]:
    """Of each entity of a family those that own its rows, and those that own these."""
    above: dict[str, list[str]] = {name: [] for name in family.names}
    for name in family.names:  # owners come first
        for child in family.owned.get(name, ()):
            above[child] = [name, *above[name]]
    return above


class _Piece(NamedTuple):
    """A batch as `then` left it, or rows up to `stop` that are less than a batch."""

    entity: str
    stop: int
    content: Any
    done: bool


def _spans(runtime: PlanRuntime, family: Family, then: Then[Any], size: int, workers: int, first: int) -> Iterator[list[_Piece]]:
    """What each span of the family's first rows comes to, with the rows that they own."""
    total = runtime.plan.entities[family.first].total
    few = workers > 1 and total < 2 * workers * size
    span = max(1, size // 4) if few and family.owned else size  # so that no worker is idle; many short spans cost a tenth
    ahead = 0 if family.owned else _AHEAD  # a span of owners comes with several batches of what they own
    starts = range(first, total, span)
    if workers <= 1 or len(starts) <= 1:
        for start in starts:
            yield _made_span(runtime, family, then, size, range(start, min(total, start + span)))
        return
    pool = ThreadPoolExecutor(workers, thread_name_prefix="weltigen")
    pending: deque[Future[list[_Piece]]] = deque()
    try:
        for start in starts:
            pending.append(pool.submit(_made_span, runtime, family, then, size, range(start, min(total, start + span))))
            if len(pending) >= workers + ahead:
                yield pending.popleft().result()
        while pending:
            yield pending.popleft().result()
    finally:
        pool.shutdown(wait=True, cancel_futures=True)


def _made_span(runtime: PlanRuntime, family: Family, then: Then[Any], size: int, span: range) -> list[_Piece]:
    rows: PlannedRows = runtime.rows(family.first, np.arange(span.start, span.stop, dtype=np.int64))
    rows.keep_owned(family.owned)
    return list(_made_with_owned(rows, family, then, size))


def _made_with_owned(rows: PlannedRows, family: Family, then: Then[Any], size: int) -> Iterator[_Piece]:
    batch = _record_batch(rows)
    first, total = int(rows.ordinals[0]), rows.plan.total
    cuts = [first, *range(first - first % size + size, first + len(rows), size), first + len(rows)]
    for start, stop in pairwise(cuts):
        part = batch.slice(start - first, stop - start)
        done = start % size == 0 and (stop % size == 0 or stop == total)
        yield _Piece(rows.name, stop, then(rows.name, part) if done else part, done)
    del batch
    for child in family.owned.get(rows.name, ()):
        for owned in rows.hand_over(child):
            yield from _made_with_owned(owned, family, then, size)
