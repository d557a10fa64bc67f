"""Sums over children: what `sum`, `count`, `min`, `max` and `avg` over the rows that refer to a row come to.

A row is written before its children, so these are worked out ahead, in blocks: only the columns that the expression needs.
Children that lie in their owner's order, or are dealt by classes, are found by arithmetic, whatever rows are asked for. Any
other way a reference finds its row can only be followed from the children: then all of them are gone through once, and the
result is kept, 8 bytes for each row and function. Numbers are added as whole numbers of their last decimal, so sums are exact.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model import FieldType, TypeName
from ..model.problems import ImpossibleError, Problem
from ..plan.child_blocks import BLOCK
from ..plan.entity import EntityPlan
from ..plan.formulas import ChildAggregate
from ..plan.ports import Ordinals
from ..values import Axis
from .ports import PlannedRows, PlannedRuntime

_ROOM = 1 << 62
_ONE = np.zeros(1, np.intp)  # where the rows of the only owner begin


def aggregate(rows: PlannedRows, wanted: ChildAggregate, together: tuple[ChildAggregate, ...]) -> Any:
    """The column of one function for these rows; all functions over the same children are worked out in one go."""
    alike = tuple(one for one in together if one.relation is wanted.relation)
    child = rows.runtime.plan.entities[wanted.relation.entity]
    reference = child.references[wanted.relation.name]
    kept = rows.runtime.plan.kept
    if child.total == 0 or (child.name in kept and rows.plan.name not in kept):  # of what a stage adds, none is kept
        return _Sums(len(rows)).column(wanted, pa.null())
    if reference.finds_blocks:
        made = rows.once(("gathered", alike), lambda: _over_rows(rows, child, alike))
        return made[wanted]
    whole = rows.runtime.once(("gathered", rows.plan.name, *alike), lambda: _over_all(rows.runtime, rows.plan, child, alike))
    return whole[wanted].take(pa.array(rows.ordinals))


def _over_rows(rows: PlannedRows, child: EntityPlan, wanted: tuple[ChildAggregate, ...]) -> dict[ChildAggregate, Any]:
    name = wanted[0].relation.name
    sums = {one: _Sums(len(rows)) for one in wanted}
    if child.owner is not None and child.owner.relation == name:
        for made, at in rows.owned(child.name):
            _add(made, wanted, sums, at)
    else:
        sure = not child.fixed and not any(child.entity.field(column).nullable for column in wanted[0].relation.columns)
        for ordinals, at in child.references[name].way.children_in_blocks(rows.ordinals):
            if not sure:
                kept = ordinals >= child.fixed
                kept &= rows.runtime.rows(child.name, ordinals).targets(name) == rows.ordinals[at]
                ordinals, at = ordinals[kept], at[kept]
            _add(rows.runtime.rows(child.name, ordinals), wanted, sums, at)
    if child.fixed:
        targets = rows.runtime.rows(child.name, np.arange(child.fixed)).targets(name)
        order = np.argsort(rows.ordinals, kind="stable")
        index = np.searchsorted(rows.ordinals[order], targets)
        index = order[np.minimum(index, order.size - 1)]
        here = np.flatnonzero(rows.ordinals[index] == targets)
        here = here[np.argsort(index[here], kind="stable")]
        _add(rows.runtime.rows(child.name, here), wanted, sums, index[here])
    return {one: sums[one].column(one, pa.null()) for one in wanted}


def _over_all(
    runtime: PlannedRuntime, owner: EntityPlan, child: EntityPlan, wanted: tuple[ChildAggregate, ...]
) -> dict[ChildAggregate, Any]:
    sums = {one: _Sums(owner.total) for one in wanted}
    for start in range(0, child.total, BLOCK):
        ordinals = np.arange(start, min(child.total, start + BLOCK), dtype=np.int64)
        targets = runtime.rows(child.name, ordinals).targets(wanted[0].relation.name)
        there = np.flatnonzero(targets >= 0)
        there = there[np.argsort(targets[there], kind="stable")]
        _add(runtime.rows(child.name, ordinals[there]), wanted, sums, targets[there])
    return {one: sums[one].column(one, pa.null()) for one in wanted}


def _add(rows: PlannedRows, wanted: tuple[ChildAggregate, ...], sums: dict[ChildAggregate, _Sums], at: Ordinals) -> None:
    """Adds some children to the rows `at`, which rise."""
    if not at.size:
        return
    for one in wanted:
        kept = one.where.truth(rows) if one.where is not None else None
        sums[one].add(one, rows, at, kept)


class _Sums:
    """What one function has come to for each of some rows."""

    def __init__(self, size: int) -> None:
        self.size = size
        self.count = np.zeros(size, np.int64)
        self.total: Any = None  # whole numbers, objects where these have no room, or floats
        self.scale = 0
        self.arrow: Any = None
        self.parts: list[Any] = []  # of texts: the least or greatest of each block

    def add(self, one: ChildAggregate, rows: PlannedRows, at: Ordinals, kept: NDArray[np.bool_] | None) -> None:
        """Adds the rows of one block; `at` rises."""
        values = one.operand.values(rows) if one.operand is not None else None
        if values is not None:
            self.arrow = values.type
            if values.null_count:
                there = np.asarray(values.is_valid())
                kept = there if kept is None else kept & there
        if kept is not None and not kept.all():
            at = at[kept]
            values = values.filter(pa.array(kept)) if values is not None else None
        if not at.size:
            return
        starts = _ONE if self.size == 1 else np.flatnonzero(np.concatenate([[True], at[1:] != at[:-1]]))
        into = at[starts]
        self.count[into] += np.diff(np.append(starts, at.size))
        if one.function == "count" or values is None or pa.types.is_null(values.type):
            return
        if one.function in ("min", "max") and not _is_number(values.type):
            self._extreme_of_others(one.function, values, at)
            return
        numbers, self.scale = _numbers(values)
        if one.function in ("min", "max"):
            better = np.minimum if one.function == "min" else np.maximum
            part = better.reduceat(numbers, starts)
            self._begin(numbers, start=numbers.max() if one.function == "min" else numbers.min())
            fresh = self.count[into] == np.diff(np.append(starts, at.size))
            self.total[into] = np.where(fresh, part, better(self.total[into], part))
            return
        if numbers.dtype == np.int64 and _largest(numbers) * numbers.size > _ROOM:
            numbers = numbers.astype(object)
        self._begin(numbers, start=0)
        part = np.add.reduceat(numbers, starts)
        if self.total.dtype == np.int64 and (part.dtype == object or _largest(self.total) > _ROOM // 2):
            self.total = self.total.astype(object)
        self.total[into] += part

    def _begin(self, numbers: Any, start: Any) -> None:
        if self.total is None:
            self.total = np.full(self.size, start, numbers.dtype)
        elif numbers.dtype == object and self.total.dtype != object:
            self.total = self.total.astype(object)

    def _extreme_of_others(self, function: str, values: Any, at: Ordinals) -> None:
        if pa.types.is_boolean(values.type):
            raise ImpossibleError(Problem(fact=f"{function}() of truth values has no meaning", hint="count them with FILTER"))
        table = pa.table({"at": at, "value": values})
        self.parts.append(
            table.group_by("at", use_threads=False).aggregate([("value", function)]).rename_columns(["at", "value"])
        )

    def column(self, one: ChildAggregate, nothing: Any) -> Any:
        """The function's column; null where there is nothing, but for a count."""
        if one.function == "count":
            return pa.array(self.count)
        arrow = self.arrow if self.arrow is not None else nothing
        none = self.count == 0
        if self.parts:
            whole = pa.concat_tables(self.parts).group_by("at", use_threads=False).aggregate([("value", one.function)])
            index = np.full(self.size, -1, np.int64)
            index[whole.column("at").to_numpy()] = np.arange(whole.num_rows)
            found = whole.column(f"value_{one.function}").combine_chunks()
            return found.take(pa.array(index, mask=index < 0))
        if pa.types.is_null(arrow) or self.total is None:
            return pa.nulls(self.size, arrow if pa.types.is_null(arrow) else one.arrow(arrow))
        if one.function == "avg":
            return _average(self.total, self.count, self.scale, none, one.arrow(arrow))
        return _as_arrow(self.total, self.scale, none, one.arrow(arrow))


