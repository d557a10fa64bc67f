"""World in, plan out: a visible row of passes, each of which makes a new plan out of the last."""

from __future__ import annotations

import gc
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import datetime

from ..model import World
from ..model.problems import ImpossibleError
from .clearing import clearing_of
from .comparing import Moved, moved_fields
from .formula import Formula, bind
from .members import indexes_of
from .passes import PASSES, SOUND_UP_TO, read_window
from .plan import EntityPlan, Plan
from .rows import Cells, Rows
from .watching import watch


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
        world=world,
        seed=world.seed if seed is None else seed,
        window=window,
        now=now or window[1],
        asked=dict(rows or {}),
        times=times,
    )
    with uncollected():
        for one_pass in PASSES:
            plan = one_pass(plan)
            if plan.problems and one_pass in SOUND_UP_TO:
                break
    return plan


@contextmanager
def uncollected() -> Iterator[None]:
    """Planning makes many objects and drops few: the collector of cycles would walk through all of them again and again."""
    collects = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collects:
            gc.enable()


_LOOKED_THROUGH = 3_000_000  # rows of targets and of worked-out entities that are looked through for a plan's sake


def with_what_shows_later(plan: Plan) -> Plan:
    """The plan with what else is impossible, which only shows once rows are known; as it is where these are too many to look."""
    entities = plan.entities.values()
    rows = sum(e.total for e in entities if e.tabled is not None)
    rows += sum(plan.entities[e.entity.relation(name).target].total for e in entities for name in e.within)
    if plan.problems or rows > _LOOKED_THROUGH:
        return plan
    try:
        Cells(plan).settle()
    except ImpossibleError as error:
        return plan.with_problems(list(error.problems))
    return plan


__all__ = [
    "PASSES",
    "Cells",
    "EntityPlan",
    "Formula",
    "Moved",
    "Plan",
    "Rows",
    "bind",
    "clearing_of",
    "indexes_of",
    "make_plan",
    "moved_fields",
    "uncollected",
    "watch",
    "with_what_shows_later",
]
