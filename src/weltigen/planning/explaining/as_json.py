"""What `explain` says, as plain values for machines."""

from __future__ import annotations

from typing import Any

from ...model import Field, Place, Relation
from ...plan import EntityPlan, Plan
from ..delete_order import delete_order_of
from ..passwords import known_passwords
from .rules import check_kept, special_kept, unique_kept
from .wording import filler_in_words, reference_in_words


def plan_as_json(plan: Plan) -> dict[str, Any]:
    """The plan in plain values: `entities` in fill order, `notices` with their places, and what is `impossible`."""
    order = plan.order or tuple(plan.entities)
    return {
        "seed": plan.seed, "now": plan.now.isoformat(), "dialect": plan.world.dialect, "sources": list(plan.world.sources),
        "entities": [_entity_json(plan, plan.entities[name]) for name in order],
        "cycles": [{"members": list(c.members), "broken_at": c.broken_at.label if c.broken_at else None} for c in plan.cycles],
        "clearing": _clearing_json(plan),
        "passwords": known_passwords(plan),
        "without_effect": list(plan.ignored),
        "notices": [
            {"what": note.what, "stepped_over": note.stepped_over, **_place_json(note.place)} for note in plan.world.notices
        ] + [{"what": note, "stepped_over": False, **_place_json(None)} for note in plan.notes],
        "impossible": [
            {"fact": problem.fact, "hint": problem.hint, **_place_json(problem.place)} for problem in plan.problems
        ],
    }  # fmt: skip


def _clearing_json(plan: Plan) -> dict[str, list[str]]:
    found = delete_order_of(plan)
    return {
        "order": list(found.order), "set_null_first": [r.label for r in found.loosened],
        "held": [r.label for r in found.held], "taken_along": list(found.along),
    }  # fmt: skip


def _place_json(place: Place | None) -> dict[str, Any]:
    return {"file": place.file if place else None, "line": place.line if place else None}


def _entity_json(plan: Plan, entity_plan: EntityPlan) -> dict[str, Any]:
    entity = entity_plan.entity
    return {
        "name": entity.name, "rows": entity_plan.total, "fixed": entity_plan.fixed, "because": entity_plan.because,
        "held": entity.held,
        "kept_in_memory": entity_plan.precomputed.because if entity_plan.precomputed else None,
        "fields": [_field_json(entity_plan, field) for field in entity.fields],
        "relations": [_relation_json(entity_plan, relation) for relation in entity.relations],
        "rules": _rules_json(entity_plan, plan.world.dialect),
    }  # fmt: skip


def _field_json(entity_plan: EntityPlan, field: Field) -> dict[str, Any]:
    how = filler_in_words(entity_plan, field.name) or ("computed by the database" if field.generated else None)
    return {
        "name": field.name, "type": str(field.type), "nullable": field.nullable, "filler": how,
        "confidence": field.guess.confidence if field.guess else None, "reason": field.guess.reason if field.guess else None,
        **_place_json(field.place),
    }  # fmt: skip


def _relation_json(entity_plan: EntityPlan, relation: Relation) -> dict[str, Any]:
    reference = entity_plan.references.get(relation.name)
    return {
        "name": relation.name, "columns": list(relation.columns), "to": relation.target,
        "to_columns": list(relation.target_columns), "on_delete": str(relation.on_delete),
        "filler": reference_in_words(entity_plan, reference) if reference else None,
        "confidence": relation.guess.confidence if relation.guess else None,
        "reason": relation.guess.reason if relation.guess else None,
    }  # fmt: skip


def _rules_json(entity_plan: EntityPlan, dialect: str | None) -> list[dict[str, Any]]:
    entity = entity_plan.entity
    rules: list[dict[str, Any]] = [
        {"rule": str(rule) if rule.columns != entity.key else f"primary key ({', '.join(rule.columns)})", "kept": how}
        for rule, how in ((rule, unique_kept(entity_plan, rule, dialect)) for rule in entity.unique_rules)
    ]
    rules += [{"rule": str(rule), "kept": special_kept(entity_plan, rule)} for rule in entity.special_rules]
    return rules + [
        {"rule": str(check), "expression": check.expression, "kept": check_kept(entity_plan, check)} for check in entity.checks
    ]
