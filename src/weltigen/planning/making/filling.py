"""Pass: one filler for each column, chosen once; some rows are filled otherwise, by cohort, by demand, or for a rule's sake."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ...expression.meaning import as_type
from ...model import Field, KindSource, Problem, Relation
from ...model.changing import changed
from ...model.fields import Casing
from ...plan.entity import EntityPlan
from ...plan.fields import Computed, Constant, Counting, FieldPlan, OfPerson, Spaced
from ...plan.fillers import CohortFacts, Demanded, FieldFacts, Fill, Filler, InCohort, InLanguage, Override, ReferenceFacts
from ...plan.keys import find_key
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits, ExactSubset
from ...values import get_kind
from ...values.pools import one_array, picked
from ..knowledge.presence import USUAL, presence
from .between import may_be_missing, may_lack_room
from .demanding import conditional, demands_on
from .disturbing import disturbed
from .filling_case import in_case
from .languages import in_other_languages, spoken_in
from .masking import but_the_first, fixed_over, given_over, nulls_count, sometimes
from .namesakes import apart_from_given
from .partial import conditional_parts
from .walking import walking_fillers
from .ways import filling_of


def choose_fillers(plan: Plan) -> Plan:
    conditions = conditional(plan.world)
    filled: list[EntityPlan] = []
    problems: list[Problem] = []
    notes = list(plan.notes)
    for name in plan.order:
        entity_plan = plan.entities[name]
        fillers = _usual(plan, entity_plan)
        if plan.world.languages:
            _by_language(plan, entity_plan, fillers)
        for cohort, one in entity_plan.cohorts.items():
            fillers[cohort] = Filler(fill=_belonging(one.subset), how=CohortFacts(cohort=cohort), cheap=True)
            for field, own in one.fields.items():
                filler = _filler(plan, entity_plan, own)
                override = InCohort(cohort=cohort, filler=filler)
                fillers[field] = _overridden(fillers[field], filler, _members(one.subset), override)
        for demand in demands_on(plan, entity_plan, conditions.get(name, [])):
            demanded = Demanded(rows=demand.subset.rows, relation=demand.relation)
            for field, narrow in demand.fields.items():
                filler = _filler(plan, entity_plan, narrow)
                fillers[field] = _overridden(fillers[field], filler, _members(demand.subset), demanded)
        _for_partial_rules(plan, entity_plan, fillers, problems, notes)
        filled.append(changed(entity_plan, fillers=fillers))
    return replace(plan, notes=tuple(notes)).with_entities(filled).with_problems(problems)


def _usual(plan: Plan, entity_plan: EntityPlan) -> dict[str, Filler]:
    """The filler of each column, as most rows have it."""
    fillers: dict[str, Filler] = {}
    for relation in _in_order(entity_plan):
        for column, target_column in zip(relation.columns, relation.target_columns, strict=True):
            if column not in fillers:  # an earlier reference brings it, and this one agrees
                fillers[column] = _referring(plan, entity_plan, relation, column, target_column)
    for field_plan in entity_plan.fields.values():
        if field_plan.field.name not in fillers:
            fillers[field_plan.field.name] = _filler(plan, entity_plan, field_plan)
    return fillers | walking_fillers(plan, entity_plan)


def _by_language(plan: Plan, entity_plan: EntityPlan, fillers: dict[str, Filler]) -> None:
    """Each row in its own language: the usual fillers are of the world's first."""
    spoken = spoken_in(plan, entity_plan)
    others: dict[str, dict[int, Filler]] = {}
    for number, own in in_other_languages(plan, entity_plan):
        others.setdefault(own.field.name, {})[number] = _filler(plan, entity_plan, own)
    told = InLanguage(languages=tuple(tag for tag, _ in plan.world.languages))
    for name, by_number in others.items():
        usual = fillers[name]
        each = [by_number.get(number, usual) for number in range(len(plan.world.languages))]
        needs = dict.fromkeys((*spoken.needs, *(cell for one in each for cell in one.needs)))
        fillers[name] = Filler(fill=_spoken(spoken.which, each), how=usual.how, needs=tuple(needs), overrides=(told,))


def _spoken(which: Callable[[RowsPort], NDArray[np.int64]], each: list[Filler]) -> Fill:
    def fill(rows: RowsPort) -> Any:
        spoken = rows.once(("language",), lambda: which(rows))
        pieces, index, size = [], np.zeros(len(rows), np.int64), 0
        for number, filler in enumerate(each):
            chosen = np.flatnonzero(spoken == number)
            if chosen.size == len(rows):
                return filler.fill(rows)
            if chosen.size:
                # the same rows for every field, so that what they share is worked out once
                some = rows.once(("in language", number), lambda chosen=chosen: rows.some(chosen))  # type: ignore[misc]
                pieces.append(one_array(filler.fill(some)))
                index[chosen] = size + np.arange(chosen.size)
                size += chosen.size
        return picked(pa.concat_arrays(pieces), index) if pieces else each[0].fill(rows)

    return fill


def _for_partial_rules(
    plan: Plan, entity_plan: EntityPlan, fillers: dict[str, Filler], problems: list[Problem], notes: list[str]
) -> None:
    """Values that unique rules over some of the rows leave."""
    decided: set[str] = set()
    for reduced in entity_plan.conditional:
        exemptions, trouble, told = conditional_parts(plan, entity_plan, reduced)
        problems += trouble
        notes += told
        others = set(decided)
        for one in exemptions:
            if one.wished and set(one.fields) & others:
                continue  # another rule decides these in the same rows
            decided |= set(one.fields)
            for field, own in one.fields.items():
                fillers[field] = _overridden(fillers[field], _filler(plan, entity_plan, own), one.chosen, one.why)


