"""World in, plan out: a visible row of passes, each of which makes a new plan out of the last."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from ..model import World
from ..model.collecting import gc_paused
from ..model.problems import ImpossibleError, UsageError
from ..plan.plan import Plan
from ..plan.stages import without_fixed
from ..readers.overrides import stored_text, with_overrides
from ..rows.runtime import PlanRuntime
from .knowledge.limits import read_window
from .passes import PASSES, SOUND_UP_TO


def make_plan(
    world: World,
    *,
    seed: int | None = None,
    now: datetime | None = None,
    rows: Mapping[str, int] | None = None,
    times: float = 1.0,
    set: Mapping[str, Any] | None = None,
    before: Plan | None = None,
) -> Plan:
    """The plan of a world, with whatever makes it impossible in `problems`.

    `set` gives single fields, called `entity.field`, one value in all generated rows. With `before` it is a later stage, which
    adds rows: those that `rows` asks for, `times` as many as the world file says, and what belongs to them.
    """
    overrides = {path: None if value is None else stored_text(value) for path, value in (set or {}).items()}
    world = with_overrides(world, overrides) if overrides else world
    window = read_window(*world.window, now)
    if before is not None:
        world = without_fixed(world)
    plan = Plan(
        world=world,
        seed=world.seed if seed is None else seed,
        window=window,
        now=now or window[1],
        asked=dict(rows or {}),
        times=times,
        overrides=overrides,
        before=before,
    )
    with gc_paused():
        for one_pass in PASSES:
            plan = one_pass(plan)
            if plan.problems and one_pass in SOUND_UP_TO:
                break
    return plan


def next_plan(
    plan: Plan, *, rows: Mapping[str, int] | None = None, times: float = 0.0, set: Mapping[str, Any] | None = None
) -> Plan:
    """The plan of a stage that adds rows to those of a plan; UsageError where nothing is asked for."""
    check_row_counts(rows)
    if times < 0:
        raise UsageError(f"times is a number from 0 on, not {times:g}")
    world = (plan.stages or (plan,))[0].world
    return make_plan(world, seed=plan.seed, now=plan.now, rows=rows, times=times, set=set, before=plan)


def check_row_counts(rows: Mapping[str, int] | None) -> None:
    """UsageError where a number of rows is below none."""
    for name, number in (rows or {}).items():
        if number < 0:
            raise UsageError(f"{name}: the row count must not be negative, but {number} was requested")


_LOOKED_THROUGH = 3_000_000  # rows of targets and of worked-out entities that are looked through for a plan's sake


def with_runtime_problems(plan: Plan) -> Plan:
    """The plan with what else is impossible, which only shows once rows are known; as it is where these are too many to look."""
    entities = plan.entities.values()
    rows = sum(e.total for e in entities if e.precomputed is not None)
    rows += sum(plan.entities[e.entity.relation(name).target].total for e in entities for name in e.candidate_filters)
    if plan.problems or rows > _LOOKED_THROUGH:
        return plan
    try:
        PlanRuntime(plan).settle()
    except ImpossibleError as error:
        return plan.with_problems(list(error.problems))
    return plan
