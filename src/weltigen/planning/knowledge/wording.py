"""The facts of a plan in words: how a column is filled, how a reference finds its target."""

from __future__ import annotations

from typing import assert_never

from ...model import EVEN, Favour, Field, Present, TypeName
from ...model.literals import Value
from ...model.problems import about, plural
from ...plan import fields as f
from ...plan import reference_ways as r
from ...plan.agreement import Agreement, CandidateFilter
from ...plan.cohorts import amount
from ...plan.entity import EntityPlan
from ...plan.fillers import CohortFacts, Demanded, FieldFacts, Filler, ForPartialRule, InCohort, Override, ReferenceFacts
from ...plan.references import ReferencePlan
from ...plan.stages import StagedWay
from .presence import USUAL_SHARE

_SHOWN = 6  # of many values or weights so many are named


def filler_in_words(entity_plan: EntityPlan, column: str) -> str | None:
    """How a column is filled; None where nothing fills it."""
    filler = entity_plan.fillers.get(column)
    return _filler(entity_plan, filler) if filler is not None else None


def _filler(entity_plan: EntityPlan, filler: Filler) -> str:
    match filler.how:
        case ReferenceFacts(relation=relation, target=target):
            text = f"{target}: {reference_in_words(entity_plan, entity_plan.references[relation])}"
        case CohortFacts(cohort=cohort):
            text = f"whether a row is one of {cohort}"
        case FieldFacts() as facts:
            text = _field(facts)
    return "; ".join([text, *(_override(entity_plan, override) for override in filler.overrides)])


def _override(entity_plan: EntityPlan, override: Override) -> str:
    match override:
        case InCohort(cohort=cohort, filler=filler):
            return f"in {cohort}: {_filler(entity_plan, filler)}"
        case Demanded(rows=rows, relation=relation):
            where = relation.where.expression if relation.where is not None else ""
            return f"{plural(rows, 'row')} where {where}, for {relation.label}"
        case ForPartialRule(where=where, role="never, beside earlier rows"):
            return f"where not {where}, since rows of an earlier stage may be so"
        case ForPartialRule(where=where, role="in the first"):
            return f"where {where} in the first"
        case ForPartialRule(where=where, columns=columns):
            return f"where {where} in only one row with the same {', '.join(columns)}"


def _field(facts: FieldFacts) -> str:
    plan = facts.plan
    text = way_of_field(plan)
    if plan.field.limits.casing is not None:
        text += f", in {plan.field.limits.casing} case"
    if plan.cell_bounds:
        text += "; " + ", ".join(_bound(plan.field, bound) for bound in plan.cell_bounds)
    if facts.present is not None:
        text += f"; {present_in_words(facts.present)}"
    return text + (", with one null at most in each group" if facts.one_null else "")


def way_of_field(plan: f.FieldPlan) -> str:
    """The way in which a field is filled, without what other cells and nulls make of it."""
    text = _way(plan)
    return f"{text}; {plan.room.because}" if plan.room is not None else text


def _way(plan: f.FieldPlan) -> str:
    said = "the world file says so" if plan.field.guess is None else f"guessed from {plan.field.guess.reason}"
    match plan.way:
        case f.Counting():
            return "counts up"
        case f.Constant(value=value, said=True):
            text = getattr(plan.field.source, "value", value.as_py())
            return f"always {text}"
        case f.Constant():
            return "an empty array" if plan.field.type.name is TypeName.ARRAY else "an empty object"
        case f.Spaced(every=every):
            return f"every {every}, from the window's first moment"
        case f.Computed(formula=formula):
            return f"computed: {formula.expression.text}"
        case f.Cases(cases=cases):
            parts = [(formula.expression.text if formula else None, way_of_field(case)) for formula, case in cases]
            texts = [f"where {when}, {text}" if when is not None else f"else {text}" for when, text in parts]
            return "; ".join(texts).removesuffix(", the world file says so")
        case f.Shaped(shape=shape):
            return f"{shape}, {said}"
        case f.Drawn(of=of):
            return _drawn(plan.field, of, said)
        case f.OfPerson(kind=kind) | f.Converted(kind=kind):
            return f"{kind}, {said}"
        case f.FromReference():
            return "follows its reference"
        case f.Walked(role=role, of=of_entity):
            texts_by_role = {
                "last state": f"the last state in its {of_entity}", "state": f"a state of its {of_entity}, by its steps",
                "moment": "when the state began", "state before": "the state before",
            }  # fmt: skip
            return texts_by_role[role]
        case f.Impossible():
            return "impossible"
        case way:
            assert_never(way)


