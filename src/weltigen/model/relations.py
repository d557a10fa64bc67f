"""Relations: one row of an entity refers to one row of a target."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from .constraints import Check
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
class Same:
    """Ways that must end in one row, as written: `operator`, `sailing.port`, or `sailing.port = berth.port`.

    A way names relations, one after the other; one word alone may name the entity in which all ways to it end.
    """

    text: str
    place: Place | None = None

    def __str__(self) -> str:
        return self.text


@dataclass(frozen=True, slots=True, kw_only=True)
class Spread:
    """How many rows refer to each row of a target: `mean` of them between `least` and `most`; `none` is the share without any."""

    mean: float | None = None
    least: int | None = None
    most: int | None = None
    none: float = 0.0
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Tree:
    """The form of a reference to the entity itself: a number of `roots`, or a `share` of the rows, at most `depth` levels, and at
    most `most` children of a row."""

    roots: int = 1
    share: float | None = None
    depth: int | None = None
    most: int | None = None
    place: Place | None = None

    def roots_of(self, rows: int) -> int:
        """How many of a number of rows are roots: one at least."""
        return self.roots if self.share is None else max(1, round(self.share * rows))

    def __str__(self) -> str:
        form = [
            f"{self.roots:,} root{'' if self.roots == 1 else 's'}"
            if self.share is None
            else f"{self.share * 100:g}% of them roots"
        ]
        form += [f"{self.depth} levels"] if self.depth is not None else []
        form += [f"at most {self.most} children"] if self.most is not None else []
        return ", ".join(form)


@dataclass(frozen=True, slots=True, kw_only=True)
class Alike:
    """The row referred to has in its field `theirs` what the row that refers to it has in its field `own`."""

    theirs: str
    own: str
    place: Place | None = None

    def __str__(self) -> str:
        return f"with the same {self.own}" if self.theirs == self.own else f"whose {self.theirs} is the row's {self.own}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """A named way of choosing targets, with its parameters as they were written; planning knows what it means."""

    way: str
    parameters: tuple[tuple[str, str], ...] = ()
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Relation:
    """`columns` of `entity` hold the `target_columns` of one row of `target`; an empty tuple means its primary key.

    `name` is how the world file calls it: the column without its `_id`, or the target where only one
    reference goes there. `guess` says why a relation is believed in that no source declares. Only rows of the target that
    keep `where`, a condition over its fields, and are `alike` the row itself, are referred to. `weights` pairs keys of the
    target's rows with how often each is referred to. `above` is another reference to the same target whose key is never greater
    than this one's; both may be the same unless they are `unlike`. `choice` is a way of its own.
    `wished` is where the world file speaks of the reference.
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
    above: str | None = None
    same: tuple[Same, ...] = ()
    where: Check | None = None
    alike: tuple[Alike, ...] = ()
    weights: tuple[tuple[str, float], ...] = ()
    spread: Spread | None = None
    tree: Tree | None = None
    choice: Choice | None = None
    present: Present | None = None
    guess: Guess | None = None
    wished: Place | None = None

    def __post_init__(self) -> None:
        if not self.columns:
            raise ValueError("a relation needs at least one column")
        if self.target_columns and len(self.target_columns) != len(self.columns):
            raise ValueError(f"{self.entity}.{self.name}: {len(self.columns)} columns refer to {len(self.target_columns)}")

    @property
    def label(self) -> str:
        return f"{self.entity}.{'+'.join(self.columns)}"
