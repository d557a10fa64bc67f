"""Which moments of a row come before which, and by which of them each is bounded: what is noted never contradicts itself."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from ..model import Bound, Field
from ..model.literals import read_span
from ..model.origins import Origin
from .around import clock_of
from .step_rules import USUALLY


@dataclass(frozen=True, slots=True)
class Order:
    """The moments of an entity's rows in time: which comes before which, and by which of them each is bounded."""

    noun: list[str]
    fields: dict[str, Field]
    words: dict[str, tuple[str, ...]]  # without the noun
    keyed: set[str]
    columns: tuple[str, ...]  # all that the entity has, in the order in which they are declared
    rare: tuple[Field, ...]  # at which few rows come to an end
    later: dict[str, set[str]] = field(default_factory=dict)  # by field, those that come after it
    bounds: dict[str, list[tuple[Bound, str]]] = field(default_factory=dict)  # with the reasons; the first one tells how far

    def is_before(self, one: str, other: str) -> bool:
        """Whether it is known that the one comes before the other."""
        seen, waiting = set(), [one]
        while waiting:
            for name in self.later.get(waiting.pop(), ()):
                if name == other:
                    return True
                if name not in seen:
                    seen.add(name)
                    waiting.append(name)
        return False

    def depends(self, one: str, other: str) -> bool:
        """Whether the one is made from the other, by what bounds it."""
        waiting, seen = [one], set()
        while waiting:
            name = waiting.pop()
            if name == other:
                return True
            if name not in seen and name in self.fields:
                seen.add(name)
                waiting += [bound.operand for bound, _ in self.bounds.get(name, ())]
                waiting += [bound.operand for bound in self.fields[name].limits.bounds if bound.path]
        return False

    def put(self, earlier: str, later: str) -> bool:
        """Note that one comes before another, unless it is known to be the other way round."""
        if earlier == later or self.is_before(later, earlier):
            return False
        self.later.setdefault(earlier, set()).add(later)
        return True

    def choose(self, one: Field, comparison: Literal[">=", "<="], other: Field, within: str | None, why: str) -> bool:
        """Bound a moment by another one; False where that would contradict what is known."""
        if clock_of(one) != clock_of(other) or self.depends(other.name, one.name):
            return False
        if not self.put(*((other.name, one.name) if comparison == ">=" else (one.name, other.name))):
            return False
        usually = None if within is None else USUALLY.get(within)
        if (parts := _PARTS.get(clock_of(one))) is not None:
            within, usually = _in_parts(within, parts), _in_parts(usually, parts)
        bound = Bound(comparison=comparison, operand=other.name, path=True, within=within, usually=usually, origin=Origin.GUESSED)
        self.bounds.setdefault(one.name, []).append((bound, f"{one.name} is {why}"))
        return True

    def begins_with(self, one: Field) -> str | None:
        """The moment by which another one is bounded first, from below."""
        first = next(iter(self.bounds.get(one.name, ())), None)
        return first[0].operand if first is not None and first[0].comparison == ">=" else None

    def is_open(self, one: Field) -> bool:
        return one.name not in self.keyed and one.name not in self.bounds and is_free(one)


def is_free(one: Field) -> bool:
    """Whether nobody says what a moment holds or what bounds it."""
    said = one.source is not None and one.guess is None
    return not said and not one.limits.bounds and not one.limits.allowed


# of a second, that whole numbers tell moments in
_PARTS = {"epoch in ms": 1_000, "epoch in us": 1_000_000, "epoch in ns": 1_000_000_000}


def _in_parts(span: str | None, parts: int) -> str | None:
    return None if span is None else f"{round(read_span(span).total_seconds() * parts)} seconds"
