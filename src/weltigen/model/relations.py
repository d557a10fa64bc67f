"""Relations: one row of an entity refers to one row of a target."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .fields import Guess, Present
from .problems import Place


class OnDelete(StrEnum):
    NO_ACTION = "no action"
    RESTRICT = "restrict"
    CASCADE = "cascade"
    SET_NULL = "set null"
    SET_DEFAULT = "set default"


@dataclass(frozen=True, slots=True, kw_only=True)
class Favour:
    """A share of the targets, `few`, takes a share of the references, `take`."""

    few: float = 0.20
    take: float = 0.50


EVEN = Favour(few=1.0, take=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Relation:
    """`columns` of `entity` hold the `target_columns` of one row of `target`; an empty tuple means its primary key.

    `name` is how the world file calls it: the column without its `_id`, or the target where only one
    reference goes there. `guess` says why a relation is believed in that no source declares.
    """

    name: str
    entity: str
    columns: tuple[str, ...]
    target: str
    target_columns: tuple[str, ...] = ()
    constraint: str | None = None
    on_delete: OnDelete = OnDelete.NO_ACTION
    on_update: OnDelete = OnDelete.NO_ACTION
    deferrable: bool = False
    initially_deferred: bool = False
    match_full: bool = False
    place: Place | None = None
    favour: Favour | None = None
    unlike: str | None = None
    present: Present | None = None
    guess: Guess | None = None

    def __post_init__(self) -> None:
        if not self.columns:
            raise ValueError("a relation needs at least one column")
        if self.target_columns and len(self.target_columns) != len(self.columns):
            raise ValueError(f"{self.entity}.{self.name}: {len(self.columns)} columns refer to {len(self.target_columns)}")

    @property
    def label(self) -> str:
        return f"{self.entity}.{'+'.join(self.columns)}"
