"""Keys: which row a key names, and from which number on an entity's keys count."""

from __future__ import annotations

from ..model import Relation
from .entity import EntityPlan
from .fields import Counting
from .plan import Plan


def find_key(plan: Plan, relation: Relation, texts: tuple[str, ...]) -> int:
    """The ordinal of the target's row with these key texts: a fixed row, or one that counts up; -2 where none is known."""
    target = plan.entities[relation.target]
    for ordinal, row in enumerate(target.entity.fixed):
        values = dict(row)
        if tuple(values.get(column) for column in relation.target_columns) == texts:
            return ordinal
    field = target.fields.get(relation.target_columns[0])
    if len(texts) == 1 and field is not None and isinstance(field.way, Counting):
        ordinal = int(texts[0]) - counting_base(target, field.field.name)
        if 0 <= ordinal < target.total and field.field.name not in dict(
            target.entity.fixed[ordinal] if ordinal < target.fixed else ()
        ):
            return ordinal
    return -2


def counting_base(entity_plan: EntityPlan, field: str) -> int:
    """Ordinal o has the number base + o: past every number that fixed rows give and that earlier stages have, else from 1."""
    if entity_plan.earlier is not None:
        return counting_base(entity_plan.earlier, field) + entity_plan.earlier_rows
    given = [int(text) for row in entity_plan.entity.fixed if (text := dict(row).get(field)) is not None]
    return max(given) + 1 - (0 if len(given) < entity_plan.fixed else entity_plan.fixed) if given else 1
