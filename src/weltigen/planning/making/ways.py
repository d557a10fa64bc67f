"""One function for each way of filling a field; what it does to rows has no branch on declarations."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, assert_never

import numpy as np
import pyarrow as pa

from ...model.paths import Cell, path_cells
from ...plan.entity import EntityPlan
from ...plan.fields import (
    ByWeight,
    Cases,
    Computed,
    Constant,
    Converted,
    Counting,
    Drawn,
    FieldPlan,
    FromReference,
    Impossible,
    OfPerson,
    Shaped,
    Spaced,
    Walked,
)
from ...plan.fillers import Fill
from ...plan.keys import counted
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits
from ...randomness.bijection import shuffle
from ...randomness.mixing import below
from ...randomness.quantiles import look_up
from ...randomness.quota import FEW, Dealt
from ...values import Axis, Turn, Values
from ...values.pools import one_array, picked
from ..knowledge.settled import digit_of
from .between import WordSource, between, rising
from .computing import working_out
from .dependence import word_source
from .digit_values import digit_values
from .namesakes import following_names


@dataclass(frozen=True, slots=True)
class Filling:
    """A column of values for all rows, the cells it reads, and whether it is so cheap that no copy is worth keeping."""

    fill: Fill
    needs: tuple[Cell, ...] = ()
    cheap: bool = False


def filling_of(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, bits: Bits) -> Filling:
    """The values of a field, before any is left out for a null or given by hand."""
    field, axis, way = field_plan.field, field_plan.axis, field_plan.way
    match way:
        case Counting():
            assert axis is not None
            numbers = axis
            return Filling(lambda rows: numbers.column(counted(entity_plan, way, rows.ordinals)), cheap=True)
        case Spaced(start=start, step=step):
            assert axis is not None
            moments = axis
            return Filling(lambda rows: moments.column(start + rows.owners()[1] * step))
        case Computed(formula=formula):
            return Filling(working_out(entity_plan.name, field_plan, formula), formula.needs)
        case Cases():
            return _by_case(plan, entity_plan, field_plan, way, bits)
        case Constant(value=constant):
            return Filling(lambda rows: pa.repeat(constant, len(rows)), cheap=True)
        case FromReference() | Walked() | Impossible():  # what fills these stands elsewhere
            null = pa.scalar(None, field.type.arrow())
            return Filling(lambda rows: pa.repeat(null, len(rows)), cheap=True)
        case OfPerson(part=part):
            if (followed := following_names(entity_plan, field_plan, way)) is not None:
                return Filling(*followed)
            read, people = part.decode, entity_plan.people
            return Filling(lambda rows: read(people, rows.person()))
        case Converted():
            return _converted(plan, entity_plan, field_plan, way, bits)
        case Drawn() | Shaped():
            return _drawn(plan, entity_plan, field_plan, way, bits)
        case _:
            assert_never(way)


def _converted(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, way: Converted, bits: Bits) -> Filling:
    """Made from another cell, and from the row's number or a random word where these are wanted."""
    path, convert, first = way.path, way.of.convert, 1 + way.beyond
    needs = path_cells(plan.world, entity_plan.entity, path)
    if way.of.in_turn:
        second = path_cells(plan.world, entity_plan.entity, way.beside) if way.beside is not None else ()
        beside = way.beside

        def fill(rows: RowsPort) -> Any:
            more = () if beside is None else (rows.path(beside),)
            return convert(rows.path(path), Turn(*rows.owners()), *more)

        return Filling(fill, (*needs, *second))
    if way.of.numbered:
        return Filling(lambda rows: convert(rows.path(path), rows.ordinals + first), needs)
    if not way.of.drawn:
        return Filling(lambda rows: convert(rows.path(path)), needs)
    words, more = word_source(entity_plan, field_plan.field, bits)
    if (beside := way.beside) is None:
        return Filling(lambda rows: convert(rows.path(path), words(rows)), (*needs, *more))
    second = path_cells(plan.world, entity_plan.entity, beside)
    return Filling(lambda rows: convert(rows.path(path), words(rows), rows.path(beside)), (*needs, *second, *more))


