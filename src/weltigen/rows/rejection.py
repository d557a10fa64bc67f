"""Drawing again: rows that fail a check are made again, all at once, with another attempt number: 64 times, and where few rows
fail then, up to 1,024 times, in which references go to one row after the other."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa

from ..model.problems import ImpossibleError, Problem
from ..plan.ports import Ordinals
from ..plan.rejection import RANDOM, RejectionGroup
from ..values.pools import one_array, picked
from .ports import PlannedRows

ATTEMPTS = 1_024
_MUCH = 1 << 21  # rows made again in vain after which there is no use in going on


def settle(group: RejectionGroup, rows: PlannedRows) -> dict[Any, Any]:
    """The columns of all fields, and the targets of relations; ImpossibleError names the check and a row that 64 attempts did
    not satisfy."""
    every = np.arange(len(rows), dtype=np.int64)
    sub = rows.redraw(every, 0, group.redrawn)
    out: dict[Any, Any] = {name: one_array(sub.column(name)) for name in group.fields}
    out |= {("targets", name): sub.targets(name).copy() for name in group.relations}
    failing = every[rows.ordinals < rows.plan.fixed] if group.given else every
    if failing.size:
        failing = failing[~_kept(group, sub if failing.size == len(rows) else rows.redraw(failing, 0, group.redrawn))]
    for attempt in range(1, ATTEMPTS):
        if not failing.size:
            return out
        if attempt >= RANDOM and failing.size * (ATTEMPTS - attempt) > _MUCH:
            break
        sub = rows.redraw(failing, attempt, group.redrawn)
        for name in group.relations:
            out["targets", name][failing] = sub.targets(name)
        for name in group.fields:
            # the remade rows stand after the old ones, and each row takes the newest
            index = every.copy()
            index[failing] = len(rows) + np.arange(failing.size)
            out[name] = picked(pa.concat_arrays([out[name], one_array(sub.column(name))]), index)
        failing = failing[~_kept(group, sub)]
    if failing.size:
        raise _too_rare(group, rows, failing, attempt)
    return out


def _kept(group: RejectionGroup, rows: PlannedRows) -> Any:
    kept = np.ones(len(rows), bool)
    for _, formula in group.checks:
        kept &= formula.truth(rows, null=True, earlier=True)
    return kept


def _room(rows: PlannedRows, failing: Ordinals) -> int:
    """How many rows there would be without those that fail: all before the first of them where most that come after it fail."""
    first = int(failing[0])
    if failing.size * 2 > len(rows) - first or failing.size < 3:
        return int(rows.ordinals[first]) - rows.plan.fixed
    return rows.plan.generated * (len(rows) - failing.size) // len(rows)


def _too_rare(group: RejectionGroup, rows: PlannedRows, failing: Ordinals, attempt: int) -> ImpossibleError:
    worst = rows.redraw(failing, attempt - 1, group.redrawn)
    broken = ((c, f) for c, f in group.checks if not f.truth(worst, null=True, earlier=True).all())
    check, formula = next(broken, group.checks[0])
    drawn = rows.redraw(np.arange(len(rows), dtype=np.int64), 0, group.redrawn)
    kept = int(formula.truth(drawn, null=True, earlier=True).sum())
    names = ", ".join(sorted(group.fields | group.relations))
    return ImpossibleError(Problem(
        fact=f"{rows.plan.name}: {check} still fails for {failing.size:,} of {len(rows):,} rows after {attempt:,} attempts"
             f" (row {int(rows.ordinals[failing[0]])}); as {names} are drawn, {kept:,} of {len(rows):,} rows keep it",
        place=check.place,
        hint=f"declare what the check requires: `compute` one of {names}, or bound it by minimum, maximum, after or before"
        if group.fields else f"say which rows are meant: `where` or `same` on {names}, or change the check",
        room=(rows.plan.name, _room(rows, failing)) if failing.size < len(rows) else None,
    ))  # fmt: skip
