"""Filling a target: entities in order, batches made ahead on threads, digests on the way, all or nothing."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..engine import BATCH, families, made, make_rows, needed
from ..model.problems import TargetError, WeltigenError
from ..plan import Plan
from ..planning.passwords import known_passwords
from ..readers.world_json import world_to_json
from ..rows import PlanRuntime
from ..stored.digests import block_digest, entity_digest
from ..stored.receipts import Receipt, StageReceipt
from .target import Begun, Target

Progress = Callable[[str, int], None]


@dataclass(frozen=True, slots=True)
class Only:
    """Rows that are to be written alone, with what they refer to: `asked` in words, `rows` by entity as ordinals."""

    asked: tuple[str, ...]
    rows: Mapping[str, NDArray[np.int64]]


def fill(
    plan: Plan, target: Target, *, workers: int = 1, progress: Progress | None = None, there: tuple[StageReceipt, ...] = (),
    only: Only | None = None,
) -> Receipt:  # fmt: skip
    """Write the rows of a plan's stages but for those that are `there`; `progress` is called with an entity and how many more of
    its rows are written. `only`: some rows, and what they refer to.

    On any failure, an interruption too, the target takes back what it wrote before the error goes on.
    """
    plan.check()
    stages = (plan.stages or (plan,))[len(there) :]
    known: dict[int, PlanRuntime] = {}
    runtime = [PlanRuntime(stage, known) for stage in stages]
    for one in runtime:
        one.settle()  # problems that show only while rows are made are raised before anything is opened
    expected = {name: sum(part.rows.get(name, 0) for part in there) for name in plan.order} if there else None
    target.prepare(plan, expected)
    blocks = [{name: list[bytes]() for name in plan.order if name not in stage.kept} for stage in stages]

    def work(name: str, batch: Any) -> tuple[int, bytes, Any]:
        return batch.num_rows, block_digest(batch), target.convert(name, batch)

    if only is not None:
        return _fill_some(runtime[0], target, only, work, progress)
    with _all_or_nothing(target):
        begun = target.begun()
        for names in [(name,) for name in plan.order] if begun else _together(stages, plan.order):
            if begun and (left := begun.get(names[0])) is not None and _go_on(left, names[0], blocks[0], progress):
                continue
            for stage, digests in zip(runtime, blocks, strict=True):
                for family in families(stage.plan, names):
                    first = stage.plan.entities[family.first].entity.there  # rows that the target holds already
                    first += begun[family.first].rows if family.first in begun else 0
                    for name, (rows, digest, converted) in made(stage, family, work, workers=workers, first=first):
                        target.write(name, converted)
                        target.note(name, rows, digest)
                        digests[name].append(digest)
                        if progress is not None:
                            progress(name, rows)
            for name in names:
                target.complete(name)
        parts = (*there, *(_stage_receipt(stage, digests) for stage, digests in zip(stages, blocks, strict=True)))
        receipt = receipt_of(plan, parts)
        target.finish(receipt)
    return replace(receipt, notes=target.notes)


def _go_on(one: Begun, name: str, digests: dict[str, list[bytes]], progress: Progress | None) -> bool:
    """Count what a killed run left of an entity; whether that is all of it."""
    digests[name] = list(one.digests)
    if progress is not None and one.rows:
        progress(name, one.rows)
    return one.whole


@contextmanager
def _all_or_nothing(target: Target) -> Iterator[None]:
    """On any failure, an interruption too, the target takes back what it wrote."""
    try:
        yield
    except BaseException as error:
        target.abandon()
        if isinstance(error, OSError) and not isinstance(error, WeltigenError):
            raise TargetError(f"{target.name}: {(error.strerror or str(error)).lower()}; nothing was kept") from error
        raise


def _fill_some(
    runtime: PlanRuntime,
    target: Target,
    only: Only,
    work: Callable[[str, Any], tuple[int, bytes, Any]],
    progress: Progress | None,
) -> Receipt:
    """Some rows and what they refer to, entity by entity. The target is prepared."""
    plan = runtime.plan
    blocks: dict[str, list[bytes]] = {name: [] for name in plan.order}
    with _all_or_nothing(target):
        some = needed(runtime, only.rows)
        for name, ordinals in some.items():
            for start in range(0, ordinals.size, BATCH):
                rows, digest, converted = work(name, make_rows(runtime, name, ordinals[start : start + BATCH]))
                target.write(name, converted)
                blocks[name].append(digest)
                if progress is not None:
                    progress(name, rows)
            target.complete(name)
        counts = {name: int(some[name].size) if name in some else 0 for name in plan.order}
        part = replace(_stage_receipt(plan, blocks), only=only.asked, rows=counts)
        receipt = receipt_of(plan, (part,))
        target.finish(receipt)
    return replace(receipt, notes=target.notes)


def _together(stages: tuple[Plan, ...], order: tuple[str, ...]) -> list[tuple[str, ...]]:
    """Entities that are written together: families of one stage; of several, each entity with the rows of all stages."""
    return [family.names for family in families(stages[0])] if len(stages) == 1 else [(name,) for name in order]


def receipt_of(plan: Plan, parts: tuple[StageReceipt, ...]) -> Receipt:
    """What a run of a plan leaves behind, stage by stage."""
    passwords = known_passwords(plan)
    return Receipt(world=world_to_json(plan.world), seed=plan.seed, now=plan.now.isoformat(), parts=parts, passwords=passwords)


def _stage_receipt(stage: Plan, blocks: Mapping[str, list[bytes]]) -> StageReceipt:
    rows = {name: stage.entities[name].total - stage.entities[name].entity.there for name in blocks}
    digests = {name: entity_digest(digests) for name, digests in blocks.items()}
    return StageReceipt(asked=dict(stage.asked), times=stage.times, overrides=dict(stage.overrides), rows=rows, digests=digests)
