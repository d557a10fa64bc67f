"""Checks over nothing that could be made again: they are looked at, so that no row which breaks one is written."""

from __future__ import annotations

import numpy as np

from ..model.problems import ImpossibleError, Problem
from .ports import PlannedRows

FIRST = 2_048  # rows that are looked at before anything is written


def verify(rows: PlannedRows) -> None:
    """ImpossibleError where rows break a check over nothing that could be made again."""
    for part in rows.in_stages():
        _verify(part)


def _verify(rows: PlannedRows) -> None:
    for check, formula in rows.plan.verified_checks:
        broken = np.flatnonzero(~formula.truth(rows, null=True))
        if broken.size:
            row = rows.some(broken[:1])
            paths = [path for path in formula.paths.values() if len(path) < 3]
            values = ", ".join(f"{'.'.join(path)} {row.path(path)[0].as_py()}" for path in paths)
            raise ImpossibleError(Problem(
                fact=f"{rows.plan.name}: {check} fails for {broken.size:,} of {len(rows):,} rows, and no field of it can be made"
                     f" again (row {int(row.ordinals[0])}: {values})", place=check.place,
                hint="what it reads is given, computed, or different in each row: change one of these, or the check",
            ))  # fmt: skip
