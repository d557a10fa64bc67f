"""What can go wrong, said once: a place, a fact and a hint, under one root class of errors."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from typing import ClassVar


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """Where something was declared; lines and columns count from 1."""

    file: str
    line: int | None = None
    column: int | None = None

    def __str__(self) -> str:
        return ":".join(str(part) for part in (self.file, self.line, self.column) if part is not None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """One thing that a user can mend: what is so, where, and what would be right."""

    fact: str
    place: Place | None = None
    hint: str | None = None
    room: tuple[str, int] | None = None  # an entity, and how many rows of it there would be room for

    def __str__(self) -> str:
        lead = f"{self.place}  " if self.place else ""
        lines = [f"{lead}{self.fact}"]
        if self.hint:
            lines += [f"{' ' * max(2, min(len(lead), 20))}{line}" for line in self.hint.splitlines()]
        return "\n".join(lines)


class WeltigenError(Exception):
    """Root of all errors that are the user's to mend; `problems` holds at least one."""

    exit_code: ClassVar[int] = 2

    def __init__(self, problems: Problem | Iterable[Problem] | str, *, hint: str | None = None) -> None:
        if isinstance(problems, str):
            problems = Problem(fact=problems, hint=hint)
        given = (problems,) if isinstance(problems, Problem) else tuple(problems)
        self.problems: tuple[Problem, ...] = tuple(sorted(given, key=_where))
        super().__init__("\n".join(map(str, self.problems)))


class UsageError(WeltigenError):
    """A call or a command that names something that does not exist, or gives a value that cannot be used."""


class UnreadableError(WeltigenError):
    """A world file, a model or a target that cannot be read, or says what cannot be understood."""


class RefusedError(WeltigenError):
    """A target that is left alone since writing there could lose something."""

    exit_code = 3


class ImpossibleError(WeltigenError):
    """A world whose declarations no rows can meet."""

    exit_code = 4


class TargetError(WeltigenError):
    """The target failed while it was written: disk, connection, a rule of the database."""

    exit_code = 5


def _where(problem: Problem) -> tuple[str, int, int]:
    """Problems come in the order in which a reader meets their places."""
    place = problem.place
    return (place.file, place.line or 0, place.column or 0) if place else ("", 0, 0)


def nearest(word: str, known: Sequence[str], *, synonyms: dict[str, str] | None = None) -> str | None:
    """A hint that names the right word for a wrong one, or lists the words when none is near."""
    if synonyms and (meant := synonyms.get(word.lower())) and meant in known:
        return f"did you mean '{meant}'?"
    folded = {name.lower(): name for name in known}
    if close := get_close_matches(word.lower(), list(folded), n=1, cutoff=0.6):
        return f"did you mean '{folded[close[0]]}'?"
    if begun := [name for name in known if len(word) > 2 and (word.lower() in name.lower() or name.lower() in word.lower())]:
        return f"did you mean '{begun[0]}'?"
    if not known:
        return None
    listed = ", ".join(known[:12]) + (", …" if len(known) > 12 else "")
    return f"there are: {listed}"
