"""Rows of a dataset, looked at."""

from __future__ import annotations

from typing import Any

from ...engine import Row
from ...model import Entity, Relation
from ..dataset import Dataset
from .record import ALL, ENDS, Choice, Record, Referring, labels_by_column, other_end, referring

_COUNTED = 2_000_000  # children whose references must be gone through are counted up to this many rows


class ComputedRecords:
    """Rows of a dataset; nothing is stored."""

    where = "computed from the world; nothing is stored"

    def __init__(self, dataset: Dataset) -> None:
        self.dataset, self.world = dataset, dataset.plan.world

    def counts(self) -> dict[str, int]:
        return dict(self.dataset.counts)

    def page(self, entity: str, start: int, limit: int, choice: Choice = ALL) -> list[dict[str, Any]]:
        choice.check(self.world.entity(entity))
        if choice.where is None and choice.order is None:
            page = self.dataset.page(entity, start, limit, cohort=choice.cohort or None)
        else:
            page = self._chosen(entity, choice).slice(start, limit)
        rows: list[dict[str, Any]] = (page.select(list(choice.columns)) if choice.columns else page).to_pylist()
        return rows

    def _chosen(self, entity: str, choice: Choice) -> Any:
        found = self.dataset.rows(entity, where=choice.where, cohort=choice.cohort or None)
        return found.sort_by(choice.order) if choice.order else found

    def size(self, entity: str, choice: Choice = ALL) -> int:
        if choice.where is not None:
            return int(self._chosen(entity, choice).num_rows)
        return len(self.dataset.members(entity, choice.cohort)) if choice.cohort else self.dataset.counts[entity]

    def ordinal(self, entity: str, where: str) -> int | None:
        return next((row.ordinal for row in self.dataset.find(entity, where=where, limit=1)), None)

    def record(self, entity: str, ordinal: int) -> Record:
        row = self.dataset.row(entity, ordinal)
        declared = self.world.entity(entity)
        parents = ((relation, row.parent(relation.name)) for relation in declared.relations)
        labels = labels_by_column(declared, [(relation, parent.label()) for relation, parent in parents if parent is not None])
        children = [self._referring(row, child, relation) for child, relation in referring(self.world, entity)]
        return Record(
            entity=entity,
            ordinal=ordinal,
            total=self.dataset.counts[entity],
            values=dict(row),
            labels=labels,
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
