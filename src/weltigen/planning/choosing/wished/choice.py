"""Ways of choosing targets that a world file names; each registers here what it makes of a `Choice`."""

from __future__ import annotations

from collections.abc import Callable

from ....model import Relation
from ....plan.entity import EntityPlan
from ....plan.plan import Plan
from ....plan.ways.way import ReferenceWay

Choose = Callable[[Plan, EntityPlan, Relation], ReferenceWay]

CHOICES: dict[str, Choose] = {}


def register(way: str, choose: Choose) -> None:
    """Make a way known; `choose` raises ValueError where the relation cannot be chosen so, saying why."""
    CHOICES[way] = choose
