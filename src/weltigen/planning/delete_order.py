"""The order in which all rows of a world can be deleted, so that no delete rule holds one back."""

from __future__ import annotations

from dataclasses import dataclass

from ..model import OnDelete, Relation
from ..plan.plan import Plan

_HOLDING = (OnDelete.NO_ACTION, OnDelete.RESTRICT)


@dataclass(frozen=True, slots=True, kw_only=True)
class DeleteOrder:
    """`order` is that of the deletes. Before them the columns of `loosened` are set null, since these references point to rows
    that go first; `held` cannot be loosened, for they may not be null. `along` are entities whose rows a delete takes with it."""

    order: tuple[str, ...]
    loosened: tuple[Relation, ...]
    held: tuple[Relation, ...]
    along: tuple[str, ...]


def delete_order_of(plan: Plan) -> DeleteOrder:
    """From the last entity filled to the first, by the delete rule of each reference."""
    order = tuple(reversed(plan.order))
    rank = {name: number for number, name in enumerate(order)}
    early = [
        relation for name in order for relation in plan.entities[name].entity.relations
        if relation.on_delete in _HOLDING and not relation.deferrable and relation.target in rank
        and (rank[relation.target] < rank[name] or (relation.target == name and relation.on_delete is OnDelete.RESTRICT))
    ]  # fmt: skip
    free = {
        relation.label for relation in early
        if all(plan.entities[relation.entity].entity.field(column).nullable for column in relation.columns)
    }  # fmt: skip
    along = tuple(
        name for name in order
        if any(
            relation.on_delete is OnDelete.CASCADE and relation.target != name
            and not any(plan.entities[name].entity.field(column).nullable for column in relation.columns)
            for relation in plan.entities[name].entity.relations
        )
    )  # fmt: skip
    return DeleteOrder(
        order=order,
        along=along,
        loosened=tuple(r for r in early if r.label in free),
        held=tuple(r for r in early if r.label not in free),
    )
