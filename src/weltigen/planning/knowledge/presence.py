"""Whether a row has a value: by a share of the rows, by a condition, or by both."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ...model import Present
from ...model.origins import Origin
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.formulas import bind
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits
from .attempts import bits_of_attempt

USUAL_SHARE = 0.9  # of a nullable field or reference that nothing else is said about
USUAL = Present(share=USUAL_SHARE, origin=Origin.FALLBACK)


IsThere = Callable[[RowsPort], NDArray[np.bool_]]


def presence(plan: Plan, entity_plan: EntityPlan, name: str, present: Present) -> tuple[IsThere, tuple[Cell, ...]]:
    """Whether each row has a value, by a share of the rows, a condition, or both; and the cells that the condition reads."""
    bits = Bits(plan.stage_seed, entity_plan.name, name, "presence")
    share = present.share if present.share is not None else USUAL_SHARE
    limit = np.uint64(min(round(share * 2.0**64), (1 << 64) - 1))

    def by_share(rows: RowsPort) -> NDArray[np.bool_]:
        # a check may fail because the value is missing, or is there
        return bits_of_attempt(bits, rows).words(rows.ordinals) < limit

    if present.when is None:
        return ((lambda rows: np.ones(len(rows), bool)) if share >= 1 else by_share), ()
    condition = bind(plan.world, entity_plan.entity, present.when)

    def when(rows: RowsPort) -> NDArray[np.bool_]:
        return condition.truth(rows, earlier=True)

    if present.share is None:
        return when, condition.needs
    return (lambda rows: when(rows) & by_share(rows)), condition.needs
