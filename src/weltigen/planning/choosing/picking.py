"""Pass: how each reference finds its target: by owner, by a digit of a unique rule, or by a pick."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from math import prod

import numpy as np
from numpy.typing import NDArray

from ...model import EVEN, Place, Present, Problem, Relation
from ...model.paths import Cell
from ...model.ties import Way
from ...plan import reference_targets
from ...plan.agreement import Agreement, CandidateFilter
from ...plan.child_blocks import of_owners
from ...plan.components import Link
from ...plan.entity import EntityPlan, may_be_null
from ...plan.formulas import bind
from ...plan.keys import find_key
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...plan.reference_targets import Targets
from ...plan.references import ReferencePlan
from ...randomness import Bits, Levels
from ...randomness.quota import thresholds
from ..knowledge.agreeing import differs, is_chain, per_pair
from ..knowledge.cohort_counts import child_counts
from ..knowledge.favour import favour_of
from ..knowledge.presence import USUAL_SHARE, presence
from ..knowledge.settled import beside, digit_of, is_settled, must_differ, ordered_freely
from .given_targets import with_fixed
from .sharing import agree_on_mean, by_class, by_group, picks_of, spread_said


def choose_targets(plan: Plan) -> Plan:
    chosen: list[EntityPlan] = []
    problems: list[Problem] = []
    ignored = list(plan.ignored)
    for name in plan.order:
        entity_plan = plan.entities[name]
        references: dict[str, ReferencePlan] = {}
        for relation in entity_plan.entity.relations:
            if relation.target in plan.kept and relation.spread is not None:  # its rows had so many each before these came
                relation = replace(relation, spread=None)
                ignored.append(f"{relation.label}: `rows`, since the {relation.target} are of an earlier stage")
            try:
                found = _plan_one(plan, entity_plan, relation)
            except ValueError as error:
                problems.append(Problem(fact=f"{relation.label}: {error}", place=_place(relation), hint=_hint(plan, relation)))
                found = ReferencePlan(relation=relation, targets=reference_targets.nothing, because="impossible")
            if relation.favour is not None and found.favour is None and entity_plan.total:
                ignored.append(f"{relation.label}: `favour`, since this reference is {found.because}")
            references[relation.name] = _of_cohorts(plan, entity_plan, found, problems)
        chosen.append(replace(entity_plan, references=references))
    return replace(plan, ignored=tuple(ignored)).with_entities(chosen).with_problems(problems)


def _of_cohorts(plan: Plan, entity_plan: EntityPlan, usual: ReferencePlan, problems: list[Problem]) -> ReferencePlan:
    """Rows of some cohorts find what they refer to in a way of their own."""
    relation = usual.relation
    for name, one in entity_plan.cohorts.items():
        for delta in one.cohort.references:
            if delta.name != relation.name:
                continue
            free = replace(
                relation, favour=delta.favour or relation.favour, weights=delta.weights or relation.weights,
                present=delta.present or relation.present,
            )  # fmt: skip
            try:
                chosen = _choose(plan, entity_plan, free)
                if delta.where is not None:
                    chosen = _where_of_cohort(plan, entity_plan, chosen, delta, name)
                asked = {"favour": delta.favour, "weights": delta.weights}
                if lost := [word for word, wish in asked.items() if wish and word not in chosen.satisfied]:
                    raise ValueError(f"`{' and '.join(lost)}` of the cohort {name} cannot be kept, since it is {chosen.because}")
                own, extra, needs = _with_presence(plan, entity_plan, free, chosen.targets)
            except ValueError as error:
                problems.append(Problem(fact=f"{relation.label}: {error}", place=delta.wished or one.cohort.place))
                continue
            targets = with_fixed(plan, entity_plan, relation, reference_targets.of_some(one.subset, own, usual.targets))
            because = f"{usual.because}; in {name}: {chosen.because}{extra}"
            usual = replace(
                usual, targets=targets, because=because, needs=(*usual.needs, *needs), children=None, children_in_blocks=None
            )
    return usual


def _where_of_cohort(plan: Plan, entity_plan: EntityPlan, chosen: ReferencePlan, delta: Relation, cohort: str) -> ReferencePlan:
    """Rows of a cohort refer only to such rows of the target; where any may be referred to otherwise."""
    assert delta.where is not None
    relation, name = chosen.relation, delta.name
    bound = (
        name in entity_plan.candidate_filters or is_settled(entity_plan, name) or must_differ(entity_plan, relation) is not None
    )
    if bound or relation.target == entity_plan.name or delta.weights:
        why = "it gives weights as well" if delta.weights else f"it is {chosen.because}"
        raise ValueError(f"`where` of the cohort {cohort} cannot be kept, since {why}")
    candidates = CandidateFilter(where=delta.where)
    bits = Bits(plan.stage_seed, entity_plan.name, name, f"reference of {cohort}")
    targets = reference_targets.among_some(bits, relation, candidates, favour_of(plan, relation), cohort)
    needs = bind(plan.world, plan.entities[relation.target].entity, delta.where.expression).needs
    because = f"any where {delta.where.expression}"
    return replace(chosen, targets=targets, because=because, needs=(*chosen.needs, *needs), satisfied=("favour",))


def _hint(plan: Plan, relation: Relation) -> str | None:
    """A way out of a wish that cannot be kept."""
    if relation.weights:
        if plan.before is not None and relation.target not in plan.kept:
            return f"add rows of {relation.target} in a stage of their own"
        target = plan.entities[relation.target].entity
        names = [rule.columns[0] for rule in target.unique_rules if len(rule.columns) == 1]
        lists = [[text for row in target.fixed[:8] if (text := dict(row).get(name)) is not None] for name in names]
        readable = min(filter(None, lists), key=lambda texts: sum(map(len, texts)), default=[])
        return f"its fixed rows are: {', '.join(readable)}" if readable else f"give {relation.target} fixed rows"
    if relation.tree is not None:
        return "more roots (a number, or a share of the rows such as 2%), more levels, or more children"
    return "widen least, most, mean or none until they agree with the rows there are" if relation.spread is not None else None


def _place(relation: Relation) -> Place | None:
    for wish in (relation.tree, relation.spread):
        if wish is not None:
            return wish.place
    return relation.wished or relation.place


def _plan_one(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferencePlan:
    chosen = _choose(plan, entity_plan, relation)
    counts = child_counts(plan, entity_plan.entity, relation.name)
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    if counts and not owned and "children" not in chosen.satisfied and entity_plan.total:
        name, _ = counts[0]
        raise ValueError(f"so many rows for each of the cohort {name} cannot be kept, since this reference is {chosen.because}")
    lost = [word for word in _wishes(relation) if word not in chosen.satisfied]
    if lost and lost != ["favour"]:
        raise ValueError(f"`{'` and `'.join(lost)}` cannot be kept, since this reference is {chosen.because}")
    find, extra, needs = _with_presence(plan, entity_plan, relation, chosen.targets)
    return replace(
        chosen,
        targets=with_fixed(plan, entity_plan, relation, find),
        because=chosen.because + extra,
        needs=(*needs, *_agreed_cells(plan, entity_plan, relation)),
    )


def _choose(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferencePlan:
    """The way of one reference, by the first that fits: the layout, what other references bring, what is wished for, a pick."""
    entity, target = entity_plan.entity, plan.entities[relation.target]
    bits = Bits(plan.stage_seed, entity.name, relation.name, "reference")
    owner, candidates = entity_plan.owner, entity_plan.candidate_filters.get(relation.name)
    found = partial(ReferencePlan, relation=relation)
    if owner is not None and owner.relation == relation.name:
        first = entity_plan.fixed
        return found(targets=reference_targets.by_owner, because="the owner of these rows",
                     children=lambda o: [first + at for at in owner.split.children_of(o)],
                     children_in_blocks=lambda at: of_owners(owner.split, at, first))  # fmt: skip
    if entity_plan.precomputed is not None and relation.name in entity_plan.precomputed.relations:
        because = "worked out beforehand with the rules it takes part in"
        return found(targets=reference_targets.worked_out(relation.name), because=because)
    if target.total == 0:
        return found(targets=reference_targets.nothing, because=f"{relation.target} has no rows")
    if owner is not None and relation.name in per_pair(entity):
        return _of_pair(plan, entity_plan, relation)
    number = digit_of(entity_plan, relation.name, relation=True)
    if number is not None and entity_plan.components[number].strata:
        return _in_stratum(entity_plan, relation, number)
    if candidates is not None and candidates.implied is not None:
        return found(targets=reference_targets.led(candidates.implied), because=_led(entity_plan, candidates.implied))
    if candidates is not None:
        favour = favour_of(plan, relation)
        targets = reference_targets.among_members(bits, relation.name, favour, candidates.apart)
        return found(targets=targets, because=_among(entity_plan, candidates), favour=None if candidates.earlier else favour,
                     satisfied=("tree",) if candidates.tree else () if candidates.earlier else ("favour",))  # fmt: skip
    if number is not None and (link := entity_plan.components[number].link) is not None:
        return _linked(plan, relation, number, link)
    if number is not None:
        targets = _by_digit(plan, entity_plan, relation, number, bits)
        ordered = any(relation.name in (r.name, r.above) for r in entity.relations if r.above is not None)
        because = "each pair once, in the order of their keys" if ordered else "different in each row of its unique rule"
        return found(targets=targets, because=because)
    if relation.target == entity.name:
        return _to_itself(plan, entity_plan, relation, bits)
    upper = next((r for r in entity.relations if r.above is not None and relation.name in (r.name, r.above)), None)
    if upper is not None and target.total > 1 and ordered_freely(plan, entity_plan, upper):
        return _ordered(plan, entity_plan, relation, upper)
    if (other := must_differ(entity_plan, relation)) is not None:
        if target.total < 2:
            return found(targets=reference_targets.nothing, because=f"{relation.target} has no row but that of {other}")
        return found(targets=reference_targets.unlike(bits, other, target.total), because=f"any but {other}")
    if counts := child_counts(plan, entity, relation.name):
        return by_group(plan, entity_plan, relation, counts)
    if relation.weights:
        return _by_weight(plan, relation, bits)
    favour = favour_of(plan, relation)
    picks = picks_of(plan, entity_plan, relation, favour, target.total)
    if (spread := relation.spread) is not None:
        agree_on_mean(spread, relation, entity_plan.total, target.total)
        because = f"any; {spread_said(plan, entity_plan, relation)}"
        return found(targets=reference_targets.picked(picks), because=because, children=picks.children_of,
                     children_in_blocks=partial(by_class, picks), satisfied=("rows",))  # fmt: skip
    because = "any, evenly" if favour == EVEN else f"any; {favour.few:.0%} of them take {favour.take:.0%}"
    return found(targets=reference_targets.picked(picks), because=because, children=picks.children_of,
                 children_in_blocks=partial(by_class, picks), favour=favour, satisfied=("favour",))  # fmt: skip


def _ordered(plan: Plan, entity_plan: EntityPlan, relation: Relation, upper: Relation) -> ReferencePlan:
    """One of two references that are picked together, and stand in the order of the keys that they go to."""
    low, target = entity_plan.entity.relation(upper.above or ""), plan.entities[relation.target]
    favour = favour_of(plan, low)
    picks = picks_of(plan, entity_plan, low, favour, target.total)
    bits = Bits(plan.stage_seed, entity_plan.name, upper.name, "reference")
    targets = reference_targets.pair_in_order(picks, bits, low.name, upper.name, differs(upper, low), relation is upper)
    side, other = ("higher", low.name) if relation is upper else ("lower", upper.name)
    return ReferencePlan(
        relation=relation, targets=targets, because=f"any, the {side} of two keys, of which {other} has the other",
        favour=favour, satisfied=("favour",),
    )  # fmt: skip


def _wishes(relation: Relation) -> list[str]:
    """What the world file asks of a reference's choice, by its keys."""
    asked = {"weights": relation.weights, "rows": relation.spread, "tree": relation.tree, "favour": relation.favour}
    return [word for word, wish in asked.items() if wish]


