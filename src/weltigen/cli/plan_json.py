"""What `explain` says, as plain values for machines."""

from __future__ import annotations

from typing import Any

from ..model import Check, Field, PerPair, Place, Relation, Unique
from ..model.folding import Fold, fold_of
from ..model.origins import Status
from ..plan import EntityPlan, Plan
from ..plan.fields import Converted, Counting, OfPerson, Spaced
from ..planning import delete_order_of
from ..planning.knowledge.wording import filler_in_words, reference_in_words


def plan_as_json(plan: Plan) -> dict[str, Any]:
    """The plan in plain values: `entities` in fill order, `notices` with their places, and what is `impossible`."""
    order = plan.order or tuple(plan.entities)
    return {
        "seed": plan.seed, "now": plan.now.isoformat(), "dialect": plan.world.dialect, "sources": list(plan.world.sources),
        "entities": [_entity_json(plan, plan.entities[name]) for name in order],
        "cycles": [{"members": list(c.members), "broken_at": c.broken_at.label if c.broken_at else None} for c in plan.cycles],
        "clearing": _clearing_json(plan),
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


def check_kept(entity_plan: EntityPlan, check: Check) -> str | None:
    """By what a check is kept; None where it is not."""
    if any(check is watched for watched, _ in entity_plan.verified_checks):
        return "watched, since nothing that it reads can be made again"
    if check.status is Status.UNREADABLE:
        return None
    if check.status is Status.MET:
        return f"by construction: {check.met_by}"
    group = next((group for group in entity_plan.rejection_groups if any(check is one for one, _ in group.checks)), None)
    if group is None:
        return "by construction: references stand in its order"
    made = sorted(group.fields) + [f"the {name} picked" for name in sorted(group.relations)]
    return f"by attempts: {', '.join(made)}"


def unique_kept(entity_plan: EntityPlan, rule: Unique, dialect: str | None) -> str:
    """By what a unique rule is kept; and how its texts are compared, where that is not exactly."""
    fields = [entity_plan.entity.field(column) for column in rule.columns]
    fold = max((fold_of(field.type, field.collation, dialect) for field in fields), default=Fold.EXACT)
    return _kept(entity_plan, rule) + (f", {fold}" if fold >= Fold.CASE else "")


def _kept(entity_plan: EntityPlan, rule: Unique) -> str:
    if entity_plan.precomputed is not None and rule in entity_plan.precomputed.rules:
        return "worked out beforehand for all rows"
    component = next((c for c in entity_plan.components if str(rule) in c.rules), None)
    if component is None:
        return _kept_by_one_column(entity_plan, rule)
    if component.strata:
        return "each row takes a place of its own among those that agree"
    if component.ancestors:
        return f"each row of one {component.ancestors[-1]} differs"
    return "each row of an owner differs" if component.within_owner else "each row takes a place of its own"


def special_kept(entity_plan: EntityPlan, rule: Unique) -> str | None:
    """By what a rule over expressions or some rows is kept; None where it is not."""
    reduced = next((one for one in entity_plan.reduced if one.rule.stands_for == str(rule)), None)
    if reduced is None:
        return None
    if reduced in entity_plan.conditional:
        return f"of the rows that agree one keeps {rule.where}"
    over = "over all rows, " if rule.where else ""
    return over + _kept(entity_plan, reduced.rule)


def _kept_by_one_column(entity_plan: EntityPlan, rule: Unique) -> str:
    """Rules that need no layout, since one thing in them differs from row to row anyway."""
    entity, columns = entity_plan.entity, set(rule.columns)
    fields = [entity_plan.fields[name] for name in rule.columns if name in entity_plan.fields]
    if any(isinstance(field.way, Counting) for field in fields):
        return "by its numbers"
    if any(isinstance(field.way, Spaced) for field in fields):
        return "each owner has one row at a time"
    for field in fields:
        match field.way:
            case Converted(of=of):
                return f"since {of.field} is unique"
            case OfPerson(part=part) if part.distinct:
                return "each person has one of their own"
    if any(relation.target == entity.name and columns <= set(relation.columns) for relation in entity.relations):
        return "each row refers to a row of its own"
    if isinstance(entity.rows, PerPair) and entity_plan.owner is not None:
        return "each combination has one row"
    held = next((str(other) for other in entity.unique_rules if set(other.columns) < columns), None)
    return f"since {held} is" if held else "by its values"
