"""World in, plan out: a visible row of passes, each of which makes a new plan out of the last."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from ..model import World
from .counts import count_rows
from .fields import prepare_fields
from .filling import choose_fillers
from .layout import lay_out_rules
from .limits import read_window
from .order import order_entities
from .picking import choose_targets
from .plan import EntityPlan, Plan
from .proofs import prove_feasible
from .references import resolve_references
from .rows import Cells, Rows
from .settling import settle_checks

PASSES = (
    resolve_references, order_entities, count_rows, prepare_fields, lay_out_rules, choose_targets, choose_fillers,
    settle_checks, prove_feasible,
)  # fmt: skip


def make_plan(
    world: World,
    *,
    seed: int | None = None,
    now: datetime | None = None,
    rows: Mapping[str, int] | None = None,
    times: float = 1.0,
) -> Plan:
    """The plan of a world, with whatever makes it impossible in `problems`."""
    window = read_window(*world.window, now)
    plan = Plan(
        world=world, seed=world.seed if seed is None else seed, window=window, now=now or window[1], asked=dict(rows or {}), times=times
    )
    for one_pass in PASSES:
        plan = one_pass(plan)
        if plan.problems and one_pass in (order_entities, prepare_fields, lay_out_rules):
            return plan
    return plan


__all__ = ["PASSES", "Cells", "EntityPlan", "Plan", "Rows", "make_plan"]
