"""Pass: one filler for each field, chosen once; what it does to rows has no branch on declarations."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ...model import Field, Present, Problem, Relation
from ...model.fields import Casing
from ...model.literals import read_stored
from ...model.paths import Cell, path_cells
from ...model.problems import plural
from ...plan.entity import EntityPlan, Filler
from ...plan.fields import FieldPlan, Moving
from ...plan.folding import fold_in_rules, folded_column
from ...plan.keys import counting_base
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits, ExactSubset
from ...randomness.mixing import below
from ...randomness.quantiles import Table, look_up
from ...values import Axis, FromText, PersonPart, Values
from ..knowledge.presence import USUAL_SHARE, presence
from ..knowledge.settled import digit_of
from .between import WordSource, between
from .computing import working_out
from .demanding import conditional, demands_on
from .dependence import word_source
from .partial import conditional_parts
from .walking import walking_fillers

Fill = Callable[[RowsPort], Any]
_WORTH_MASKING = 0.6  # from this share on, making all values and masking some is cheaper than scattering


def choose_fillers(plan: Plan) -> Plan:
    conditions = conditional(plan.world)
    filled: list[EntityPlan] = []
    problems: list[Problem] = []
    notes = list(plan.notes)
    for name in plan.order:
        entity_plan = plan.entities[name]
        fillers: dict[str, Filler] = {}
        for relation in _in_order(entity_plan):
            reference = entity_plan.references[relation.name]
            for column, target_column in zip(relation.columns, relation.target_columns, strict=True):
                if column in fillers:
                    continue  # an earlier reference brings it, and this one agrees
                fillers[column] = _referring(plan, entity_plan, relation.name, column, target_column, reference.because)
        for field_plan in entity_plan.fields.values():
            if field_plan.field.name not in fillers:
                fillers[field_plan.field.name] = _filler(plan, entity_plan, field_plan)
        fillers.update(walking_fillers(plan, entity_plan))
        for called, one in entity_plan.cohorts.items():
            fillers[called] = Filler(fill=_belonging(one.subset), because=f"whether a row is one of {called}", cheap=True)
            for field, own in one.fields.items():
                filler, usual = _filler(plan, entity_plan, own), fillers[field]
                said = f"{usual.because}; in {called}: {filler.because}"
                fillers[field] = _instead(usual, filler, partial(_dealt, one.subset), said)
        for demand in demands_on(plan, entity_plan, conditions.get(name, [])):
            where = demand.relation.where.expression if demand.relation.where is not None else ""
            said = f"{plural(demand.subset.rows, 'row')} where {where}, for {demand.relation.label}"
            for field, narrow in demand.fields.items():
                filler, usual = _filler(plan, entity_plan, narrow), fillers[field]
                fillers[field] = _instead(usual, filler, partial(_dealt, demand.subset), f"{usual.because}; {said}")
        decided: set[str] = set()
        for reduced in entity_plan.conditional:
            parts, trouble, told = conditional_parts(plan, entity_plan, reduced)
            problems += trouble
            notes += told
            others = set(decided)
            for part in parts:
                if part.wished and set(part.fields) & others:
                    continue  # another rule decides these in the same rows
                decided |= set(part.fields)
                for field, own in part.fields.items():
                    filler, usual = _filler(plan, entity_plan, own), fillers[field]
                    fillers[field] = _instead(usual, filler, part.chosen, f"{usual.because}; {part.because}")
        filled.append(replace(entity_plan, fillers=fillers))
    return replace(plan, notes=tuple(notes)).with_entities(filled).with_problems(problems)


def _in_order(entity_plan: EntityPlan) -> list[Relation]:
    """References in the order in which they bring columns that they share."""
    return [entity_plan.entity.relation(name) for name in entity_plan.reference_order]


def _referring(plan: Plan, entity_plan: EntityPlan, relation: str, column: str, target_column: str, because: str) -> Filler:
    reference = entity_plan.references[relation]
    target = reference.relation.target
    arrow = entity_plan.entity.field(column).type.arrow()
    if plan.entities[target].total == 0:
        return Filler(fill=lambda rows: pa.nulls(len(rows), arrow), because=f"{target}: {because}")

    def fill(rows: RowsPort) -> Any:
        reached = rows.reach(relation, (target_column,))
        return reached if reached.type == arrow else reached.cast(arrow)

    return Filler(fill=fill, because=f"{target}: {because}", needs=((target, target_column), *reference.needs))


def _filler(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan) -> Filler:
    field = field_plan.field
    bits = Bits(plan.stage_seed, entity_plan.name, field.name)
    fill, needs, cheap = _values(plan, entity_plan, field_plan, bits)
    because = field_plan.because
    if field.limits.casing is not None:
        fill, because, cheap = _in_case(fill, field.limits.casing), f"{because}, in {field.limits.casing} case", False
    if field_plan.moving:
        because += "; " + ", ".join(_said(field, moving) for moving in field_plan.moving)
    said_whole = field_plan.constant is not None or field_plan.computed is not None
    always = field_plan.counts_up or field_plan.spaced is not None or (said_whole and field.present is None)
    always |= any(d.null and d.name == field.name for c in entity_plan.components for petal in c.petals for d in petal)
    always |= any(field.name in reduced.always for reduced in entity_plan.reduced)
    precomputed = entity_plan.precomputed is not None and any(
        digit.name == field.name for digit in entity_plan.precomputed.fields
    )
    always |= precomputed and _nulls_count(entity_plan, field.name)
    if field.nullable and not always:
        is_there, said, more = presence(plan, entity_plan, field.name, field.present or Present(share=USUAL_SHARE))
        if _nulls_count(entity_plan, field.name):
            is_there, said = _but_the_first(entity_plan, field.name, is_there), f"{said}, but for one null at most in each group"
        fill, because, needs = _sometimes(fill, is_there, field.type.arrow()), f"{because}; {said}", (*needs, *more)
    fill = _fixed_over(entity_plan, field_plan, fill)
    return Filler(fill=fill, because=because, needs=needs, cheap=cheap and not entity_plan.fixed)


def _dealt(dealt: ExactSubset, rows: RowsPort) -> NDArray[np.bool_]:
    return rows.once(("dealt", dealt.key, dealt.first, dealt.rows), lambda: dealt.chosen(rows.ordinals))


def _nulls_count(entity_plan: EntityPlan, name: str) -> bool:
    """Whether a unique rule takes nulls for equal."""
    rules = (*entity_plan.entity.unique_rules, *(reduced.rule for reduced in entity_plan.reduced))
    return any(not rule.nulls_distinct and name in rule.columns for rule in rules)


def _but_the_first(entity_plan: EntityPlan, name: str, is_there: Callable[[RowsPort], Any]) -> Callable[[RowsPort], Any]:
    """Only the first row of each group may lack a value."""
    number = digit_of(entity_plan, name, relation=False)
    component = entity_plan.components[number] if number is not None else None
    if (
        component is None or component.core or component.ancestors or component.position_offset
    ):  # an earlier stage may have the null
        return lambda rows: np.ones(len(rows), bool)
    if component.within_owner:
        return lambda rows: (rows.owners()[1] != 0) | is_there(rows)
    return lambda rows: (rows.ordinals != entity_plan.fixed) | is_there(rows)


def _belonging(dealt: ExactSubset) -> Fill:
    return lambda rows: pa.array(_dealt(dealt, rows))


def _instead(usual: Filler, own: Filler, which: Callable[[RowsPort], Any], because: str) -> Filler:
    """Some rows are filled in a way of their own."""

    def fill(rows: RowsPort) -> Any:
        made = _one_array(usual.fill(rows))
        chosen = np.flatnonzero(which(rows))
        if not chosen.size:
            return made
        index = np.arange(len(rows))
        index[chosen] = len(rows) + np.arange(chosen.size)
        return pa.concat_arrays([made, _one_array(own.fill(rows.some(chosen)))]).take(pa.array(index))

    return Filler(fill=fill, because=because, needs=(*usual.needs, *own.needs))


def _in_case(fill: Fill, casing: Casing) -> Fill:
    change = pc.utf8_lower if casing == "lower" else pc.utf8_upper
    return lambda rows: change(fill(rows))


def _said(field: Field, moving: Moving) -> str:
    spans = [bound.within for bound in field.limits.bounds if bound.path and bound.within is not None]
    within = f" (within {spans[0]})" if moving.within is not None and spans else ""
    return ("before " if moving.upper else "after ") + ".".join(moving.path) + within


def _values(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, bits: Bits) -> tuple[Fill, tuple[Cell, ...], bool]:
    field, prepared = field_plan.field, field_plan.prepared
    if field_plan.counts_up and field_plan.axis is not None:
        base, axis = counting_base(entity_plan, field.name), field_plan.axis
        return (lambda rows: axis.column(rows.ordinals + base)), (), True
    if field_plan.spaced is not None and field_plan.axis is not None:
        (start, step), axis = field_plan.spaced, field_plan.axis
        return (lambda rows: axis.column(start + rows.owners()[1] * step)), (), False
    if field_plan.computed is not None:
        return working_out(entity_plan.name, field_plan), field_plan.computed.needs, False
    if field_plan.cases:
        return _by_case(plan, entity_plan, field_plan, bits)
    if field_plan.constant is not None or prepared is None:
        constant = field_plan.constant if field_plan.constant is not None else pa.scalar(None, field.type.arrow())
        return (lambda rows: pa.repeat(constant, len(rows))), (), True
    match prepared:
        case PersonPart(decode=read):
            people = entity_plan.people
            return (lambda rows: read(people, rows.person())), (), False
        case FromText(field=source, convert=convert):
            return (lambda rows: convert(rows.column(source))), ((entity_plan.name, source),), False
        case Values():
            pass
    if field_plan.moving and field_plan.axis is not None:
        needs = tuple(cell for m in field_plan.moving for cell in path_cells(plan.world, entity_plan.entity, m.path))
        words, more = word_source(entity_plan, field, bits)
        return between(plan, entity_plan, field_plan, field_plan.axis, words), (*needs, *more), False
    if entity_plan.precomputed is not None and any(digit.name == field.name for digit in entity_plan.precomputed.fields):
        return _worked_out(field.name, prepared), (), False
    number = digit_of(entity_plan, field.name, relation=False)
    if number is not None:
        return _digit(plan, entity_plan, field_plan, prepared, number), (), False
    words, follows = word_source(entity_plan, field, bits)
    if field_plan.shape is not None and field_plan.axis is not None:
        return _shaped(field_plan, field_plan.axis, field_plan.shape, words), follows, False
    if prepared.rising and field.follows is None:
        return _rising(prepared, entity_plan.total, bits), (), False
    return _drawn(prepared, words), follows, False


def _by_case(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, bits: Bits) -> tuple[Fill, tuple[Cell, ...], bool]:
    """Each row by the first case whose condition it keeps; null where it keeps none."""
    made = [(formula, *_values(plan, entity_plan, narrow, bits)) for formula, narrow in field_plan.cases]
    needs = [cell for formula, _, more, _ in made for cell in (*(formula.needs if formula is not None else ()), *more)]
    arrow = field_plan.field.type.arrow()

    def fill(rows: RowsPort) -> Any:
        left = np.ones(len(rows), bool)
        pieces, index = [pa.nulls(1, arrow)], np.zeros(len(rows), np.int64)
        size = 1
        for formula, values, _, _ in made:
            chosen = np.flatnonzero(left & formula.truth(rows, earlier=True) if formula is not None else left)
            if not chosen.size:
                continue
            left[chosen] = False
            pieces.append(_one_array(values(rows if chosen.size == len(rows) else rows.some(chosen))))
            index[chosen] = size + np.arange(chosen.size)
            size += chosen.size
        return pa.concat_arrays(pieces).take(pa.array(index))

    return fill, tuple(dict.fromkeys(needs)), False


def _worked_out(name: str, values: Values) -> Fill:
    return lambda rows: values.decode(rows.runtime.choices(rows.name).positions[name][rows.ordinals])


def _drawn(values: Values, words: WordSource) -> Fill:
    space, decode, draw = values.space, values.decode, values.draw
    if draw is not None:
        return lambda rows: decode(draw(words(rows)))
    return lambda rows: decode(below(words(rows), space))


def _rising(values: Values, total: int, bits: Bits) -> Fill:
    """Row o of n falls into the o-th of n equal parts of the space."""
    space = values.space
    total = max(1, total)

    def fill(rows: RowsPort) -> Any:
        at = (rows.ordinals + bits.unit(rows.ordinals)) / total
        return values.decode(np.minimum((at * space).astype(np.uint64), np.uint64(space - 1)))

    return fill


def _digit(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, values: Values, number: int) -> Fill:
    """A position of a unique rule; a value that a fixed row was given already is exchanged for the one at that row's position.

    A fixed row with a given value does not use the value of its own position, so no room is lost; the exchange goes on
    while it meets another given value, and stays one to one.
    """
    name, arrow = field_plan.field.name, field_plan.field.type.arrow()
    component = entity_plan.components[number]
    first = entity_plan.origin if component.position_offset and entity_plan.origin is not None else entity_plan
    texts = [dict(row).get(name) for row in first.entity.fixed]
    giving = np.flatnonzero([text is not None for text in texts])

    rounded, axis, high = field_plan.rounded, field_plan.axis, field_plan.high
    null = any(digit.null and digit.name == name for petal in component.petals for digit in petal)
    within = Bits(component.bits.seed, entity_plan.name, name, "within")

    def fill(rows: RowsPort) -> Any:
        position = rows.digit(number, name)
        if null:
            there = position < np.uint64(values.space)
            return mask_out(values.decode(np.where(there, position, np.uint64(0))), there)
        column = values.decode(position)
        if rounded > 1 and axis is not None:
            units = axis.read(column) + within.below(rounded, rows.ordinals).astype(np.int64)
            column = axis.column(units if high is None else np.minimum(units, high))
        return column

    alone = [petal for petal in component.petals if len(petal) == 1 and petal[0].name == name]
    if not giving.size or not alone or component.core or component.within_owner:
        return fill
    taken = pa.array([read_stored(text, field_plan.field.type) for text in texts if text is not None], arrow)
    fold = fold_in_rules(plan, entity_plan, name)
    taken = folded_column(taken, fold)
    own = component.bits.for_purpose("petal 0").distinct(values.space, first.generated + giving)
    exchanged = values.decode(own)

    def avoiding(rows: RowsPort) -> Any:
        column = fill(rows)
        made = pa.array(~np.isin(rows.ordinals + component.position_offset, giving))
        for _ in range(len(taken) + 1):
            index = pc.index_in(folded_column(column, fold), value_set=taken)
            clash = pc.and_(pc.is_valid(index), made)
            if not pc.any(clash).as_py():
                break
            column = pc.if_else(clash, exchanged.take(index), column)
        return column

    return avoiding


def _shaped(field_plan: FieldPlan, axis: Axis, knots: Table, words: WordSource) -> Fill:
    step, low, high = field_plan.step, field_plan.low, field_plan.high
    least = -(-low // step) * step if low is not None else None
    most = high // step * step if high is not None else None

    def fill(rows: RowsPort) -> Any:
        units = np.rint(look_up(knots, words(rows)) / step).astype(np.int64)
        if step != 1:
            units *= step
        return axis.column(np.clip(units, least, most))

    return fill


def _sometimes(fill: Fill, is_there: Callable[[RowsPort], Any], arrow: Any) -> Fill:
    """Values where a row has one; where few have, no more than those are made."""

    def masked(rows: RowsPort) -> Any:
        there = is_there(rows)
        chosen = np.flatnonzero(there)
        if chosen.size == len(rows):
            return fill(rows)
        if chosen.size > _WORTH_MASKING * len(rows):
            return mask_out(fill(rows), there)
        if not chosen.size:
            return pa.nulls(len(rows), arrow)
        index = np.cumsum(there) - 1
        return _one_array(fill(rows.some(chosen))).take(pa.array(index, mask=~there))

    return masked


def _one_array(column: Any) -> Any:
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


def mask_out(column: Any, keep: NDArray[np.bool_]) -> Any:
    """The column with nulls where `keep` is false; shares its data buffers."""
    column = _one_array(column)
    if column.offset or column.type.num_fields:
        return pc.if_else(pa.array(keep), column, pa.scalar(None, column.type))
    there = pa.array(keep)
    if column.null_count:
        there = pc.and_(there, column.is_valid())
    buffers = column.buffers()
    return pa.Array.from_buffers(column.type, len(column), [there.buffers()[1], *buffers[1:]])


def _fixed_over(entity_plan: EntityPlan, field_plan: FieldPlan, fill: Fill) -> Fill:
    """Values given by hand take the place of made ones."""
    field = field_plan.field
    rows_given = [dict(row) for row in entity_plan.entity.fixed]
    if not any(field.name in row for row in rows_given):
        return fill
    literals = [read_stored(text, field.type) if (text := row.get(field.name)) is not None else None for row in rows_given]
    table = pa.array(literals, field.type.arrow())
    said = np.array([field.name in row for row in rows_given])

    def over(rows: RowsPort) -> Any:
        fixed = rows.ordinals < len(said)
        if not fixed.any():
            return fill(rows)
        index = np.where(fixed, rows.ordinals, 0)
        takes = pa.array(fixed & said[index])
        return pc.if_else(takes, table.take(pa.array(index)), fill(rows))

    return over
