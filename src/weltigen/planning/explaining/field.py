"""One field in full, in words."""

from __future__ import annotations

from ...model import ComputeSource, KindSource, PatternSource, Source, WeightsSource
from ...model.problems import UsageError, nearest
from ...plan import EntityPlan, Plan
from .rules import check_kept, is_about, special_kept, unique_kept
from .wording import filler_in_words

_VALUES = 8  # of a list, this many are named


def field_facts(plan: Plan, entity_plan: EntityPlan, name: str) -> list[tuple[str, str]]:
    """Titles and texts: what is declared, how it is filled, what limits it, and by what its rules are kept.

    UsageError where the entity has no such field.
    """
    entity = entity_plan.entity
    if not entity.has(name):
        raise UsageError(f"{entity.name} has no field '{name}'", hint=nearest(name, entity.field_names))
    field = entity.field(name)
    declared = f"{field.type}{'' if field.nullable else ' not null'}" + (f", at {field.place}" if field.place else "")
    said = [("declared", declared)]
    said += [("comment", field.comment)] if field.comment else []
    said += [("filled", how)] if (how := filler_in_words(entity_plan, name)) is not None else []
    said += [("guess", f"{field.guess.confidence:.0%} sure: {field.guess.reason}")] if field.guess is not None else []
    if field.guess is not None and field.others:
        said.append(
            (
                "else",
                " · ".join(f"{_source(one.source)} ({one.guess.confidence:.0%}: {one.guess.reason})" for one in field.others[:2]),
            )
        )
    for bound in field.limits.bounds:
        said.append(("limit", f"{bound}   ({bound.source}{f', {bound.place}' if bound.place else ''})"))
    for allowed in field.limits.allowed:
        more = ", …" if len(allowed.values) > _VALUES else ""
        said.append(("one of", f"{', '.join(allowed.values[:_VALUES])}{more}   ({allowed.source})"))
    said += [("kept", text) for text in _rules_about(plan, entity_plan, name)]
    planned = entity_plan.fields.get(name)
    if planned is not None and (space := planned.way.space) is not None and not planned.cell_bounds:
        said.append(("values", f"{space:,} different ones"))
    return said


def _rules_about(plan: Plan, entity_plan: EntityPlan, name: str) -> list[str]:
    entity, dialect = entity_plan.entity, plan.world.dialect
    texts = [f"{rule}: {unique_kept(entity_plan, rule, dialect)}" for rule in entity.unique_rules if name in rule.columns]
    special = {reduced.rule.stands_for: reduced.rule for reduced in entity_plan.reduced}
    texts += [
        f"{rule}: {special_kept(entity_plan, rule)}"
        for rule in entity.special_rules if str(rule) in special and name in special[str(rule)].columns
    ]  # fmt: skip
    return texts + [
        f"{check}: {check_kept(entity_plan, check) or 'not understood'}"
        for check in entity.checks
        if is_about(entity, check, name)
    ]


def _source(source: Source) -> str:
    """A candidate in a few words."""
    match source:
        case KindSource(kind=kind, parameters=parameters):
            told = dict(parameters)
            return " ".join([kind, *(told[name] for name in ("purpose", "list", "for") if name in told)])
        case PatternSource(pattern=pattern):
            return pattern
        case WeightsSource(weights=weights):
            listed = [value for value, _ in weights[:3]]
            return "/".join(listed) + ("/…" if len(weights) > 3 else "")
        case ComputeSource(expression=expression):
            return expression
    return type(source).__name__
