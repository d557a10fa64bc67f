"""Worlds as users hold them: opened from a source, and turned into datasets."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, fields
from datetime import datetime
from pathlib import Path
from typing import Any

from .. import model
from ..auditing import Report
from ..auditing import audit as audit_data
from ..infer import infer, relate_undeclared
from ..model.literals import read_moment
from ..model.problems import UsageError
from ..plan import Plan, make_plan, uncollected
from ..readers import read_ddl, read_source, read_text, with_overrides, world_from_receipt
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
        for name, number in (rows or {}).items():
            if number < 0:
                raise UsageError(f"{name} cannot have {number} rows")
        if times <= 0:
            raise UsageError(f"times is a number above 0, not {times:g}")
        with uncollected():
            world: model.World = self if "_inferred" in self.__dict__ else infer(self)
            return make_plan(with_overrides(world, set) if set else world, seed=seed, now=now, rows=rows, times=times)

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
    with uncollected():
        return World.of(infer(read_source(source, dialect, relate_undeclared)))


def plan_of_run(source: str | Path, dialect: str | None = None, **asked: Any) -> Plan:
    """The plan behind a folder or file that `fill` wrote, as its receipt tells; of any other source, what is asked for now."""
    path = Path(source)
    receipt = path / "receipt.json" if path.is_dir() else path.with_name(f"{path.name}.receipt.json")
    if not receipt.is_file():
        return open_world(source, dialect=dialect).plan(**asked)
    text = read_text(receipt)
    world = World.of(infer(world_from_receipt(text, str(receipt))))
    try:
        read = json.loads(text)
        return world.plan(seed=read["seed"], now=read["now"], rows=read["asked"], times=read["times"])
    except (KeyError, TypeError):
        return world.plan(**asked)


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
