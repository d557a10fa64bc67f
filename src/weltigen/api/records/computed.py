"""Rows of a dataset, looked at."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ...engine import BATCH, Row, make_rows
from ...model import Entity, Relation
from ...stored.floats import widened_rows
from ..dataset import Dataset
from .record import ALL, ENDS, Choice, Record, Referring, labels_by_column, other_end, referring

_COUNTED = 2_000_000  # children whose references must be gone through are counted up to this many rows


class ComputedRecords:
    """Rows of a dataset; nothing is stored."""

    where = "computed from the world; nothing is stored"

    def __init__(self, dataset: Dataset) -> None:
        self.dataset, self.world = dataset, dataset.plan.world
        self._orders: dict[tuple[str, Choice], NDArray[np.int64]] = {}  # the rows of choices that had to be gone through

    def counts(self) -> dict[str, int]:
        return dict(self.dataset.counts)

    def page(self, entity: str, start: int, limit: int, choice: Choice = ALL) -> list[dict[str, Any]]:
        choice.check(self.world.entity(entity))
        chosen = self._chosen(entity, start, limit, choice)
        if not chosen.size:
            return []
        page = make_rows(self.dataset.runtime, entity, chosen)
        return widened_rows(page.select(list(choice.columns)) if choice.columns else page)

    def _chosen(self, entity: str, start: int, limit: int, choice: Choice) -> NDArray[np.int64]:
        """The ordinals of a page."""
        if not (choice.where or choice.order or choice.cohort):
            total = self.dataset.counts[entity]
            return np.arange(min(start, total), min(start + limit, total), dtype=np.int64)
        if (entity, choice) not in self._orders:
            found = self.dataset.ordinals(entity, where=choice.where, cohort=choice.cohort or None)
            if choice.order is not None and found.size:
                spans = range(0, found.size, BATCH)
                keys = [self.dataset.runtime.rows(entity, found[at : at + BATCH]).column(choice.order) for at in spans]
                found = found[pc.sort_indices(pa.chunked_array(keys)).to_numpy()]
            self._orders[entity, choice] = found
        return self._orders[entity, choice][start : start + limit]

    def size(self, entity: str, choice: Choice = ALL) -> int:
        if not (choice.where or choice.cohort):
            return self.dataset.counts[entity]
        self._chosen(entity, 0, 0, choice)
        return len(self._orders[entity, choice])

    def labels(self, entity: str, start: int, limit: int, choice: Choice = ALL) -> list[dict[str, str]]:
        return [self._labels(self.dataset.row(entity, at)) for at in self._chosen(entity, start, limit, choice).tolist()]

    def _labels(self, row: Row) -> dict[str, str]:
        declared = self.world.entity(row.entity)
        parents = ((relation, row.parent(relation.name)) for relation in declared.relations)
        return labels_by_column(declared, [(relation, parent.label()) for relation, parent in parents if parent is not None])

    def ordinal(self, entity: str, where: str) -> int | None:
        return next((row.ordinal for row in self.dataset.find(entity, where=where, limit=1)), None)

    def record(self, entity: str, ordinal: int) -> Record:
        row = self.dataset.row(entity, ordinal)
        children = [self._referring(row, child, relation) for child, relation in referring(self.world, entity)]
        return Record(
            entity=entity,
            ordinal=ordinal,
            total=self.dataset.counts[entity],
            values=dict(row),
            labels=self._labels(row),
            children=children,
        )

    def _referring(self, row: Row, child: Entity, relation: Relation) -> Referring:
        if not row.finds_children(child.name, relation.name) and self.dataset.counts[child.name] > _COUNTED:
            return Referring(entity=child.name, relation=relation.name, count=None)
        ordinals = row.child_ordinals(child.name, relation.name)
        other, ends = other_end(child, relation), []
        for ordinal in ordinals[:ENDS] if other is not None else ():
            end = self.dataset.row(child.name, ordinal).parent(other.name) if other is not None else None
            ends += [end.label()] if end is not None else []
        return Referring(entity=child.name, relation=relation.name, count=len(ordinals),
                         other=other.target if other else None, ends=tuple(ends))  # fmt: skip
