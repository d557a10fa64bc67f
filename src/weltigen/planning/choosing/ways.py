"""The way of one reference, by the first that fits: the layout, what other references bring, what is wished for, a pick."""

from __future__ import annotations

from math import prod

import numpy as np

from ...model import Relation, Tree
from ...plan.entity import EntityPlan, may_refer_to_none
from ...plan.keys import find_key
from ...plan.plan import Plan
from ...plan.ways.agreeing import Implied, Member
from ...plan.ways.laid_out import (
    ByDigit,
    ByOwner,
    Combination,
    CombinationApart,
    CombinationOfMembers,
    Linked,
    Nowhere,
    Ordered,
    OrderedDigit,
    Precomputed,
    Stratum,
    ThroughOwner,
)
from ...plan.ways.own_rows import EarlierRow, InTree, Itself, RowBefore
from ...plan.ways.picks import OrderedPick, Picked, Unlike, Weighted
from ...plan.ways.way import ReferenceWay
from ...randomness import Bits, Levels
from ...randomness.quota import FEW, Dealt, thresholds
from ..knowledge.agreeing import differs, is_chain, per_pair
from ..knowledge.cohort_counts import child_counts
from ..knowledge.favour import favour_of
from ..knowledge.presence import USUAL_SHARE
from ..knowledge.settled import beside, children_at_most, digit_of, must_differ, ordered_freely
from .sharing import agree_on_mean, by_group, limited, picks_of
from .wished import CHOICES


