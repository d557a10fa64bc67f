"""Which passwords open what: whoever logs in wants to know them."""

from __future__ import annotations

from ..model import Field, KindSource
from ..plan.fields import Drawn, FieldPlan, OfKind
from ..plan.plan import Plan
from ..values import KindError, Request
from ..values.passwords import password_of


def known_passwords(plan: Plan) -> dict[str, str]:
    """What is the password of each field that holds one, by `entity.field`; of generated rows."""
    return {
        f"{name}.{field.name}": known
        for name, entity_plan in plan.entities.items()
        for field in entity_plan.entity.fields
        if entity_plan.generated and _is_one(entity_plan.fields.get(field.name))
        if (known := _password(plan, field)) is not None
    }


def _is_one(made: FieldPlan | None) -> bool:
    way = made.way if made is not None else None
    return isinstance(way, Drawn) and isinstance(way.of, OfKind) and way.of.kind == "password"


def _password(plan: Plan, field: Field) -> str | None:
    parameters = dict(field.source.parameters) if isinstance(field.source, KindSource) else {}
    request = Request(
        type=field.type, rows=1, window=plan.window, room=field.room, least=field.limits.min_length or 0,
        parameters=parameters, seed=plan.seed, password=plan.world.password or "",
    )  # fmt: skip
    try:
        return password_of(request).plain
    except KindError:  # it is kept in another way then
        return None
