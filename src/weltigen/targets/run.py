"""Filling a target: entities in order, batches made ahead on threads, digests on the way, all or nothing."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..engine import block_digest, entity_digest, made
from ..model.problems import TargetError, WeltigenError
from ..plan import Cells, Plan
from .receipt import Receipt
from .target import Target

Progress = Callable[[str, int], None]


def fill(plan: Plan, target: Target, *, workers: int = 1, progress: Progress | None = None) -> Receipt:
    """Write all rows of a plan; `progress` is told of an entity and how many more of its rows are written.

    On any failure, an interruption too, the target takes back what it wrote before the error goes on.
    """
    plan.check()
    cells = Cells(plan)
    cells.settle()  # what only shows while rows are worked out is told before anything is opened
    target.prepare(plan)
    digests: dict[str, str] = {}
    try:
        for name in plan.order:

            def work(batch: Any, name: str = name) -> tuple[int, bytes, Any]:
                return batch.num_rows, block_digest(batch), target.convert(name, batch)

            blocks = []
            for rows, digest, converted in made(cells, name, work, workers=workers):
                target.write(name, converted)
                blocks.append(digest)
                if progress is not None:
                    progress(name, rows)
            digests[name] = entity_digest(blocks)
        receipt = Receipt(plan=plan, rows={name: plan.entities[name].total for name in plan.order}, digests=digests)
        target.finish(receipt)
    except WeltigenError:
        target.abandon()
        raise
    except OSError as error:
        target.abandon()
        raise TargetError(f"{target.name}: {(error.strerror or str(error)).lower()}; nothing was kept") from error
    except BaseException:
        target.abandon()
        raise
    return receipt
