"""Which entities are made together: one, and those of which each of its rows owns a few, so that what these know is not made
again for them, nor what a sum over them has made."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from ..plan import EntityPlan, Plan

MOST_OWNED = 5  # rows of an entity for each row of the first one: more would need much memory beside it


@dataclass(frozen=True, slots=True, kw_only=True)
class Family:
    """Entities made together: `names` in fill order, and which of them the rows of each own."""

    names: tuple[str, ...]
    owned: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def first(self) -> str:
        """The entity that owns the others."""
        return self.names[0]


def families(plan: Plan, names: Iterable[str] | None = None) -> tuple[Family, ...]:
    """All entities of a plan in families, or some of them; in the fill order of the first ones.

    An entity belongs to its owner's family where nothing that it refers to comes later than the first of them in fill order.
    """
    order = {name: at for at, name in enumerate(name for name in plan.order if name not in plan.kept)}
    first: dict[str, str] = {}
    members: dict[str, list[str]] = {}
    owned: dict[str, tuple[str, ...]] = {}
    for name in order if names is None else [name for name in order if name in set(names)]:
        owner = _owner(plan.entities[name])
        head = first.get(owner) if owner is not None else None
        if (
            owner is not None
            and head is not None
            and not plan.entities[owner].entity.there
            and _fits(plan, name, members[head], order)
        ):
            first[name] = head
            members[head].append(name)
            owned[owner] = (*owned.get(owner, ()), name)
        else:
            first[name] = name
            members[name] = [name]
    return tuple(
        Family(names=tuple(inside), owned={name: owned[name] for name in inside if name in owned}) for inside in members.values()
    )


def _owner(entity_plan: EntityPlan) -> str | None:
    """The entity whose rows own these, if all of these are generated and found by arithmetic."""
    if entity_plan.owner is None or entity_plan.fixed or not entity_plan.generated:
        return None
    reference = entity_plan.references[entity_plan.owner.relation]
    return reference.relation.target if reference.finds_blocks and reference.present is None else None


def _fits(plan: Plan, name: str, family: list[str], order: Mapping[str, int]) -> bool:
    head, entity_plan = plan.entities[family[0]], plan.entities[name]
    if entity_plan.total > MOST_OWNED * head.total:
        return False
    targets = {relation.target for relation in entity_plan.entity.relations} - {name, *family}
    return all(order.get(target, -1) < order[family[0]] for target in targets)
