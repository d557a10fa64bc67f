"""One row, made directly: its values, the rows it refers to, and the rows that refer to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from ..expression.labels import label_of
from ..model import Relation
from ..model.problems import UsageError, nearest
from ..model.written_moments import as_texts
from ..plan import bind
from ..rows import PlanRuntime, strata_of
from ..stored.floats import widened
from .batches import BATCH

_SHOWN, _LONGEST = 3, 24  # fields in one line, and characters of a value there


def _short(value: Any) -> str:
    text = " ".join(str(value).split())
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"


class Row(Mapping[str, Any]):
    """A mapping from field to Python value. Making it makes no other row but those it depends on."""

    __slots__ = ("_rows", "_runtime", "_values", "entity", "ordinal")

    def __init__(self, runtime: PlanRuntime, entity: str, ordinal: int) -> None:
        entity_plan = runtime.plan.entity(entity)
        if not 0 <= ordinal < entity_plan.total:
            there = f"0 to {entity_plan.total - 1:,}" if entity_plan.total else "none"
            raise UsageError(f"{entity} has no row {ordinal:,}", hint=f"its ordinals are: {there}")
        self._runtime, self.entity, self.ordinal = runtime, entity, ordinal
        self._rows = runtime.rows(entity, np.array([ordinal], np.int64))
        self._values: dict[str, Any] = {}

    def __getitem__(self, field: str) -> Any:
        if field not in self._values:
            if field not in self._rows.plan.columns:
                raise KeyError(field)
            column = self._rows.column(field)
            kept_as_text = self._rows.plan.entity.field(field).type.written is not None
            self._values[field] = (as_texts(column) if kept_as_text else widened(column))[0].as_py()
        return self._values[field]

    def __iter__(self) -> Iterator[str]:
        return iter(self._rows.plan.columns)

    def __len__(self) -> int:
        return len(self._rows.plan.columns)

    def __repr__(self) -> str:
        entity = self._rows.plan.entity
        names = [name for name in self if not entity.field(name).secret]
        shown = ", ".join(f"{name} {_short(self[name])}" for name in names[:_SHOWN])
        return f"<{self.entity}/{self.ordinal}: {shown}{', …' if len(self) > len(names[:_SHOWN]) else ''}>"

    def label(self) -> str:
        """How the row is shown where others refer to it: the entity's label, else its key."""
        entity, world = self._rows.plan.entity, self._runtime.plan.world
        return label_of(entity, lambda text: bind(world, entity, text).values(self._rows), self) or str(self.ordinal)

    def parent(self, name: str) -> Row | None:
        """The row that a relation points to; None where it points to none."""
        relation = self._relation(name)
        target = int(self._rows.targets(relation.name)[0])
        return Row(self._runtime, relation.target, target) if target >= 0 else None

    def _relation(self, name: str) -> Relation:
        entity = self._rows.plan.entity
        fitting = [r for r in entity.relations if r.name == name] or [r for r in entity.relations if r.target == name]
        if len(fitting) != 1:
            known = tuple(r.name for r in entity.relations)
            raise UsageError(
                f"{self.entity} has no relation '{name}'",
                hint=nearest(name, known) or f"{self.entity} refers to nothing",
            )
        return fitting[0]

    def children(self, entity: str, relation: str | None = None) -> list[Row]:
        """The rows of `entity` that refer to this one, rising; `relation` where it refers by several."""
        return [Row(self._runtime, entity, ordinal) for ordinal in self.child_ordinals(entity, relation)]

    def child_ordinals(self, entity: str, relation: str | None = None) -> list[int]:
        """Ordinals of the rows of `entity` that refer to this one."""
        child = self._runtime.plan.entity(entity)
        fitting = [r for r in child.entity.relations if r.target == self.entity and relation in (None, r.name)]
        if not fitting:
            raise UsageError(f"{entity} does not refer to {self.entity}{f' by {relation}' if relation else ''}")
        found: set[int] = set()
        for one in fitting:
            found.update(self._children_by(entity, one))
        return sorted(found)

    def finds_children(self, entity: str, relation: str) -> bool:
        """Whether the rows that refer to this one are known without going through all of the entity's references."""
        reference = self._runtime.plan.entities[entity].references[relation]
        return reference.finds_children or reference.stratum is not None

    def _children_by(self, entity: str, relation: Relation) -> list[int]:
        """Directly where the layout is a range or a class; else the child entity's references are gone through."""
        child = self._runtime.plan.entities[entity]
        reference = child.references[relation.name]
        if reference.finds_children:
            candidates = [np.array(sorted({*reference.way.children(self.ordinal), *range(child.fixed)}), np.int64)]
        elif reference.stratum is not None:
            strata = strata_of(self._runtime, entity, reference.stratum)
            candidates = [strata.rows_like(relation.name, self.ordinal)]
        else:
            candidates = [np.arange(s, min(child.total, s + BATCH), dtype=np.int64) for s in range(0, child.total, BATCH)]
        found: list[int] = []
        for ordinals in candidates:
            if ordinals.size:
                targets = self._runtime.rows(entity, ordinals).targets(relation.name)
                found += ordinals[targets == self.ordinal].tolist()
        return found
