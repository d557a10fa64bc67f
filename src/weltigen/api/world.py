"""Worlds as users hold them: a declared model with its guesses filled in, turned into plans and datasets."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import TYPE_CHECKING, Any

from .. import model
from ..model import Entity
from ..model.collecting import gc_paused
from ..model.literals import read_moment
from ..model.problems import UsageError

if TYPE_CHECKING:  # what plans and fills is loaded when it is first used
    from ..plan.plan import Plan
    from .dataset import Dataset


class World:
    """A model with all that is needed to fill it, made by `open_world` or `read_model`.

    `declared` is the model, guesses included; two worlds are equal where these are.
    """

    __slots__ = ("declared",)

    def __init__(self, declared: model.World) -> None:
        from ..infer import infer

        with gc_paused():
            self.declared = infer(declared)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, World) and self.declared == other.declared

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"<world {self.name}: {len(self.entities)} entities>"

    @property
    def name(self) -> str:
        return self.declared.name

    @property
    def seed(self) -> int:
        """The seed where none is asked for."""
        return self.declared.seed

    @property
    def entities(self) -> tuple[Entity, ...]:
        """In the order of their declaration."""
        return self.declared.entities

    @property
    def notices(self) -> tuple[model.Notice, ...]:
        """What in the source shapes no row, or was not understood."""
        return self.declared.notices

    def has(self, name: str) -> bool:
        return self.declared.has(name)

    def entity(self, name: str) -> Entity:
        """The entity called `name`; UsageError with the nearest right word without one."""
        return self.declared.entity(name)

    def plan(
        self, *, seed: int | None = None, now: str | datetime | None = None, rows: Mapping[str, int] | None = None,
        times: float = 1.0, set: Mapping[str, Any] | None = None,
    ) -> Plan:  # fmt: skip
        """Everything decided before the first row; what cannot be met stands in its `problems`.

        Raises UsageError where a number, a time or a name that is asked for makes no sense.
        """
        from ..planning.make_plan import MOST_TIMES, check_row_counts, make_plan

        now = now if now is not None else self.declared.now
        if now is None and "now" in self.declared.window:
            raise UsageError(
                "the window speaks of now, but no time was given",
                hint="give one: now: in the world file, or --now 2026-05-01",
            )
        if isinstance(now, str):
            try:
                now = read_moment(now)
            except ValueError as error:
                raise UsageError(str(error)) from None
        check_row_counts(rows)
        if not 0 < times <= MOST_TIMES:
            raise UsageError(f"times is a number above 0, not {times:g}")
        with gc_paused():
            return make_plan(self.declared, seed=seed, now=now, rows=rows, times=times, set=set)

    def beside(self, target: Any) -> World:
        """This world beside the rows that a database holds: others refer to them, and they stay exactly as they are.

        Entities that hold rows get no others; `.dataset().write(target, on_rows="keep")` fills those that are empty, and a next
        stage of it (`Dataset.next_stage`) adds to any, to be written with `on_rows="append"`. `target` is a URL, a database file,
        an SQLAlchemy engine or a connection.
        """
        from .beside import beside

        world = World.__new__(World)  # whose guesses are filled in already
        world.declared = beside(self.declared, target)
        return world

    def dataset(
        self, *, seed: int | None = None, now: str | datetime | None = None, rows: Mapping[str, int] | None = None,
        times: float = 1.0, set: Mapping[str, Any] | None = None,
    ) -> Dataset:  # fmt: skip
        """The world's rows for a seed. Nothing is made yet.

        `rows` sets the generated rows of entities; `times` multiplies those of roots, and what follows from them. `set` gives
        single fields one value in all generated rows: `{"passenger.marketing_consent": True}`.
        Raises ImpossibleError with everything that no rows can meet, and UsageError as `plan` does.
        """
        from .dataset import Dataset

        return Dataset(self.plan(seed=seed, now=now, rows=rows, times=times, set=set).check())
