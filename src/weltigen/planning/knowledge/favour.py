"""Favourites among the targets of a reference, where nothing else is said."""

from __future__ import annotations

from ...model import EVEN, Favour, Relation
from ...plan.plan import Plan


def favour_of(plan: Plan, relation: Relation) -> Favour:
    """What the world file says, else the usual share of favourites; none among fixed rows."""
    if relation.favour is not None:
        return relation.favour
    target = plan.entities[relation.target]
    return EVEN if target.generated == 0 or target.total < 2 else Favour()
