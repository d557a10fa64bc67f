"""Rules over the rows of one entity."""

from __future__ import annotations

from dataclasses import dataclass

from .origins import Status
from .problems import Place


@dataclass(frozen=True, slots=True, kw_only=True)
class Unique:
    """No two rows agree on all of `columns`; rows with a null in one of them do not count (SQL's rule).

    `expressions` are the parts of an index that are no plain columns; `where` makes the rule partial.
    """

    columns: tuple[str, ...]
    name: str | None = None
    expressions: tuple[str, ...] = ()
    where: str | None = None
    nulls_distinct: bool = True
    place: Place | None = None
    stands_for: str | None = None  # what a rule says that was brought down to plain columns

    def __str__(self) -> str:
        if self.stands_for is not None:
            return self.stands_for
        return (
            f"unique ({', '.join(self.columns + self.expressions)})"
            + ("" if self.nulls_distinct else " nulls not distinct")
            + (f" where {self.where}" if self.where else "")
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Index:
    """Columns, and `expressions`, by which rows are found quickly. It rules nothing out, and is kept in tables that we create."""

    columns: tuple[str, ...]
    name: str | None = None
    expressions: tuple[str, ...] = ()
    where: str | None = None
    place: Place | None = None

    def __str__(self) -> str:
        listed = ", ".join(self.columns + self.expressions)
        return f"the index {self.name or f'({listed})'}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """An SQL condition that no row may make false (null passes), in the dialect it was written in."""

    expression: str
    name: str | None = None
    dialect: str | None = None
    place: Place | None = None
    status: Status = Status.OPEN
    met_by: str | None = None  # what it became, in words

    def __post_init__(self) -> None:
        if (self.status is Status.MET) != (self.met_by is not None):
            raise ValueError("a check that is met says by what, and no other one does")

    def __str__(self) -> str:
        return f"check {self.name or f'({self.expression})'}"
