"""Whether one name leads to another: an entity by its references, a field by what it follows."""

from __future__ import annotations

from collections.abc import Callable, Iterable


def leads_to(start: str, goal: str, steps: Callable[[str], Iterable[str]]) -> bool:
    """Whether `goal` is met on some way from `start`, which is met itself; `steps`: the names next to one."""
    seen, waiting = set(), [start]
    while waiting:
        name = waiting.pop()
        if name == goal:
            return True
        if name not in seen:
            seen.add(name)
            waiting += steps(name)
    return False
