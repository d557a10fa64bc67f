"""The facts of a plan in words: how a column is filled, how a reference finds its target."""

from __future__ import annotations

from typing import assert_never

from ...model import Field, KindSource, Present, TypeName
from ...model.fields import MASK
from ...model.literals import Value
from ...model.phrases import listed, plural
from ...plan import fields as f
from ...plan.entity import EntityPlan
from ...plan.fillers import (
    CohortFacts,
    Demanded,
    FieldFacts,
    Filler,
    ForPartialRule,
    InCohort,
    InLanguage,
    Override,
    ReferenceFacts,
)
from ...plan.references import ReferencePlan
from ...plan.ways.way import ReferenceWay
from ..knowledge.presence import USUAL_SHARE


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
        case InLanguage(languages=languages):
            return f"each row in one of {listed(languages)}"
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
    if plan.field.follows:
        text += f"; follows {', '.join(f'{one.field} {one.correlation:g}' for one in plan.field.follows)}"
    if facts.present is not None:
        text += f"; {present_in_words(facts.present)}" + (", and null where these leave no room" if facts.gives_way else "")
    if (made := plan.field.disturbed) is not None:
        for share, what in ((made.noise, "mistyped"), (made.extremes, "at an end of what is allowed")):
            text += f"; {share * 100:g} % {what}" if share else ""
    return text + (", with one null at most in each group" if facts.one_null else "")


def way_of_field(plan: f.FieldPlan) -> str:
    """The way in which a field is filled, without what other cells and nulls make of it."""
    text = _way(plan)
    return f"{text}; {plan.room.because}" if plan.room is not None else text


def _way(plan: f.FieldPlan) -> str:
    said = "set in the world file" if plan.field.guess is None else f"guessed from {plan.field.guess.reason}"
    match plan.way:
        case f.Counting(step=step, numbers=numbers):
            text = "counts up" if step == 1 else f"counts up in steps of {step}"
            if plan.field.numbering is not None:
                start, left_out = plan.field.numbering.start, plan.field.numbering.gaps
                text += (f" from {start}" if start is not None else "") + (
                    f", {left_out:.0%} of the numbers left out" if left_out else ""
                )
            return text if numbers is None else f"{text}, over numbers that keep its limits"
        case f.Constant(value=value, said=True):
            text = MASK if plan.field.secret else getattr(plan.field.source, "value", value.as_py())
            return f"always {text}"
        case f.Constant():
            return "an empty array" if plan.field.type.name is TypeName.ARRAY else "an empty object"
        case f.Spaced(every=every):
            return f"every {every}, from the window's first moment"
        case f.Computed(formula=formula):
            return f"computed: {formula.expression.text}"
        case f.Cases(cases=cases):
            parts = [(formula.expression.text if formula else None, _of_case(case, said)) for formula, case in cases]
            texts = [f"where {when}, {text}" if when is not None else f"else {text}" for when, text in parts]
            return "; ".join(texts) + (f"; {said}" if plan.field.guess is not None else "")
        case f.Shaped(shape=shape):
            return f"{shape}, {said}"
        case f.Drawn(of=f.ByWeight(weights=weights) as of, values=values) if values.space > len(weights):
            return f"{_drawn(plan.field, of, said)}; with numbers behind them, since they must differ"
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


def _of_case(case: f.FieldPlan, said: str) -> str:
    """One case of several, between which numbers where its kind is said with them."""
    source = case.field.source
    told = dict(source.parameters) if isinstance(source, KindSource) else {}
    ends = f" {told['from']} to {told['to']}" if "from" in told and "to" in told else ""
    return way_of_field(case).removesuffix(f", {said}") + ends


def _drawn(field: Field, of: f.DrawnFrom, said: str) -> str:
    match of:
        case f.OfKind(kind=kind, by_type=by_type):
            return f"{kind}, {'by its type' if by_type else said}"
        case f.OneOf(values=values):
            return _among(values)
        case f.ByWeight(weights=weights):
            return f"by weight: {listed([f'{value} {weight:g}' for value, weight in weights])}"
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
    return f"always {values[0]!s}" if len(values) == 1 else f"one of {listed(list(map(str, values)))}"


def _bound(field: Field, bound: f.CellBound) -> str:
    spans = [one for one in field.limits.bounds if one.path and one.within is not None]
    usual = f", usually {spans[0].usually}" if spans and spans[0].usually is not None else ""
    within = f" (within {spans[0].within}{usual})" if bound.within is not None and spans else ""
    return ("before " if bound.upper else "after ") + ".".join(bound.path) + within


def present_in_words(present: Present) -> str:
    """In which rows a field or a reference has a value."""
    share = present.share if present.share is not None else USUAL_SHARE
    if present.when is None:
        return "always filled" if share >= 1 else f"filled in {share:.0%}"
    if present.share is None:
        return f"filled when {present.when}"
    return f"filled in {share:.0%} of rows where {present.when}"


# references
def reference_in_words(entity_plan: EntityPlan, reference: ReferencePlan) -> str:
    """How a reference finds its target, in all rows."""
    parts = [way_in_words(entity_plan, reference.way, reference.present)]
    parts += [f"in {one.cohort}: {way_in_words(entity_plan, one.way, one.present)}" for one in reference.cohorts]
    return "; ".join(parts) + (f", {reference.redrawn} where a check fails" if reference.redrawn else "")


def way_in_words(entity_plan: EntityPlan, way: ReferenceWay, present: Present | None = None) -> str:
    """One way of finding a target, and in which rows."""
    text = way.explained(entity_plan.entity)
    return text if present is None else f"{text}, {present_in_words(present)}"
