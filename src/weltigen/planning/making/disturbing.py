"""Noise and extremes: a share of a field's values as people mistype them, and a share at the ends of what is allowed.

Each is made from the value that the row would have had, by its own word, so that a row alone gets the same; what would break a
declared rule stays as it was.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray
from sqlglot import exp

from ...expression import NotEvaluableError, parse
from ...model import Bound, Check, ComputeSource, Disturbed, Field, Problem
from ...model.origins import Origin
from ...model.types import MOMENTS, NUMBERS, TEXTS
from ...plan.entity import EntityPlan
from ...plan.fields import FieldPlan
from ...plan.fillers import Fill
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits, Words
from ...values.axis import Axis
from ...values.pools import join, one_array, picked
from .sieving import Keeps, keeping

_LONGEST = 4_000  # characters of a text that has no limit
_FOREIGN = "Ελλάδα Україна 日本語の文字 العربية हिन्दी ไทย 한국어 😀 "
_SIGNS = 'O\'Brien "quoted" \\ back; <b>bold</b> &amp; 100 % {0} $1 -- /* */ '
_CHANCE = np.float64(2.0**-24)


def clashes_with_rules(plan: Plan, entity_plan: EntityPlan, planned: FieldPlan) -> list[Problem]:
    """Why a field that is to be disturbed cannot be."""
    field, said = planned.field, planned.field.disturbed
    why = _why_not(plan, entity_plan, planned, said) if said is not None else None
    if said is None or why is None:
        return []
    what = "noise" if said.noise else "extremes"
    fact = f"{entity_plan.name}.{field.name} cannot have {what}: {why}"
    return [Problem(fact=fact, place=said.place, hint=f"leave {what} out, or say it of a field that no rule ties to others")]


def _why_not(plan: Plan, entity_plan: EntityPlan, planned: FieldPlan, said: Disturbed) -> str | None:
    entity, field = entity_plan.entity, planned.field
    rules = (*entity.unique_rules, *entity.uniques, *(reduced.rule for reduced in entity_plan.reduced))
    if any(field.name in rule.columns for rule in rules):
        return "a unique rule or a key tells its rows apart"
    if any(field.name in relation.columns for relation in entity.relations):
        return "it refers to other rows"
    if isinstance(field.source, ComputeSource):
        return "it is computed"
    if field.limits.allowed or field.type.values or field.limits.casing is not None:
        return "only some values are allowed"
    kind = field.type.name
    if said.noise and kind not in TEXTS | NUMBERS:
        return f"noise is for texts and numbers, and it is {field.type}"
    if kind not in TEXTS and planned.axis is None:
        return f"extremes are for texts, numbers, dates and times, and it is {field.type}"
    own = {one.check for one in entity_plan.own_checks.get(field.name, ())}
    tied = next((check for check in entity.checks if check not in own and _reads_value(check, field.name)), None)
    if tied is not None:
        return f"the check {tied.expression} ties it to other fields"
    if kind not in TEXTS and (any(map(_by_cell, field.limits.bounds)) or _bounds_another(plan, field)):
        return "other cells bound it, or are bounded by it"
    try:
        keeping(planned, entity_plan.own_checks.get(field.name, ()))(pa.array([None], field.type.arrow()))
    except NotEvaluableError:
        return "its check cannot be tried here"
    return None


def _reads_value(check: Check, name: str) -> bool:
    """Whether a check reads what a field holds; that it holds something, noise does not change."""
    try:
        tree = parse(check.expression, check.dialect).tree
    except NotEvaluableError:
        return re.search(rf"\b{re.escape(name)}\b", check.expression, re.I) is not None
    columns = (one for one in tree.find_all(exp.Column) if one.name.lower() == name.lower())
    return any(not (isinstance(one.parent, exp.Is) and isinstance(one.parent.expression, exp.Null)) for one in columns)


def _by_cell(bound: Bound) -> bool:
    """Whether another cell bounds the field, by what somebody says; what is guessed gives way."""
    return bound.path and bound.origin is not Origin.GUESSED


def _bounds_another(plan: Plan, field: Field) -> bool:
    bounds = (b for entity in plan.world.entities for one in entity.fields for b in one.limits.bounds if _by_cell(b))
    return any(bound.operand.rpartition(".")[2] == field.name for bound in bounds)


def disturbed(plan: Plan, entity_plan: EntityPlan, planned: FieldPlan, fill: Fill) -> Fill:
    """The values with so many of them disturbed; as they are where nothing is said, or cannot be."""
    field, said = planned.field, planned.field.disturbed
    if said is None or _why_not(plan, entity_plan, planned, said) is not None:
        return fill
    bits = Bits(plan.stage_seed, entity_plan.name, field.name).for_purpose("disturbed")
    keeps = keeping(planned, entity_plan.own_checks.get(field.name, ()))
    texts = field.type.name in TEXTS
    ways: list[tuple[float, list[Callable[[Any], Any]]]] = [
        (said.noise, _slips() if texts else _of_numbers(planned.axis, [_tenfold, _tenth])),
        (said.extremes, _ends_of_text(field) if texts else _ends(plan, planned)),
    ]

    def over(rows: RowsPort) -> Any:
        made, words, first = one_array(fill(rows)), bits.words(rows.ordinals), 0.0
        chance = (words >> np.uint64(40)).astype(np.float64) * _CHANCE
        for share, changes in ways:
            hit = np.flatnonzero((chance >= first) & (chance < first + share))
            first += share
            if hit.size and changes:
                made = _with_changes(made, hit, words[hit], changes, keeps)
        return made

    return over


def _with_changes(made: Any, hit: NDArray[np.intp], words: Words, changes: list[Callable[[Any], Any]], keeps: Keeps) -> Any:
    """The column with the rows of `hit` changed, each in the way that its word says, where that keeps the rules."""
    index = np.arange(len(made))
    parts, at = [made], len(made)
    for number, members in _by_way(words, len(changes)):
        before = made.take(pa.array(hit[members]))
        after = one_array(changes[number](before)).cast(made.type)
        kept = np.flatnonzero(keeps(after) & np.asarray(pc.is_valid(before)))
        index[hit[members[kept]]] = at + kept
        parts.append(after)
        at += len(after)
    return picked(pa.concat_arrays(parts), index)


def _by_way(words: Words, ways: int) -> Iterator[tuple[int, NDArray[np.intp]]]:
    which = (words >> np.uint64(8)) % np.uint64(ways)
    for number in np.unique(which).tolist():
        yield number, np.flatnonzero(which == np.uint64(number))


def _slips() -> list[Callable[[Any], Any]]:
    """Slips of whoever types: blanks, capitals, letters that change places, are left out or come twice."""

    def letters(first: int, change: Callable[[Any, Any, Any, Any], Any]) -> Callable[[Any], Any]:
        def at(texts: Any) -> Any:
            head, one, other = (
                pc.utf8_slice_codeunits(texts, *ends) for ends in ((0, first), (first, first + 1), (first + 1, first + 2))
            )
            return change(head, one, other, pc.utf8_slice_codeunits(texts, first + 2))

        return at

    moved = [letters(first, lambda head, one, other, tail: join(head, other, one, tail)) for first in (1, 3, 5)]
    lost = [letters(first, lambda head, one, other, tail: join(head, other, tail)) for first in (2, 4)]
    twice = [letters(first, lambda head, one, other, tail: join(head, one, one, other, tail)) for first in (2, 5)]
    return [
        lambda texts: pc.replace_substring(texts, " ", "  ", max_replacements=1), lambda texts: join(texts, " "),
        lambda texts: join(pa.repeat(" ", len(texts)), texts), pc.utf8_upper, pc.utf8_lower, pc.utf8_swapcase,
        lambda texts: pc.replace_substring(texts, " ", "\N{NO-BREAK SPACE}"), *moved, *lost, *twice,
    ]  # fmt: skip


def _ends_of_text(field: Field) -> list[Callable[[Any], Any]]:
    """The longest and the shortest texts that are allowed, other scripts, and signs that programs stumble over."""
    most, least = field.room or _LONGEST, max(1, field.limits.min_length or 0)

    def whole(text: str) -> Callable[[Any], Any]:
        return lambda texts: pa.repeat(text, len(texts))

    def longest(texts: Any) -> Any:
        return (
            pc.utf8_slice_codeunits(pc.binary_repeat(join(texts, " "), most), 0, most) if most <= 500 else _repeated(texts, most)
        )

    foreign, signs = ((text * (1 + least // len(text)))[: max(least, min(most, len(text)))] for text in (_FOREIGN, _SIGNS))
    return [
        longest,
        lambda texts: pc.utf8_slice_codeunits(texts, 0, least),
        whole(foreign.strip() or foreign),
        whole(signs.strip()),
    ]


def _repeated(texts: Any, most: int) -> Any:
    """Texts again and again up to a length, each different one made once."""
    known = pc.dictionary_encode(texts)
    longer = [
        None if text is None else (f"{text} " * (most // (len(text) + 1) + 1))[:most] for text in known.dictionary.to_pylist()
    ]
    return pa.array(longer, pa.string()).take(known.indices)


def _of_numbers(axis: Axis | None, changes: list[Callable[[NDArray[np.int64]], NDArray[np.int64]]]) -> list[Callable[[Any], Any]]:
    assert axis is not None

    def with_axis(change: Callable[[NDArray[np.int64]], NDArray[np.int64]]) -> Callable[[Any], Any]:
        return lambda column: axis.column(change(axis.read(column)), np.asarray(pc.is_null(column)))

    return [with_axis(change) for change in changes]


def _tenfold(units: NDArray[np.int64]) -> NDArray[np.int64]:
    """A digit too many; numbers that would be too large stay."""
    return np.where(np.abs(units) < 10**16, units * 10, units)


def _tenth(units: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.asarray(np.sign(units) * (np.abs(units) // 10), np.int64)


def _ends(plan: Plan, planned: FieldPlan) -> list[Callable[[Any], Any]]:
    """The least and the greatest value, one in from each, and nought."""
    axis = planned.axis
    assert axis is not None
    low, high = axis.type_limits
    if planned.field.type.name in MOMENTS:
        low, high = (axis.units(moment) for moment in plan.window)
        high -= 1
    low, high = low if planned.low is None else planned.low, high if planned.high is None else planned.high
    limit = 2**62
    ends = dict.fromkeys(max(-limit, min(limit, one)) for one in (low, high, low + 1, high - 1, 0) if low <= one <= high)
    return _of_numbers(axis, [lambda units, end=end: np.full(len(units), end, np.int64) for end in ends])  # type: ignore[misc]
