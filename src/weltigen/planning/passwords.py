"""Which passwords open what: whoever logs in wants to know them."""

from __future__ import annotations

from ..plan.fields import Drawn, FieldPlan, OfKind
from ..plan.plan import Plan
from ..values.passwords import password_in


def known_passwords(plan: Plan) -> dict[str, str]:
    """What is the password of each field that holds one, by `entity.field`; of generated rows."""
    return {
        f"{name}.{field.name}": known.plain
        for name, entity_plan in plan.entities.items()
        for field in entity_plan.entity.fields
        if entity_plan.generated and _is_one(entity_plan.fields.get(field.name))
        if (known := password_in(field, plan.seed, plan.world.password or "")) is not None
    }


def _is_one(made: FieldPlan | None) -> bool:
    way = made.way if made is not None else None
    return isinstance(way, Drawn) and isinstance(way.of, OfKind) and way.of.kind == "password"
