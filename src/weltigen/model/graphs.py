"""Orders, circles and connected groups. Iterative, since a model may be a chain of any length."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from collections.abc import Set as AbstractSet
from typing import TypeVar

T = TypeVar("T")


def depth_first(roots: Iterable[T], needs: Callable[[T], Iterable[T]]) -> tuple[list[T], list[list[T]]]:
    """All that the roots need, each behind what it needs itself; and the circles met on the way, each ending where it begins.

    An edge that closes a circle is left out of the order.
    """
    done: dict[T, None] = {}
    circles: list[list[T]] = []
    for root in roots:
        if root in done:
            continue
        way: dict[T, Iterator[T]] = {root: iter(needs(root))}
        while way:
            at = next(reversed(way))
            needed = next(way[at], None)
            if needed is None:
                done[at] = None
                del way[at]
            elif needed in way:
                nodes = list(way)
                circles.append([*nodes[nodes.index(needed) :], needed])
            elif needed not in done:
                way[needed] = iter(needs(needed))
    return list(done), circles


def connected_groups(items: Iterable[T], shares: Callable[[T], AbstractSet[object]]) -> list[list[T]]:
    """Items joined by anything that they share; one that shares nothing is alone."""
    groups: list[list[T]] = []
    for item in items:
        own = shares(item)
        touching = [group for group in groups if any(own & shares(other) for other in group)]
        groups = [group for group in groups if group not in touching]
        groups.append([member for group in touching for member in group] + [item])
    return groups