def _by_weight(plan: Plan, relation: Relation, bits: Bits) -> ReferencePlan:
    target = plan.entities[relation.target]
    ordinals = [_called(plan, relation, text) for text, _ in relation.weights]
    if None in ordinals:
        key = relation.weights[ordinals.index(None)][0]
        if plan.before is not None and relation.target not in plan.kept:
            raise ValueError(f"`weights` names rows of an earlier stage, and this one adds rows of {relation.target}")
        raise ValueError(f"{relation.target} has no fixed row with the key {key}")
    known = [ordinal for ordinal in ordinals if ordinal is not None]
    shown = [_label_given(target, ordinal) or text for ordinal, (text, _) in zip(known, relation.weights, strict=True)]
    said = ", ".join(f"{text} {weight:g}" for text, (_, weight) in list(zip(shown, relation.weights, strict=True))[:6])
    more = f" and {len(known) - 6} more" if len(known) > 6 else ""
    targets = reference_targets.by_weight(bits, np.array(known, np.int64), thresholds([weight for _, weight in relation.weights]))
    return ReferencePlan(relation=relation, targets=targets, because=f"by weight: {said}{more}", satisfied=("weights",))


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


def _agreed_cells(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> tuple[Cell, ...]:
    """The cells that must be known before a reference can agree with others and keep its condition."""
    candidates = entity_plan.candidate_filters.get(relation.name)
    if candidates is None or (entity_plan.owner is not None and entity_plan.owner.relation == relation.name):
        return ()
    cells: list[Cell] = []
    for agreement in candidates.agreements:
        if agreement.leader is not None:
            bringer = entity_plan.entity.relation(agreement.leader)
            cells += [(entity_plan.name, column) for column in bringer.columns]
            cells += _along(plan, bringer.target, agreement.from_leader)
        cells += _along(plan, relation.target, agreement.from_target)
    if candidates.where is not None:
        target = plan.entities[relation.target]
        cells += bind(plan.world, target.entity, candidates.where.expression, candidates.where.dialect).needs
    return tuple(cells)


def _along(plan: Plan, entity: str, way: Way) -> list[Cell]:
    cells: list[Cell] = []
    for name in way:
        relation = plan.entities[entity].entity.relation(name)
        cells += [(entity, column) for column in relation.columns]
        entity = relation.target
    return cells


def _led(entity_plan: EntityPlan, agreement: Agreement) -> str:
    bringer = entity_plan.name if agreement.leader is None else entity_plan.entity.relation(agreement.leader).target
    return f"the one to which its {bringer} {'refers' if len(agreement.from_leader) == 1 else 'leads'}"


def _among(entity_plan: EntityPlan, candidates: CandidateFilter) -> str:
    said = [f"with the same {agreement.column}" for agreement in candidates.agreements if agreement.column is not None]
    said += [f"of the same {agreement.ancestor}" for agreement in candidates.agreements if agreement.column is None]
    said += [f"other than the {candidates.apart}"] if candidates.apart is not None else []
    said += [f"where {candidates.where.expression}"] if candidates.where is not None else []
    for follower in candidates.followers:
        said.append(f"that leaves a choice of {entity_plan.entity.relation(follower).target}")
    if candidates.chain and not candidates.optional:
        return "the row itself: any other way would be a circle"
    start = (
        "the row before,"
        if candidates.chain
        else "a tree"
        if candidates.tree
        else "an earlier row"
        if candidates.earlier
        else "any"
    )
    return f"{start} {' and '.join(said)}" + (f": {candidates.tree}" if candidates.tree is not None else "")


def _in_stratum(entity_plan: EntityPlan, relation: Relation, number: int) -> ReferencePlan:
    candidates = entity_plan.candidate_filters.get(relation.name)
    agreeing = _among(entity_plan, candidates) if candidates is not None and candidates.agreements else "any"
    return ReferencePlan(
        relation=relation, targets=reference_targets.by_digit(number, relation.name),
        because=f"{agreeing}, different in each row of its unique rule",
        grouped=None if entity_plan.components[number].within_owner else number,
    )  # fmt: skip


def _linked(plan: Plan, relation: Relation, number: int, link: Link) -> ReferencePlan:
    favour = favour_of(plan, relation)
    usual = "evenly" if favour == EVEN else f"{favour.few:.0%} of them take about {favour.take:.0%}"
    children = link.split.children_of if link.split is not None and link.first == relation.name else None
    return ReferencePlan(
        relation=relation, targets=reference_targets.by_digit(number, relation.name), because=f"any, each pair once; {usual}",
        favour=favour, children=children, satisfied=("favour",),
    )  # fmt: skip


def _by_digit(plan: Plan, entity_plan: EntityPlan, relation: Relation, number: int, bits: Bits) -> Targets:
    """The digit is the target, or its owner, or the distance from a reference of the rule from which it must differ."""
    other, target = relation.unlike, plan.entities[relation.target]
    component = entity_plan.components[number]
    for upper in entity_plan.entity.relations:
        if upper.above is not None and relation.name in (upper.name, upper.above) and beside(entity_plan, upper.above, number):
            strict = differs(upper, entity_plan.entity.relation(upper.above))
            return reference_targets.in_order(number, upper.above, upper.name, strict, relation is upper)
    digits = (*component.core, *(digit for petal in component.petals for digit in petal))
    if target.owner is not None and any(digit.through and digit.name == relation.name for digit in digits):
        return reference_targets.through_owner(number, relation.name, target.owner.split, bits)
    if other is not None and beside(entity_plan, other, number):
        return reference_targets.beyond_by_digit(number, relation.name, other, target.total)
    return reference_targets.by_digit(number, relation.name)


def _of_pair(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferencePlan:
    """The rank among the owner's rows counts through the combinations of the other relations' targets."""
    first, *others = per_pair(entity_plan.entity)
    candidates = entity_plan.candidate_filters.get(relation.name)
    if candidates is not None and candidates.implied is None:
        targets = reference_targets.member_by_rank(relation.name, apart=differs(entity_plan.entity.relation(first), relation))
        return ReferencePlan(relation=relation, targets=targets, because=f"each {_among(entity_plan, candidates)[4:]}")
    totals = [plan.entities[entity_plan.entity.relation(name).target].total for name in others]
    place = others.index(relation.name)
    if differs(entity_plan.entity.relation(first), relation):
        targets = reference_targets.beyond_by_rank(first, totals[place])
        return ReferencePlan(relation=relation, targets=targets, because=f"each but the {first}")
    targets = reference_targets.by_rank(prod(totals[place + 1 :]), totals[place])
    return ReferencePlan(relation=relation, targets=targets, because="each with each")


def _to_itself(plan: Plan, entity_plan: EntityPlan, relation: Relation, bits: Bits) -> ReferencePlan:
    found = partial(ReferencePlan, relation=relation)
    optional = all(entity_plan.entity.field(column).nullable for column in relation.columns)
    itself = "" if optional else "; the first, itself"
    total, tree = entity_plan.total, relation.tree
    if is_chain(entity_plan.entity, relation):
        if not optional:
            return found(
                targets=reference_targets.itself,
                because="the row itself: any other way would be a circle",
                children=lambda o: [o],
            )
        return found(
            targets=reference_targets.just_before, because="the row before", children=lambda o: [o + 1] if o + 1 < total else []
        )
    other = must_differ(entity_plan, relation)
    if other is not None and (tree is not None or not optional):
        raise ValueError(f"it refers to its own entity, so it cannot be kept apart from {other} as well")
    if tree is None:
        apart = f" other than the {other}" if other is not None else ""
        return found(targets=reference_targets.earlier(bits, optional, other), because=f"an earlier row{apart}{itself}")
    levels = Levels.build(total, tree.roots_of(total), tree.depth, tree.most, bits)
    because = f"a tree: {tree}"
    return found(targets=reference_targets.parent_in(levels, optional), because=because,
                 children=lambda o: [o, *levels.children_of(o)], satisfied=("tree",))  # fmt: skip


def _with_presence(
    plan: Plan, entity_plan: EntityPlan, relation: Relation, find: Targets
) -> tuple[Targets, str, tuple[Cell, ...]]:
    entity = entity_plan.entity
    differing = must_differ(entity_plan, relation)
    needs: tuple[Cell, ...] = ()
    if differing is not None and (differing == relation.unlike or not is_settled(entity_plan, relation.name)):
        needs = tuple((entity.name, column) for column in entity.relation(differing).columns)
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    if owned or relation.tree is not None or not may_be_null(entity_plan, relation):
        return find, "", needs
    own = next((c for c in relation.columns if entity.field(c).nullable), relation.columns[0])
    present = relation.present or entity.field(own).present or Present(share=USUAL_SHARE)
    is_there, said, more = presence(plan, entity_plan, relation.name, present)

    def sometimes(rows: RowsPort) -> NDArray[np.int64]:
        return np.where(is_there(rows), find(rows), -1)

    return sometimes, f", {said}", (*needs, *more)