def way_of(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferenceWay:
    """ValueError where what is wished for cannot be kept."""
    found = _laid_out(plan, entity_plan, relation)
    if found is not None:
        return found
    entity, target = entity_plan.entity, plan.entities[relation.target]
    bits = Bits(plan.stage_seed, entity.name, relation.name, "reference")
    if relation.target == entity.name:
        return _to_itself(entity_plan, relation, bits)
    if relation.choice is not None:
        return CHOICES[relation.choice.way](plan, entity_plan, relation)
    upper = next((r for r in entity.relations if r.above is not None and relation.name in (r.name, r.above)), None)
    if upper is not None and target.total > 1 and ordered_freely(plan, entity_plan, upper):
        return _ordered(plan, entity_plan, relation, upper)
    if (other := must_differ(entity_plan, relation)) is not None:
        return Unlike(bits, other, target.total) if target.total > 1 else Nowhere(relation.target, other)
    if counts := child_counts(plan, entity, relation.name):
        return by_group(plan, entity_plan, relation, counts)
    if relation.weights:
        return _by_weight(plan, relation, bits)
    favour = favour_of(plan, relation)
    picks = picks_of(plan, entity_plan, relation, favour, target.total)
    if relation.spread is None:
        return Picked(picks, favour)
    agree_on_mean(relation.spread, relation, entity_plan.total, target.total)
    return Picked(picks, limits=limited(plan, entity_plan, relation))


def _laid_out(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferenceWay | None:
    """What the layout of rows and rules, or other references, leave of a choice; None where they leave all of it."""
    entity, name, target = entity_plan.entity, relation.name, plan.entities[relation.target]
    bits = Bits(plan.stage_seed, entity.name, name, "reference")
    owner, candidates = entity_plan.owner, entity_plan.candidate_filters.get(name)
    if owner is not None and owner.relation == name:
        return ByOwner(owner.split, entity_plan.fixed)
    if entity_plan.precomputed is not None and name in entity_plan.precomputed.relations:
        return Precomputed(name)
    if target.total == 0:
        return Nowhere(relation.target)
    if owner is not None and name in per_pair(entity):
        return _of_pair(plan, entity_plan, relation)
    number = digit_of(entity_plan, name, relation=True)
    if number is not None and entity_plan.components[number].strata:
        agreeing = candidates if candidates is not None and candidates.agreements else None
        return Stratum(number, name, entity_plan.components[number].within_owner, agreeing)
    if candidates is not None and candidates.implied is not None:
        return Implied(candidates.implied)
    if candidates is not None:
        return Member(bits, name, favour_of(plan, relation), candidates)
    if number is None:
        return None
    if (link := entity_plan.components[number].link) is not None:
        return Linked(number, name, favour_of(plan, relation), link.split if link.first == name else None)
    return _by_digit(plan, entity_plan, relation, number, bits)


def _by_digit(plan: Plan, entity_plan: EntityPlan, relation: Relation, number: int, bits: Bits) -> ReferenceWay:
    """The digit is the target, or its owner, or the distance from a reference of the rule from which it must differ."""
    other, target = relation.unlike, plan.entities[relation.target]
    component = entity_plan.components[number]
    for upper in entity_plan.entity.relations:
        if upper.above is not None and relation.name in (upper.name, upper.above) and beside(entity_plan, upper.above, number):
            strict = differs(upper, entity_plan.entity.relation(upper.above))
            return OrderedDigit(number, Ordered(upper.above, upper.name, strict), relation is upper)
    digits = (*component.core, *(digit for petal in component.petals for digit in petal))
    if target.owner is not None and any(digit.through and digit.name == relation.name for digit in digits):
        return ThroughOwner(number, relation.name, target.owner.split, bits)
    if other is not None and beside(entity_plan, other, number):
        return ByDigit(number, relation.name, other, target.total)
    return ByDigit(number, relation.name)


def _of_pair(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferenceWay:
    """The rank among the owner's rows counts through the combinations of the other relations' targets."""
    first, *others = per_pair(entity_plan.entity)
    candidates = entity_plan.candidate_filters.get(relation.name)
    if candidates is not None and candidates.implied is None:
        apart = differs(entity_plan.entity.relation(first), relation)
        return CombinationOfMembers(relation.name, apart, candidates)
    totals = [plan.entities[entity_plan.entity.relation(name).target].total for name in others]
    number = others.index(relation.name)
    if differs(entity_plan.entity.relation(first), relation):
        return CombinationApart(first, totals[number])
    return Combination(prod(totals[number + 1 :]), totals[number])


def _to_itself(entity_plan: EntityPlan, relation: Relation, bits: Bits) -> ReferenceWay:
    optional = may_refer_to_none(entity_plan.entity, relation)
    total, tree = entity_plan.total, relation.tree
    if is_chain(entity_plan.entity, relation):
        return RowBefore(total) if optional else Itself()
    if (most := children_at_most(entity_plan, relation)) is not None:
        tree = tree or Tree(share=1.0 - USUAL_SHARE)
        most = min(most if tree.most is None else tree.most, most - (not optional))  # else a root is its own first child
        levels = Levels.build(total, tree.roots_of(total), tree.depth, most if most < total else None, bits)
        return InTree(levels, optional, tree)
    other = must_differ(entity_plan, relation)
    if other is not None and (tree is not None or not optional):
        raise ValueError(f"it refers to its own entity, so it cannot be kept apart from {other} as well")
    if tree is None:
        return EarlierRow(bits, optional, other)
    return InTree(Levels.build(total, tree.roots_of(total), tree.depth, tree.most, bits), optional, tree)


def _ordered(plan: Plan, entity_plan: EntityPlan, relation: Relation, upper: Relation) -> OrderedPick:
    """One of two references that are picked together, and stand in the order of the keys that they go to."""
    low, target = entity_plan.entity.relation(upper.above or ""), plan.entities[relation.target]
    favour = favour_of(plan, low)
    picks = picks_of(plan, entity_plan, low, favour, target.total)
    bits = Bits(plan.stage_seed, entity_plan.name, upper.name, "reference")
    pair = Ordered(low.name, upper.name, differs(upper, low))
    return OrderedPick(picks, bits, pair, relation is upper, favour)


def _by_weight(plan: Plan, relation: Relation, bits: Bits) -> Weighted:
    target = plan.entities[relation.target]
    ordinals = [_called(plan, relation, text) for text, _ in relation.weights]
    if None in ordinals:
        key = relation.weights[ordinals.index(None)][0]
        if plan.before is not None and relation.target not in plan.kept:
            raise ValueError(f"`weights` names rows of an earlier stage, and this one adds rows of {relation.target}")
        raise ValueError(f"{relation.target} has no fixed row with the key {key}")
    known = [ordinal for ordinal in ordinals if ordinal is not None]
    shown = tuple(
        (_label_given(target, ordinal) or text, weight) for ordinal, (text, weight) in zip(known, relation.weights, strict=True)
    )
    weights, rows = [weight for _, weight in relation.weights], plan.entities[relation.entity]
    dealt = Dealt.build(bits, rows.generated, rows.fixed, weights) if rows.total <= FEW else None
    return Weighted(bits, np.array(known, np.int64), thresholds(weights), shown, dealt)


def _called(plan: Plan, relation: Relation, text: str) -> int | None:
    """The target's row with this key, or the fixed row that has this text in another unique field."""
    found = find_key(plan, relation, tuple(text.split(", ")))
    if found >= 0:
        return found
    entity = plan.entities[relation.target].entity
    names = [rule.columns[0] for rule in entity.unique_rules if len(rule.columns) == 1]
    return next((n for n, row in enumerate(entity.fixed) for name in names if dict(row).get(name) == text), None)


def _label_given(target: EntityPlan, ordinal: int) -> str | None:
    """What a fixed row gives for the field by which rows of its entity are shown."""
    label = target.entity.label
    return dict(target.entity.fixed[ordinal]).get(label) if label is not None and ordinal < target.fixed else None
