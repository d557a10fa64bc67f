"""World in, plan out: a visible row of passes, each of which makes a new plan out of the last."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from ..model import World
from ..model.collecting import gc_paused
from ..model.problems import ImpossibleError, UsageError
from ..plan.plan import Plan
from ..plan.stages import without_fixed
from ..readers.overrides import stored_text, with_overrides
from ..rows.runtime import PlanRuntime
from ..values import know
from .knowledge.limits import read_window
from .passes import PASSES, SOUND_UP_TO
from .shortfalls import shortfall


def make_plan(
    world: World,
    *,
    seed: int | None = None,
    now: datetime | None = None,
    rows: Mapping[str, int] | None = None,
    times: float = 1.0,
    set: Mapping[str, Any] | None = None,
) -> Plan:
    """The plan of a world, with whatever makes it impossible in `problems`.

    `set` gives single fields, called `entity.field`, one value in all generated rows.
    """
    know(world.kinds)
    world, overrides = _overridden(world, set)
    window = read_window(*world.window, now)
    seed = world.seed if seed is None else seed
    return _with_room(
        Plan(
            world=world, seed=seed, window=window, now=now or window[1], asked=dict(rows or {}), times=times, overrides=overrides
        )
    )


def next_plan(
    plan: Plan, *, rows: Mapping[str, int] | None = None, times: float = 0.0, set: Mapping[str, Any] | None = None
) -> Plan:
    """The plan of a later stage: rows that `rows` sets, `times` as many as the world file says, and what belongs to them.

    UsageError where nothing can be asked for so.
    """
    check_row_counts(rows)
    if not 0 <= times <= MOST_TIMES:
        raise UsageError(f"times is a number from 0 on, not {times:g}")
    world, overrides = _overridden((plan.stages or (plan,))[0].world, set)
    world = without_fixed(world)
    window = read_window(*world.window, plan.now)
    return _passed(
        Plan(
            world=world, seed=plan.seed, window=window, now=plan.now, asked=dict(rows or {}), times=times, overrides=overrides,
            before=plan,
        )
    )  # fmt: skip


def _with_room(start: Plan) -> Plan:
    """The plan after all passes. Where rules have no room for a number of rows that nobody set, or for where keys begin, it is
    made again with as many as they have room for, or with keys from there on."""
    plan = _passed(start)
    for _ in range(_ROUNDS):
        found = shortfall(plan)
        if not found.rows and not found.first_keys:
            return plan.with_problems(found.shown)
        start = replace(start, most={**start.most, **found.rows}, first_keys={**start.first_keys, **found.first_keys})
        plan = _passed(start)
    return plan


_ROUNDS = 12  # times that fewer rows are tried
MOST_TIMES = 1e12  # by which rows may be multiplied


def _overridden(world: World, values: Mapping[str, Any] | None) -> tuple[World, dict[str, str | None]]:
    overrides = {path: None if value is None else stored_text(value) for path, value in (values or {}).items()}
    return with_overrides(world, overrides) if overrides else world, overrides


def _passed(plan: Plan) -> Plan:
    """The plan after all passes, or after the one whose problems let no other be sound."""
    with gc_paused():
        for one_pass in PASSES:
            plan = one_pass(plan)
            if plan.problems and one_pass in SOUND_UP_TO:
                break
    return plan


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
