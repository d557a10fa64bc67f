"""Worlds as users hold them: opened from a source, and turned into datasets."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from datetime import datetime
from pathlib import Path
from typing import Any

from .. import model
from ..auditing import Report
from ..auditing import audit as audit_data
from ..infer import infer, relate_undeclared
from ..model import Place, Problem
from ..model.literals import read_moment
from ..model.phrases import listed
from ..model.problems import UnreadableError, UsageError
from ..plan import Plan
from ..planning import asked_for, declared_apart, gc_paused, make_plan
from ..readers import read_ddl, read_source, read_text, with_overrides, world_from_receipt
from ..stored import Receipt, receipt_path
from .dataset import Dataset


@dataclass(frozen=True, kw_only=True)
class World(model.World):
    """A model with all that is needed to fill it. Made by `open_world` or `read_model`, or out of entities by hand."""

    @classmethod
    def of(cls, world: model.World) -> World:
        """The world with its guesses made, so that planning does not make them again; a changed copy is not marked."""
        made = cls(**{field.name: getattr(world, field.name) for field in fields(world)})
        made.__dict__["_inferred"] = True
        return made

    def plan(
        self,
        *,
        seed: int | None = None,
        now: str | datetime | None = None,
        rows: Mapping[str, int] | None = None,
        times: float = 1.0,
        set: Mapping[str, Any] | None = None,
    ) -> Plan:
        """Everything decided before the first row; what cannot be met stands in its `problems`."""
        now = now if now is not None else self.now
        if now is None and "now" in self.window:
            raise UsageError(
                "the window speaks of now, but no time was given",
                hint="give one: now: in the world file, or --now 2026-05-01",
            )
        if isinstance(now, str):
            try:
                now = read_moment(now)
            except ValueError as error:
                raise UsageError(str(error)) from None
        asked_for(rows)
        if times <= 0:
            raise UsageError(f"times is a number above 0, not {times:g}")
        with gc_paused():
            world: model.World = self if "_inferred" in self.__dict__ else infer(self)
            return make_plan(world, seed=seed, now=now, rows=rows, times=times, set=set)

    def dataset(
        self,
        *,
        seed: int | None = None,
        now: str | datetime | None = None,
        rows: Mapping[str, int] | None = None,
        times: float = 1.0,
        set: Mapping[str, Any] | None = None,
    ) -> Dataset:
        """The world's rows for a seed. Nothing is made yet.

        `rows` sets the generated rows of entities; `times` multiplies those of roots, and what follows from them. `set` gives
        single fields one value in all generated rows: `{"passenger.marketing_consent": True}`.
        Raises ImpossibleError with everything that no rows can meet.
        """
        return Dataset(self.plan(seed=seed, now=now, rows=rows, times=times, set=set).check())


def open_world(source: Any, *, dialect: str | None = None) -> World:
    """The world of a world file, an SQL file, an SQLite file, a database's URL, or a folder that `fill` wrote; or of SQLAlchemy's
    MetaData or a declarative base, handed over or named as `package.module:NAME`. Guesses are filled in.

    Raises UnreadableError with every problem and its place.
    """
    with gc_paused():
        return World.of(infer(read_source(source, dialect, relate_undeclared)))


def plan_of_run(source: str | Path, dialect: str | None = None, **asked: Any) -> Plan:
    """The plan behind a folder or file that `fill` wrote, as its receipt tells; of any other source, what is asked for now."""
    if not receipt_path(source).is_file():
        return open_world(source, dialect=dialect).plan(**asked)
    return open_run(source).plan


def open_run(target: str | Path) -> Dataset:
    """The dataset that `fill` wrote to a folder or an SQLite file, in as many stages as its receipt tells of.

    `open_run("out/").next_stage(rows={"passenger": 100}).write("out/", on_rows="append")` adds to it.
    Raises UsageError where there is no receipt, and UnreadableError where it tells of rows that this version does not make.
    """
    if not Path(target).exists():
        raise UsageError(f"there is no {target}", hint=f"fill it first: weltigen fill WORLD --into {target}")
    receipt = receipt_path(target)
    if not receipt.is_file():
        raise UsageError(f"{target} has no receipt, which tells how its rows were made",
                         hint=f"rows can be added to what fill wrote, with {receipt.name} beside it")  # fmt: skip
    text = read_text(receipt)
    world = World.of(infer(world_from_receipt(text, str(receipt))))
    try:
        told = Receipt.read(text)
        first, *later = told.parts
        dataset = world.dataset(seed=told.seed, now=told.now, rows=first.asked, times=first.times, set=first.overrides)
        for part in later:
            dataset = dataset.next_stage(rows=part.asked, times=part.times, set=part.overrides)
    except (KeyError, TypeError, ValueError):
        raise _unlike(receipt, "does not tell how its rows were made") from None
    rows = {name: sum(part.rows.get(name, 0) for part in (first, *later)) for name in dataset.counts}
    if rows != dict(dataset.counts):
        raise _unlike(receipt, "tells of other rows than this version makes")
    return dataset


def _unlike(receipt: Path, what: str) -> UnreadableError:
    hint = "it was changed, or is of another version: fill again, into another target"
    return UnreadableError(Problem(fact=f"this receipt {what}", place=Place(file=str(receipt)), hint=hint))


def resume_run(world: model.World, target: str | Path, *, seed: int | None = None, now: str | None = None) -> Dataset:
    """The dataset at a target, to which a later stage of `world` is to be added.

    Raises UsageError where the world, the seed or the time is not the one by which the target was filled.
    """
    dataset = open_run(target)
    plan = dataset.plan
    if changed := declared_apart(plan.world, with_overrides(world, plan.overrides)):
        raise UsageError(
            f"the world has changed since {target} was filled: {listed(changed)}",
            hint="rows can be added to what the same world made",
        )
    if seed is not None and seed != plan.seed:
        raise UsageError(f"{target} was filled with seed {plan.seed}; rows are added with the same", hint="leave out --seed")
    if now is not None and read_moment(now) != plan.now:
        raise UsageError(f"{target} was filled when now was {plan.now}; rows are added at the same", hint="leave out --now")
    return dataset


def read_model(sql: Any, *, dialect: str | None = None) -> World:
    """The world of SQL definitions, as text where it holds a line break or a semicolon; any other source as `open_world`."""
    if isinstance(sql, str) and ("\n" in sql or ";" in sql):
        return World.of(infer(relate_undeclared(read_ddl(sql, "SQL", dialect))))
    return open_world(sql, dialect=dialect)


def audit(world: model.World | str | Path, target: str | Path) -> Report:
    """Whether the data at `target` keeps every rule of `world`: the findings, empty when it does."""
    if isinstance(world, str | Path):
        world = open_world(world)
    return audit_data(world, target)
