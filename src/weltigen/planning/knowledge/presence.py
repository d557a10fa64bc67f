"""Whether a row has a value: by a share of the rows, by a condition, or by both."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ...model import Present
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.formulas import bind
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits

USUAL_SHARE = 0.9  # of a nullable field or reference that nothing else is said about


def presence(
    plan: Plan, entity_plan: EntityPlan, name: str, present: Present
) -> tuple[Callable[[RowsPort], Any], str, tuple[Cell, ...]]:
    """Whether each row has a value: a function of rows that gives booleans, what to say of it, and the cells it reads."""
    bits = Bits(plan.stage_seed, entity_plan.name, name, "presence")
    share = present.share if present.share is not None else USUAL_SHARE
    limit = np.uint64(min(round(share * 2.0**64), (1 << 64) - 1))
    if present.when is None:
        if share >= 1:
            return (lambda rows: np.ones(len(rows), bool)), "always there", ()
        return (lambda rows: bits.words(rows.ordinals) < limit), f"there in {share:.0%}", ()
    condition = bind(plan.world, entity_plan.entity, present.when)

    def when(rows: RowsPort) -> Any:
        return condition.truth(rows, earlier=True)

    needs = condition.needs
    if present.share is None:
        return when, f"there when {present.when}", needs
    return (
        (lambda rows: when(rows) & (bits.words(rows.ordinals) < limit)),
        f"there in {share:.0%} of those with {present.when}",
        needs,
    )