def _drawn(field: Field, of: f.DrawnFrom, said: str) -> str:
    match of:
        case f.OfKind(kind=kind, by_type=by_type):
            return f"{kind}, {'by its type' if by_type else said}"
        case f.OneOf(values=values):
            return _among(values)
        case f.ByWeight(weights=weights):
            return f"by weight: {_shown([f'{value} {weight:g}' for value, weight in weights])}"
        case f.Matching(pattern=pattern):
            return f"matches {pattern}"
        case f.Even():
            return f"even, {said}"
        case f.RankWithinOwner(low=low):
            return f"counts up from {low} among the rows of its owner"
        case f.OfType(known=False):
            return f"a text, since nothing is known of the type {field.type}"
        case f.OfType():
            plain = {TypeName.BYTEA: "bytes", TypeName.BIT: "bits"}
            return plain.get(field.type.name, f"as {field.type} is written")


def _among(values: tuple[Value, ...]) -> str:
    return f"always {values[0]!s}" if len(values) == 1 else f"one of {_shown(list(map(str, values)))}"


def _shown(texts: list[str]) -> str:
    return ", ".join(texts[:_SHOWN]) + (f" and {len(texts) - _SHOWN} more" if len(texts) > _SHOWN else "")


def _bound(field: Field, bound: f.CellBound) -> str:
    spans = [one.within for one in field.limits.bounds if one.path and one.within is not None]
    within = f" (within {spans[0]})" if bound.within is not None and spans else ""
    return ("before " if bound.upper else "after ") + ".".join(bound.path) + within


def present_in_words(present: Present) -> str:
    """In which rows a field or a reference has a value."""
    share = present.share if present.share is not None else USUAL_SHARE
    if present.when is None:
        return "always filled" if share >= 1 else f"filled in {share:.0%}".replace("%", " %")
    if present.share is None:
        return f"filled when {present.when}"
    return f"filled in {share * 100:.0f} % of rows where {present.when}"


# references


def reference_in_words(entity_plan: EntityPlan, reference: ReferencePlan) -> str:
    """How a reference finds its target, in all rows."""
    parts = [way_in_words(entity_plan, reference.way, reference.present)]
    parts += [f"in {one.cohort}: {way_in_words(entity_plan, one.way, one.present)}" for one in reference.cohorts]
    return "; ".join(parts) + (", another where a check fails" if reference.redrawn else "")


def way_in_words(entity_plan: EntityPlan, way: r.ReferenceWay, present: Present | None = None) -> str:
    """One way of finding a target, and in which rows."""
    text = _way_of_reference(entity_plan, way)
    return text if present is None else f"{text}, {present_in_words(present)}"


