"""What a target does."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from ..plan import Plan
from ..stored.receipts import Receipt


@dataclass(frozen=True, slots=True, kw_only=True)
class Intent:
    """What a run would do: tables or files that it would make, rows that it would write and delete, by entity, and what is to be
    said beforehand."""

    target: str
    creates: tuple[str, ...]
    writes: Mapping[str, int]
    deletes: Mapping[str, int] = field(default_factory=dict)
    notes: tuple[str, ...] = ()


@dataclass(slots=True)
class Begun:
    """What is there of one entity: rows and digests of whole blocks, and how many bytes of its file they are; `whole`: all of
    it. `told` is what the journal says of it."""

    rows: int = 0
    digests: list[bytes] = field(default_factory=list)
    end: int = 0
    whole: bool = False
    told: list[bytes] = field(default_factory=list)


class Target(Protocol):
    """Where rows go. Calls come in this order; `abandon` may come after any of them and leaves nothing behind."""

    name: str

    notes: tuple[str, ...]  # after `prepare`: what of the model the place cannot express; rows keep it all the same

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        """Look at what is there; RefusedError where writing could lose something. Nothing is changed yet.

        `there`: rows by entity that earlier stages wrote, behind which the others are added; RefusedError where it holds others.
        """

    def intend(self, plan: Plan, there: Mapping[str, int] | None = None) -> Intent:
        """What `prepare` and the rest would do, with the refusals that they would meet; nothing is done."""

    def convert(self, entity: str, batch: Any) -> Any:
        """The part of writing that may run beside the making of the next batch."""

    def write(self, entity: str, converted: Any) -> None:
        """Add one batch of an entity, in row order. Rows come after those that own them; of what else they refer to, all come
        earlier, but where references go in a circle."""

    def begun(self) -> Mapping[str, Begun]:
        """After `prepare`: what a run of the same command that was killed left there, which is not made again."""

    def note(self, entity: str, rows: int, digest: bytes) -> None:
        """What was written last."""

    def complete(self, entity: str) -> None:
        """All rows of an entity are written."""

    def finish(self, receipt: Receipt) -> None:
        """Let everything appear under its final name."""

    def abandon(self) -> None:
        """Take back whatever was written."""


def not_made(rule: str) -> str:
    """What is said of a part of the model that a place cannot express."""
    return f"not made, though the rows keep it: {rule}"


def rows_to_write(plan: Plan, there: Mapping[str, int] | None) -> dict[str, int]:
    """Rows by entity that are not there yet."""
    rows = {}
    for name in plan.order:
        entity_plan = plan.entities[name]
        rows[name] = entity_plan.total - entity_plan.entity.there - (there or {}).get(name, 0)
    return rows
