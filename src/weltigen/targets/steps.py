"""Filling a database in several transactions: each commits whole blocks of rows together with the ledger's word of them, so that
a run that was cut off at any moment goes on behind what is there, and ends with the same rows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from ..engine import BATCH, Family, made, make_rows
from ..model import Relation
from ..model.problems import RefusedError, UsageError
from ..plan import EntityPlan, Plan
from ..rows import PlanRuntime
from ..stored.digests import block_digest, entity_digest
from ..stored.receipts import Receipt, StageReceipt
from .databases import DatabaseTarget, Place
from .databases.ledger import Block, Ledger, Run, run_name
from .lanes import Lanes
from .run import Progress, receipt_of

_MADE = -1  # where a block begins that says that the run made the table
_DEFINED = -2  # and that all its tables are defined


def fill_in_steps(
    plan: Plan, target: DatabaseTarget, every: int, *, workers: int = 1, progress: Progress | None = None,
    there: tuple[StageReceipt, ...] = (),
) -> Receipt:  # fmt: skip
    """Write the rows of a plan's last stage; a transaction ends after `every` rows, or the next whole block of 65,536 of them."""
    stage = plan.stages[-1] if plan.stages else plan
    runtime = PlanRuntime(stage, {})
    runtime.settle()
    return _Steps(plan, stage, runtime, target, max(1, every // BATCH)).run(workers, progress, there)


class _Steps:
    def __init__(self, plan: Plan, stage: Plan, runtime: PlanRuntime, target: DatabaseTarget, blocks: int) -> None:
        self.plan, self.stage, self.runtime, self.target, self.blocks = plan, stage, runtime, target, blocks
        self.place, self.ledger = target.place, Ledger(target.place)

    def run(self, workers: int, progress: Progress | None, there: tuple[StageReceipt, ...]) -> Receipt:
        expected = {name: sum(part.rows.get(name, 0) for part in there) for name in self.plan.order} if there else None
        lanes: Lanes | None = None
        try:
            run = self._begin(expected, there)
            lanes = Lanes(self.place, self.target.handling.connections, self.blocks, self.target.handling.wait)
            for name in self.stage.order:
                if name not in self.stage.kept:
                    self._entity(run, name, lanes, workers, progress)
            lanes.close()
            self._close_circles(run)
            receipt = self._receipt(run, there)
            notes = self.place.end_rows()
            self.ledger.finish(run, receipt)
            self.place.commit(receipt)
        except BaseException as error:
            if lanes is not None:
                lanes.close()
            said = self.place.failure(error, self._doing) if isinstance(error, Exception) else error
            self.place.abandon()
            raise said from None
        self.place.close()
        return replace(receipt, notes=(*self.target.notes, *notes))

    _doing = "loading"

    def _begin(self, expected: Mapping[str, int] | None, there: tuple[StageReceipt, ...]) -> Run:
        """The run, begun or gone on with."""
        self.place.in_steps = True
        found: list[Run] = []

        def look(runs: list[Run]) -> Mapping[str, int] | None:
            name = run_name(self.plan)
            for one in runs:
                if one.done:
                    continue
                if one.name != name:
                    raise RefusedError(f"{self.place.name}: another run is not done; nothing was changed",
                                       hint="the same command again ends it; --on-rows withdraw takes its rows away")  # fmt: skip
                if self._take_back(one):
                    return None
                found.append(one)
                return {entity: rows for entity in self.stage.order if (rows := one.rows(entity))}
            return None

        def mark(made: tuple[str, ...]) -> None:
            if not self.ledger.exists():
                self.ledger.create()
            if not found:
                found.append(self.ledger.begin(self.plan, self.ledger.runs(), self._receipt(None, there)))
            for entity in made:
                self.ledger.add(found[0], entity, Block(_MADE, 0, b""))
            self.place.step()

        made_now = self.target.begin_in_steps(self.plan, expected, look, mark)
        if not found:
            mark(made_now)
        run = found[0]
        if made_now and self.place.defines_at_once:
            self.ledger.add(run, made_now[0], Block(_DEFINED, 0, b""))
        self.made = frozenset(name for name, blocks in run.blocks.items() if any(block.first == _MADE for block in blocks))
        self.late = self.place.late_references(self.stage, self.made)
        for relation in (one for several in self.late.values() for one in several):
            if self._nullable(relation) is None:
                raise UsageError(
                    f"{relation.label} refers to rows that come later and is never null, so it cannot be loaded in steps",
                    hint="leave out --commit-every: one transaction holds all rows",
                )
        self.place.step()
        return run

    def _take_back(self, run: Run) -> bool:
        """Whether a run was cut off while it defined its tables, where no transaction takes them back: then they are dropped, and
        it is forgotten."""
        blocks = [block.first for several in run.blocks.values() for block in several]
        if not self.place.defines_at_once or _MADE not in blocks or max(blocks) >= 0 or _DEFINED in blocks:
            return False
        found = self.place.world()
        there = {self.place.key(entity) for entity in found.entities} if found is not None else set()
        made = [entity for name in run.blocks if self.place.key(entity := self.plan.world.entity(name)) in there]
        if any(map(self.place.holds_rows, made)):
            return False
        self.place.take_away(made)
        self.ledger.forget(run)
        self.place.step()
        return True

    def _nullable(self, relation: Relation) -> str | None:
        entity = self.stage.entities[relation.entity].entity
        return next((name for name in relation.columns if entity.field(name).nullable and name not in entity.key), None)

    def _entity(self, run: Run, name: str, lanes: Lanes, workers: int, progress: Progress | None) -> None:
        self._doing = name
        entity_plan = self.stage.entities[name]
        done = {block.first: block.rows for block in run.blocks.get(name, ()) if block.first >= 0}
        at = entity_plan.entity.there
        while at in done:  # behind the first gap there may be more: connections do not end in order
            at += done[at]
        tell = progress or (lambda name, rows: None)
        if done:
            tell(name, sum(done.values()))
        empty = [column for relation in self.late.get(name, ()) if (column := self._nullable(relation)) is not None]

        def work(_: str, batch: Any) -> tuple[int, bytes, Any]:
            return batch.num_rows, block_digest(batch), self.place.convert(entity_plan, _without(batch, empty))

        if at >= entity_plan.total:
            return
        for _, (rows, digest, converted) in made(self.runtime, Family(names=(name,)), work, workers=workers, first=at):
            if at not in done:
                block = Block(at, rows, digest)
                lanes.do(partial(self._load, run, entity_plan, block, converted), partial(tell, name, rows))
            at += rows
        lanes.settle()

    def _load(self, run: Run, entity_plan: EntityPlan, block: Block, converted: Any, place: Place) -> None:
        place.load(entity_plan, converted)
        Ledger(place).add(run, entity_plan.name, block)

    def _close_circles(self, run: Run) -> None:
        """References to rows that came later, which were left null so far."""
        for name, relations in self.late.items():
            self._doing = name
            entity_plan = self.stage.entities[name]
            columns = list(dict.fromkeys((*entity_plan.entity.key, *(c for one in relations for c in one.columns))))
            done = max(
                (block.first + block.rows for block in run.blocks.get(f"{name} again", ())), default=entity_plan.entity.there
            )
            for start in range(done, entity_plan.total, BATCH):
                ordinals = np.arange(start, min(entity_plan.total, start + BATCH), dtype=np.int64)
                batch = make_rows(self.runtime, name, ordinals).select(columns)
                fields = [entity_plan.entity.field(column) for column in columns]
                self.place.set_values(entity_plan.entity, batch, fields)
                self.ledger.add(run, f"{name} again", Block(start, len(ordinals), b""))
                self.place.step()

    def _receipt(self, run: Run | None, there: tuple[StageReceipt, ...]) -> Receipt:
        names = [name for name in self.plan.order if name not in self.stage.kept]
        known = run.blocks if run is not None else {}
        blocks = {n: sorted((b for b in known.get(n, ()) if b.first >= 0), key=lambda block: block.first) for n in names}
        part = StageReceipt(
            asked=dict(self.stage.asked), times=self.stage.times, overrides=dict(self.stage.overrides),
            rows={name: sum(block.rows for block in blocks[name]) for name in names},
            digests={name: entity_digest(block.digest for block in blocks[name]) for name in names},
        )  # fmt: skip
        return receipt_of(self.plan, (*there, part))


def _without(batch: Any, columns: list[str]) -> Any:
    """A batch with some columns null."""
    import pyarrow as pa

    for column in columns:
        at = batch.schema.get_field_index(column)
        batch = batch.set_column(at, column, pa.nulls(batch.num_rows, batch.schema.field(at).type))
    return batch
