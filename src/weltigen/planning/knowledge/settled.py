"""What the layout of unique rules has settled of references: which are digits of it, and which give way to others."""

from __future__ import annotations

from ...model import PerPair, Relation
from ...plan.entity import EntityPlan
from ...plan.plan import Plan
from .agreeing import is_chain
from .cohort_counts import child_counts


def digit_of(entity_plan: EntityPlan, name: str, relation: bool) -> int | None:
    """The number of the component in which a relation or a field is a digit."""
    for number, component in enumerate(entity_plan.components):
        if relation and name in component.strata:
            return number
        for digit in (*component.core, *(d for petal in component.petals for d in petal)):
            if digit.name == name and digit.relation == relation:
                return number
    return None


def children_at_most(entity_plan: EntityPlan, relation: Relation) -> int | None:
    """How many rows may refer to one row of the same entity, where unique rules tell the children of a row apart; None where no
    rule is kept so."""
    spaces = [component.petal_space for component in entity_plan.components if component.siblings == relation.name]
    return min(spaces, default=None)


def beside(entity_plan: EntityPlan, relation: str, number: int) -> bool:
    """Whether a relation is laid out with component `number`: as one of its digits, or as the owner of its groups."""
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation
    return digit_of(entity_plan, relation, relation=True) == number or (owned and entity_plan.components[number].within_owner)


def is_settled(entity_plan: EntityPlan, relation: str) -> bool:
    """Whether a relation's targets follow from the layout, so that another reference must give way to it."""
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation
    precomputed = entity_plan.precomputed is not None and relation in entity_plan.precomputed.relations
    siblings = any(component.siblings == relation for component in entity_plan.components)
    chain = is_chain(entity_plan.entity, entity_plan.entity.relation(relation))
    return owned or precomputed or siblings or chain or digit_of(entity_plan, relation, relation=True) is not None


def must_differ(entity_plan: EntityPlan, relation: Relation) -> str | None:
    """The reference that this one must differ from, said on either of the two; a digit is never the one that gives way."""
    if relation.unlike is not None:
        beside = entity_plan.candidate_filters.get(relation.unlike)
        return relation.unlike if beside is None or beside.apart != relation.name else None
    for other in entity_plan.entity.relations:
        if other.unlike == relation.name and is_settled(entity_plan, other.name):
            return other.name
    return None


def ordered_freely(plan: Plan, entity_plan: EntityPlan, upper: Relation) -> bool:
    """Whether two references, of which one goes to the greater key, may go anywhere else: they are picked as one pair."""
    entity = entity_plan.entity
    pair = (upper, entity.relation(upper.above or ""))
    names = {relation.name for relation in pair}
    rows = entity.rows.per if isinstance(entity.rows, PerPair) else ()
    tied = {r.name for r in entity.relations if r.unlike in names or r.above in names} - names
    of_cohorts = {own.name for one in entity_plan.cohorts.values() for own in one.cohort.references}
    if tied or pair[1].above is not None or names & {*entity_plan.candidate_filters, *rows, *of_cohorts}:
        return False
    return not any(
        is_settled(entity_plan, relation.name) or relation.weights or relation.spread or relation.tree or relation.choice
        or child_counts(plan, entity, relation.name) or relation.target == entity.name
        for relation in pair
    )  # fmt: skip
