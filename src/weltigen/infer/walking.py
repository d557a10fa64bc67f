"""Whether one entity leads to another by its references."""

from __future__ import annotations

from collections.abc import Callable, Iterable


def leads_to(start: str, goal: str, steps: Callable[[str], Iterable[str]]) -> bool:
    """Whether `goal` is met on some way from `start`, which is met itself; `steps`: the entities next to one."""
    seen, waiting = set(), [start]
    while waiting:
        name = waiting.pop()
        if name == goal:
            return True
        if name not in seen:
            seen.add(name)
            waiting += steps(name)
    return False