def _drawn(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, way: Drawn | Shaped, bits: Bits) -> Filling:
    """Values between other cells, at positions that a rule deals, or each drawn for itself."""
    field, axis, values = field_plan.field, field_plan.axis, way.values
    if field_plan.cell_bounds and axis is not None:
        needs = tuple(cell for bound in field_plan.cell_bounds for cell in path_cells(plan.world, entity_plan.entity, bound.path))
        words, more = word_source(entity_plan, field, bits)
        return Filling(between(plan, entity_plan, field_plan, axis, words, bits), (*needs, *more))
    if isinstance(way, Drawn):
        if entity_plan.precomputed is not None and any(digit.name == field.name for digit in entity_plan.precomputed.fields):
            return Filling(_precomputed(field.name, values))
        if (number := digit_of(entity_plan, field.name, relation=False)) is not None:
            return Filling(digit_values(plan, entity_plan, field_plan, way, number))
    words, follows = word_source(entity_plan, field, bits)
    if isinstance(way, Shaped):
        assert axis is not None
        return Filling(_shaped(field_plan, axis, way, words), follows)
    few = entity_plan.total <= FEW and not field.follows and values.draw is not None
    if few and isinstance(way, Drawn) and isinstance(way.of, ByWeight) and values.space == len(way.of.weights):
        return Filling(_dealt(way.of, entity_plan, values, bits, words), follows)
    if values.rising and not field.follows:
        return Filling(rising(values, entity_plan.total, bits))
    if values.dealt and not field.follows:
        return Filling(_in_turn(values, bits, words))
    return Filling(_each_for_itself(values, words), follows)


def _in_turn(values: Values, bits: Bits, words: WordSource) -> Fill:
    """Row after row another position until all were there; what is made again is drawn."""
    space, key, again = values.space, bits.for_purpose("turn").key, _each_for_itself(values, words)

    def fill(rows: RowsPort) -> Any:
        if rows.attempt:
            return again(rows)
        return values.decode(shuffle((rows.ordinals % space).astype(np.uint64), space, key))

    return fill


def _by_case(plan: Plan, entity_plan: EntityPlan, field_plan: FieldPlan, way: Cases, bits: Bits) -> Filling:
    """Each row by the first case whose condition it keeps; null where it keeps none."""
    made = [(formula, filling_of(plan, entity_plan, narrow, bits)) for formula, narrow in way.cases]
    needs = [cell for formula, one in made for cell in (*(formula.needs if formula is not None else ()), *one.needs)]
    arrow = field_plan.field.type.arrow()

    def fill(rows: RowsPort) -> Any:
        left = np.ones(len(rows), bool)
        pieces, index = [pa.nulls(1, arrow)], np.zeros(len(rows), np.int64)
        size = 1
        for formula, one in made:
            chosen = np.flatnonzero(left & formula.truth(rows, earlier=True) if formula is not None else left)
            if not chosen.size:
                continue
            if chosen.size == len(rows):  # as for a row alone
                return one.fill(rows)
            left[chosen] = False
            pieces.append(one_array(one.fill(rows.some(chosen))))
            index[chosen] = size + np.arange(chosen.size)
            size += chosen.size
        return picked(pa.concat_arrays(pieces), index)

    return Filling(fill, tuple(dict.fromkeys(needs)))


def _precomputed(name: str, values: Values) -> Fill:
    return lambda rows: values.decode(rows.runtime.choices(rows.name).positions[name][rows.ordinals])


def _dealt(of: ByWeight, entity_plan: EntityPlan, values: Values, bits: Bits, words: WordSource) -> Fill:
    """Of few rows each value has its share to the row; what is made again is drawn."""
    dealt = Dealt.build(bits.for_purpose("share"), entity_plan.generated, entity_plan.fixed, [w for _, w in of.weights])
    again = _each_for_itself(values, words)

    def fill(rows: RowsPort) -> Any:
        return again(rows) if rows.attempt else values.decode(dealt.choose(rows.ordinals).astype(np.uint64))

    return fill


def _each_for_itself(values: Values, words: WordSource) -> Fill:
    space, decode, draw = values.space, values.decode, values.draw
    if draw is not None:
        return lambda rows: decode(draw(words(rows)))
    return lambda rows: decode(below(words(rows), space))


def _shaped(field_plan: FieldPlan, axis: Axis, way: Shaped, words: WordSource) -> Fill:
    step, low, high = field_plan.step, field_plan.low, field_plan.high
    least = -(-low // step) * step if low is not None else None
    most = high // step * step if high is not None else None

    def fill(rows: RowsPort) -> Any:
        units = np.rint(look_up(way.table, words(rows)) / step).astype(np.int64)
        if step != 1:
            units *= step
        return axis.column(np.clip(units, least, most))

    return fill