def _way_of_reference(entity_plan: EntityPlan, way: r.ReferenceWay) -> str:
    match way:
        case StagedWay(shown=shown):
            return _way_of_reference(entity_plan, shown)
        case r.ByOwner():
            return "the owner of these rows"
        case r.Precomputed():
            return "worked out beforehand with the rules it takes part in"
        case r.Nowhere(target=target, other=other):
            if target is None:
                return "impossible"
            return f"{target} has no rows" if other is None else f"{target} has no row but that of {other}"
        case r.Combination():
            return "each with each"
        case r.CombinationApart(other=other):
            return f"each but the {other}"
        case r.CombinationOfMembers(candidates=candidates):
            return f"each {_candidates(entity_plan, candidates)[4:]}"
        case r.OrderedDigit():
            return "each pair once, in the order of their keys"
        case r.ByDigit() | r.ThroughOwner():
            return "different in each row of its unique rule"
        case r.Stratum(candidates=candidates):
            agreeing = _candidates(entity_plan, candidates) if candidates is not None else "any"
            return f"{agreeing}, different in each row of its unique rule"
        case r.Linked(taking=favour):
            return f"any, each pair once; {_favour(favour, 'about ')}"
        case r.Implied(agreement=agreement):
            return _implied(entity_plan, agreement)
        case r.Member(candidates=candidates):
            return _candidates(entity_plan, candidates)
        case r.OfCohort(candidates=candidates):
            return f"any where {candidates.where.expression}" if candidates.where is not None else "any"
        case r.Itself():
            return _ITSELF
        case r.RowBefore():
            return "the row before"
        case r.EarlierRow(optional=optional, apart=apart):
            other_than = f" other than the {apart}" if apart is not None else ""
            return f"an earlier row{other_than}{'' if optional else '; the first, itself'}"
        case r.InTree(tree=tree):
            return f"a tree: {tree}"
        case r.OrderedPick(pair=pair, upper=upper):
            side, other = ("higher", pair.low) if upper else ("lower", pair.high)
            return f"any, the {side} of two keys, of which {other} has the other"
        case r.Unlike(other=other):
            return f"any but {other}"
        case r.Weighted(shown=shown_weights):
            return f"by weight: {_shown([f'{text} {weight:g}' for text, weight in shown_weights])}"
        case r.Picked():
            return _picked(way)
    raise LookupError(f"no words for {type(way).__name__}")


_ITSELF = "the row itself: any other way would be a circle"


def _picked(way: r.Picked) -> str:
    if way.cohorts:
        said = "; ".join(f"{amount(count)} for each row of {cohort}" for cohort, count in way.cohorts)
        share = "" if way.taking == EVEN else f", {_favour(way.taking)}"
        return f"{said}; any other shares what is left{share}"
    if (limits := way.limits) is not None:
        none = f", {limits.none:.0%} with none" if limits.none else ""
        return f"any; {limits.least} to {limits.most} for each {limits.target}, {about(limits.mean)} on average{none}"
    return "any, evenly" if way.taking == EVEN else f"any; {_favour(way.taking)}"


def _favour(favour: Favour, about_: str = "") -> str:
    return "evenly" if favour == EVEN else f"{favour.few:.0%} of them take {about_}{favour.take:.0%}"


def _implied(entity_plan: EntityPlan, agreement: Agreement) -> str:
    leader = entity_plan.name if agreement.leader is None else entity_plan.entity.relation(agreement.leader).target
    return f"the one to which its {leader} {'refers' if len(agreement.from_leader) == 1 else 'leads'}"


def _candidates(entity_plan: EntityPlan, candidates: CandidateFilter) -> str:
    if candidates.chain and not candidates.optional:
        return _ITSELF
    said = [f"with the same {agreement.column}" for agreement in candidates.agreements if agreement.column is not None]
    said += [f"of the same {agreement.ancestor}" for agreement in candidates.agreements if agreement.column is None]
    said += [f"other than the {candidates.apart}"] if candidates.apart is not None else []
    said += [f"where {candidates.where.expression}"] if candidates.where is not None else []
    for follower in candidates.followers:
        said.append(f"that leaves a choice of {entity_plan.entity.relation(follower).target}")
    start = "any"
    if candidates.chain:
        start = "the row before,"
    elif candidates.tree is not None:
        start = "a tree"
    elif candidates.earlier:
        start = "an earlier row"
    return f"{start} {' and '.join(said)}" + (f": {candidates.tree}" if candidates.tree is not None else "")