def _is_number(arrow: Any) -> bool:
    return bool(
        pa.types.is_integer(arrow) or pa.types.is_decimal(arrow) or pa.types.is_floating(arrow) or pa.types.is_temporal(arrow)
    )


def _numbers(values: Any) -> tuple[Any, int]:
    """Values without nulls as whole numbers of their last decimal, and the scale; floats stay floats."""
    arrow = values.type
    if pa.types.is_decimal(arrow):
        halves = np.frombuffer(values.buffers()[1], np.int64)[values.offset * 2 : (values.offset + len(values)) * 2]
        low, high = halves[::2], halves[1::2]
        if (high == low >> 63).all():
            return low, arrow.scale
        return np.array([int(value.scaleb(arrow.scale)) for value in values.to_pylist()], object), arrow.scale
    if pa.types.is_floating(arrow):
        return values.to_numpy(zero_copy_only=False).astype(np.float64), 0
    if pa.types.is_temporal(arrow):
        values = values.view(pa.int32() if pa.types.is_date32(arrow) or pa.types.is_time32(arrow) else pa.int64())
    return values.to_numpy(zero_copy_only=False).astype(np.int64), 0


def _as_arrow(total: Any, scale: int, none: NDArray[np.bool_], arrow: Any) -> Any:
    if pa.types.is_decimal(arrow):
        if total.dtype == object:
            return _wide_decimals(total, none, arrow)
        digits = FieldType(name=TypeName.NUMERIC, precision=arrow.precision, scale=arrow.scale)
        return Axis(type=digits).column(total, none)
    if pa.types.is_floating(arrow):
        return pa.array(total, pa.float64(), mask=none).cast(arrow)
    if pa.types.is_temporal(arrow):
        width = np.int32 if pa.types.is_date32(arrow) or pa.types.is_time32(arrow) else np.int64
        return pa.array(total.astype(width), mask=none).view(arrow)
    if total.dtype == object:
        return pa.array([None if n else int(v) for v, n in zip(total, none, strict=True)], arrow)
    return pa.array(total, pa.int64(), mask=none).cast(arrow)


def _largest(numbers: Any) -> int:
    """The largest number without its sign."""
    return max(abs(int(numbers.max())), abs(int(numbers.min())))


def _wide_decimals(total: Any, none: NDArray[np.bool_], arrow: Any) -> Any:
    from decimal import Decimal

    return pa.array([None if n else Decimal(int(v)).scaleb(-arrow.scale) for v, n in zip(total, none, strict=True)], arrow)


def _average(total: Any, count: Ordinals, scale: int, none: NDArray[np.bool_], arrow: Any) -> Any:
    number = np.maximum(count, 1)
    if not pa.types.is_decimal(arrow):
        return pa.array(total / number, pa.float64(), mask=none).cast(arrow)
    lift = 10 ** (arrow.scale - scale)
    if total.dtype == object or _largest(total) > (_ROOM // lift) // 2:
        total = total.astype(object)
    lifted = np.abs(total) * lift
    units = (lifted + number // 2) // number  # half away from zero
    return _as_arrow(np.where(total < 0, -units, units), arrow.scale, none, arrow)
