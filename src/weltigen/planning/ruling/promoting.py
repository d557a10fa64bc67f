"""Unique rules over expressions or over some of the rows: over which rows they are kept, and by what."""

from __future__ import annotations

from math import prod

from ...expression import NotEvaluableError, parse
from ...model import Entity, Problem, Relation, Unique
from ...plan.entity import EntityPlan
from ...plan.plan import Plan
from ...plan.reduced import ReducedRule
from ..knowledge.digits import digits_of
from ..knowledge.keeping import is_apart

_AMPLE = 2  # times the rows: so much room lets a rule over some of them be kept over all


def promoted(plan: Plan, entity_plan: EntityPlan) -> tuple[list[Unique], tuple[ReducedRule, ...], list[ReducedRule]]:
    """Of the rules over expressions or some rows, those that are kept over all rows, those kept by their condition, and those
    whose condition references alone decide, so that rows are worked out with them in view.

    A rule over some of the rows is kept over all of them where its columns leave ample room for that.
    """
    whole: list[Unique] = []
    conditional: list[ReducedRule] = []
    tabled: list[ReducedRule] = []
    for reduced in entity_plan.reduced:
        if reduced.where is not None:
            told: list[Problem] = []
            digits, _ = digits_of(plan, entity_plan, reduced.rule, told)
            space = prod(digit.radix for digit in (digits or {}).values())
            follows = any(name in entity_plan.candidate_filters for name in digits or ())
            single = digits is not None and len(digits) == 1 and all(digit.relation for digit in digits.values())
            wished = any(_is_wished(entity_plan.entity.relation(d.name)) for d in (digits or {}).values() if d.relation)
            before = 0 if is_apart(plan, entity_plan.entity, reduced.rule) else entity_plan.earlier_rows
            few = digits is not None and space < _AMPLE * (entity_plan.total + before)
            if (
                not told
                and (few or follows or single)
                and not before
                and digits
                and decided_by(entity_plan.entity, reduced.where)
            ):
                tabled.append(reduced)
                continue
            if told or few or follows or single or wished:
                conditional.append(reduced)
                continue
        whole.append(reduced.rule)
    return whole, tuple(conditional), tabled


def decided_by(entity: Entity, where: str) -> tuple[str, ...]:
    """The references that alone decide a condition; none where anything else does as well."""
    try:
        paths = parse(where).paths
    except NotEvaluableError:
        return ()
    found = [next((r.name for r in entity.relations if path.lower() in map(str.lower, r.columns)), None) for path in paths]
    return tuple(name for name in found if name is not None) if None not in found else ()


def _is_wished(relation: Relation) -> bool:
    """Whether the world file says how rows choose by a reference, which a rule over all rows would take from it."""
    return bool(relation.weights or relation.spread or relation.tree or relation.favour or relation.choice)