def _in_order(entity_plan: EntityPlan) -> list[Relation]:
    """References in the order in which they bring columns that they share."""
    return [entity_plan.entity.relation(name) for name in entity_plan.reference_order]


def _referring(plan: Plan, entity_plan: EntityPlan, relation: Relation, column: str, target_column: str) -> Filler:
    name, target = relation.name, relation.target
    arrow = entity_plan.entity.field(column).type.arrow()
    how = ReferenceFacts(relation=name, target=target)
    if plan.entities[target].total == 0:
        return Filler(fill=lambda rows: pa.nulls(len(rows), arrow), how=how)

    def fill(rows: RowsPort) -> Any:
        reached = rows.reach(name, (target_column,))
        return reached if reached.type == arrow else as_type(reached, arrow)

    made = (
        given_over(entity_plan, entity_plan.entity.field(column), fill) if _leads_nowhere(plan, entity_plan, relation) else fill
    )
    return Filler(fill=made, how=how, needs=((target, target_column), *entity_plan.references[name].needs))


def _leads_nowhere(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> bool:
    """Whether a fixed row gives something to a reference that is no key, so that it stands as it is given."""
    for row in entity_plan.entity.fixed:
        texts = [text for column, text in row if column in relation.columns]
        there = tuple(text for text in texts if text is not None)
        if there and (len(there) < len(relation.columns) or find_key(plan, relation, there) == -2):
            return True
    return False


def _filler(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan) -> Filler:
    field = field_plan.field
    made = filling_of(plan, entity_plan, field_plan, Bits(plan.stage_seed, entity_plan.name, drawn_as(field)))
    fill, needs, cheap, how = made.fill, made.needs, made.cheap, FieldFacts(plan=field_plan)
    if field.limits.casing is not None:
        fill, cheap = _in_case(fill, field.limits.casing), False
    if field.nullable and not _always_there(entity_plan, field_plan):
        present = field.present or USUAL
        is_there, more = presence(plan, entity_plan, field.name, present)
        one_null = nulls_count(entity_plan, field.name)
        if one_null:
            is_there = but_the_first(entity_plan, field.name, is_there)
        fill, needs = sometimes(fill, is_there, field.type.arrow()), (*needs, *more)
        gives_way = may_lack_room(field_plan) and may_be_missing(entity_plan, field)
        how = FieldFacts(plan=field_plan, present=present, one_null=one_null, gives_way=gives_way)
    if isinstance(field_plan.way, OfPerson):
        fill = apart_from_given(entity_plan, field_plan, field_plan.way, fill)
    undisturbed, fill = fill, disturbed(plan, entity_plan, field_plan, fill)
    cheap = cheap and fill is undisturbed and not entity_plan.fixed
    return Filler(fill=fixed_over(entity_plan, field_plan, fill), how=how, needs=needs, cheap=cheap)


def drawn_as(field: Field) -> str:
    """The name under which a field is drawn: kinds that belong together in a row are drawn under one."""
    told = dict(field.source.parameters) if isinstance(field.source, KindSource) else {}
    row = told.get("row", "" if "part" in told else None)
    if isinstance(field.source, KindSource) and row is not None:
        return f" {get_kind(field.source.kind).row or field.source.kind} {row}"
    return field.name


def _always_there(entity_plan: EntityPlan, field_plan: FieldPlan) -> bool:
    """Whether a field that may be null never is."""
    name, present = field_plan.field.name, field_plan.field.present
    match field_plan.way:
        case Counting() | Spaced():
            return True
        case Constant() | Computed() if present is None:
            return True
    if any(digit.null and digit.name == name for one in entity_plan.components for petal in one.petals for digit in petal):
        return True
    if any(name in reduced.always for reduced in entity_plan.reduced):
        return True
    precomputed = entity_plan.precomputed
    return precomputed is not None and any(d.name == name for d in precomputed.fields) and nulls_count(entity_plan, name)


def _members(subset: ExactSubset) -> Callable[[RowsPort], NDArray[np.bool_]]:
    key = ("dealt", subset.key, subset.first, subset.rows)
    return lambda rows: rows.once(key, lambda: subset.chosen(rows.ordinals))


def _belonging(subset: ExactSubset) -> Fill:
    chosen = _members(subset)
    return lambda rows: pa.array(chosen(rows))


def _overridden(usual: Filler, own: Filler, which: Callable[[RowsPort], NDArray[np.bool_]], why: Override) -> Filler:
    """Some rows are filled in a way of their own."""

    def fill(rows: RowsPort) -> Any:
        made = one_array(usual.fill(rows))
        chosen = np.flatnonzero(which(rows))
        if not chosen.size:
            return made
        index = np.arange(len(rows))
        index[chosen] = len(rows) + np.arange(chosen.size)
        return picked(pa.concat_arrays([made, one_array(own.fill(rows.some(chosen)))]), index)

    return Filler(fill=fill, how=usual.how, needs=(*usual.needs, *own.needs), overrides=(*usual.overrides, why))


def _in_case(fill: Fill, casing: Casing) -> Fill:
    change = in_case(casing)
    return lambda rows: change(fill(rows))
