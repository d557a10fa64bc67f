"""Some rows, and all that they refer to, on and on: what must be stored for them to stand."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ..rows import PlanRuntime
from .batches import BATCH

Rows = dict[str, NDArray[np.int64]]


def needed(runtime: PlanRuntime, wanted: Mapping[str, NDArray[np.int64]]) -> Rows:
    """By entity, in the order of filling, the ordinals of rows that are wanted, or referred to by such rows; rising."""
    found: Rows = {name: np.zeros(0, np.int64) for name in runtime.plan.order}
    waiting = {name: np.unique(np.asarray(rows, np.int64)) for name, rows in wanted.items()}
    while waiting:
        name, rows = waiting.popitem()
        new = np.setdiff1d(rows, found[name], assume_unique=True)
        if not new.size:
            continue
        found[name] = np.union1d(found[name], new)
        for relation in runtime.plan.entities[name].entity.relations:
            spans = (new[start : start + BATCH] for start in range(0, new.size, BATCH))
            targets = np.concatenate([np.unique(runtime.rows(name, span).targets(relation.name)) for span in spans])
            known = waiting.get(relation.target, np.zeros(0, np.int64))
            waiting[relation.target] = np.union1d(known, targets[targets >= 0])
    return {name: rows for name, rows in found.items() if rows.size}
