"""Rows of several stages as one dataset: each stage makes its own."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa

from ..model.paths import Path, field_at
from ..plan.ports import Ordinals
from ..plan.stages import first_row
from ..values.pools import one_array, picked
from .ports import PlannedRows
from .rows import Rows


class StagedRows(Rows):
    """Rows of several stages as one dataset: each stage makes its own."""

    __slots__ = ()

    def parts(self) -> list[tuple[Ordinals, int, PlannedRows]]:
        """For each stage that has some of the rows: their indices, the number of the stage, and the rows there."""
        return self.once(("parts",), self._parts)

    def _parts(self) -> list[tuple[Ordinals, int, PlannedRows]]:
        out, name = [], self.plan.name
        for number, runtime in enumerate(self.runtime.stages):
            if name in runtime.plan.kept:
                continue
            first = first_row(runtime.plan, name)
            inside = (self.ordinals >= first) & (self.ordinals < first + runtime.plan.entities[name].total)
            chosen = np.flatnonzero(inside)
            if chosen.size:
                out.append((chosen, number, runtime.rows(name, self.ordinals[chosen] - first)))
        return out

    def column(self, field: str) -> Any:
        return self.once(
            field, lambda: self._merged([(chosen, rows.column(field)) for chosen, _, rows in self.parts()], (field,))
        )

    def reach(self, relation: str, path: Path, earlier: bool = False) -> Any:
        found = [(chosen, rows.reach(relation, path, earlier)) for chosen, _, rows in self.parts()]
        return self._merged(found, (relation, *path))

    def _merged(self, found: list[tuple[Ordinals, Any]], path: Path) -> Any:
        if not found:
            return pa.nulls(0, field_at(self.runtime.plan.world, self.plan.entity, path).type.arrow())
        return merged(found, len(self))

    def _targets(self, relation: str) -> Ordinals:
        out = np.full(len(self), -1, np.int64)
        target = self.plan.entity.relation(relation).target
        for chosen, number, rows in self.parts():
            stage = self.runtime.stages[number].plan
            there = rows.targets(relation)
            added = 0 if target in stage.kept else first_row(stage, target)
            out[chosen] = np.where(there < 0, there, there + added)
        return out

    def some(self, chosen: Ordinals) -> Rows:
        return StagedRows(self.runtime, self.plan, self.ordinals[chosen])

    def in_stages(self) -> list[PlannedRows]:
        return [rows for _, _, rows in self.parts()]


def merged(columns: list[tuple[Ordinals, Any]], rows: int) -> Any:
    """Columns of parts of some rows, each with the indices of its rows, as one."""
    if len(columns) == 1:
        return columns[0][1]
    index = np.empty(rows, np.int64)
    size, arrays = 0, []
    for chosen, column in columns:
        array = one_array(column)
        index[chosen] = np.arange(size, size + len(array))
        arrays.append(array)
        size += len(array)
    arrow = next((array.type for array in arrays if not pa.types.is_null(array.type)), arrays[0].type)
    return picked(pa.concat_arrays([array if array.type == arrow else array.cast(arrow) for array in arrays]), index)
