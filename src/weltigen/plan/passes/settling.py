"""Pass: checks that no limit expresses are met by attempts: rows that fail one are made again, all at once."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyarrow as pa

from ...expression import NotEvaluableError
from ...model import Check, Problem
from ...model.paths import Cell
from ...model.problems import ImpossibleError
from ...values import PersonPart, Values
from ..formula import Formula, bind
from ..plan import EntityPlan, Plan
from ..rows import Rows
from .computing import moving_limits, promised, unproven
from .picking import digit_of

ATTEMPTS = 64


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """Fields that are made together until all checks hold; the attempt that a row needs depends on that row alone.

    `given`: the checks are met by construction, but not where a fixed row gives a part of what they are about.
    """

    fields: frozenset[str]
    checks: tuple[tuple[Check, Formula], ...]
    given: bool = False

    def settle(self, rows: Rows) -> dict[str, Any]:
        """The columns of all fields; ImpossibleError names the check and a row that 64 attempts did not satisfy."""
        every = np.arange(len(rows), dtype=np.int64)
        sub = rows.again(every, 0, self.fields)
        out = {name: _whole(sub.column(name)) for name in self.fields}
        failing = every[rows.ordinals < rows.plan.fixed] if self.given else every
        if failing.size:
            failing = failing[~self._kept(sub if failing.size == len(rows) else rows.again(failing, 0, self.fields))]
        for attempt in range(1, ATTEMPTS):
            if not failing.size:
                return out
            sub = rows.again(failing, attempt, self.fields)
            for name in self.fields:
                # the remade rows stand after the old ones, and each row takes the newest
                index = every.copy()
                index[failing] = len(rows) + np.arange(failing.size)
                out[name] = pa.concat_arrays([out[name], _whole(sub.column(name))]).take(pa.array(index))
            failing = failing[~self._kept(sub)]
        if failing.size:
            raise self._too_rare(rows, failing)
        return out

    def _kept(self, rows: Rows) -> Any:
        kept = np.ones(len(rows), bool)
        for _, formula in self.checks:
            kept &= formula.truth(rows, null=True, earlier=True)
        return kept

    def _too_rare(self, rows: Rows, failing: Any) -> ImpossibleError:
        worst = rows.again(failing, ATTEMPTS - 1, self.fields)
        broken = ((c, f) for c, f in self.checks if not f.truth(worst, null=True, earlier=True).all())
        check, formula = next(broken, self.checks[0])
        drawn = rows.again(np.arange(len(rows), dtype=np.int64), 0, self.fields)
        kept = int(formula.truth(drawn, null=True, earlier=True).sum())
        names = ", ".join(sorted(self.fields))
        return ImpossibleError(Problem(
            fact=f"{rows.plan.name}: {check} still fails for {failing.size:,} of {len(rows):,} rows after {ATTEMPTS} attempts"
                 f" (row {int(rows.ordinals[failing[0]])}); as {names} are drawn, {kept:,} of {len(rows):,} rows keep it",
            place=check.place,
            hint=f"say what it asks for: `compute` one of {names}, or bound it by minimum, maximum, after or before",
        ))  # fmt: skip


def _whole(column: Any) -> Any:
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


@dataclass(frozen=True, slots=True, eq=False)
class _Open:
    """A check for which the fields `made` are made again; `given`: only where fixed rows give a part of it."""

    check: Check
    formula: Formula
    given: bool
    made: set[str]


def _grouped(checks: list[_Open]) -> list[list[_Open]]:
    """Checks that make the same fields again, together."""
    groups: list[list[_Open]] = []
    for one in checks:
        touching = [group for group in groups if any(one.made & other.made for other in group)]
        groups = [group for group in groups if group not in touching]
        groups.append([other for group in touching for other in group] + [one])
    return groups


def _turns_round(plan: Plan, entity_plan: EntityPlan, one: _Open, group: list[_Open]) -> bool:
    """Whether a check reads a sum over children which read, in turn, what is made again for it: it can only be watched."""
    made = {(entity_plan.name, field) for other in group for field in other.made}
    formulas = [one.formula, *(c for field in one.made if (c := entity_plan.fields[field].computed) is not None)]
    seen: set[Cell] = set()
    waiting = [cell for formula in formulas if formula.gathered for cell in formula.needs if cell[0] != entity_plan.name]
    while waiting:
        cell = waiting.pop()
        if cell in made:
            return True
        if cell not in seen:
            seen.add(cell)
            filler = plan.entities[cell[0]].fillers.get(cell[1])
            waiting += filler.needs if filler is not None else ()
    return False


def settle_checks(plan: Plan) -> Plan:
    notes = list(plan.notes)
    problems: list[Problem] = []
    settled: list[EntityPlan] = []
    for name in plan.order:
        entity_plan = plan.entities[name]
        watched: list[tuple[Check, Formula]] = []
        open_: list[_Open] = []
        for check, given in _open_checks(plan, entity_plan, problems):
            try:
                formula = bind(plan.world, entity_plan.entity, check.expression, check.dialect)
            except NotEvaluableError as error:
                notes += [f"{name}: {error}: rows may break it"] if not given else []
                continue
            read = _own_cells(entity_plan, formula)
            free = {field for field in read if _is_free(entity_plan, field)}
            if free:
                open_.append(_Open(check, formula, given, free | {field for field in read if _is_computed(entity_plan, field)}))
            else:
                watched += [] if given else [(check, formula)]
        groups = _grouped(open_)
        while turning := [one for group in groups for one in group if _turns_round(plan, entity_plan, one, group)]:
            watched += [(one.check, one.formula) for one in turning]
            groups = _grouped([one for group in groups for one in group if one not in turning])
        tried = tuple(
            Tried(
                fields=frozenset().union(*(one.made for one in group)),
                checks=tuple((one.check, one.formula) for one in group), given=all(one.given for one in group),
            )
            for group in groups
        )  # fmt: skip
        settled.append(replace(entity_plan, tried=tried, watched=tuple(watched)))
    return replace(plan, notes=tuple(notes)).with_entities(settled).with_problems(problems)


def _open_checks(plan: Plan, entity_plan: EntityPlan, problems: list[Problem]) -> Iterator[tuple[Check, bool]]:
    """The checks that are tried; with each, whether construction meets it but where fixed rows give a part of it."""
    computed = [name for name, own in entity_plan.fields.items() if own.computed is not None or own.constant is not None]
    for check in entity_plan.entity.checks:
        if check.met_by == "nothing":
            continue
        if check.met_by is not None:
            names = _names(plan, entity_plan, check)
            if not names & set(computed):  # limits that a check became say nothing to a field that is computed
                if _given_in_part(entity_plan, names):
                    yield check, True
                continue
            yield from ((one, False) for one in unproven(plan, entity_plan, check, problems))
            continue
        yield check, False
    for name in computed:
        if entity_plan.fields[name].computed is None:
            for limit in moving_limits(entity_plan, name):
                yield limit, False
            continue
        for limit in promised(plan, entity_plan, name, problems):
            yield limit, False


def _names(plan: Plan, entity_plan: EntityPlan, check: Check) -> set[str]:
    try:
        formula = bind(plan.world, entity_plan.entity, check.expression, check.dialect)
    except NotEvaluableError:
        return set()
    return {path[0] for path in formula.paths.values() if len(path) == 1}


def _given_in_part(entity_plan: EntityPlan, names: set[str]) -> bool:
    """Whether a fixed row gives some of what a check is about, and leaves some to be made."""
    return any(0 < len(names & {name for name, _ in row}) < len(names) for row in entity_plan.entity.fixed)


def _own_cells(entity_plan: EntityPlan, formula: Formula) -> set[str]:
    """The fields of the row that a formula reads, also those behind computed ones."""
    read: set[str] = set()
    waiting = [path[0] for path in formula.paths.values() if len(path) == 1]
    while waiting:
        name = waiting.pop()
        if name in read:
            continue
        read.add(name)
        computed = entity_plan.fields[name].computed if name in entity_plan.fields else None
        waiting += [path[0] for path in computed.paths.values() if len(path) == 1] if computed is not None else []
    return read


def _is_computed(entity_plan: EntityPlan, name: str) -> bool:
    return name in entity_plan.fields and entity_plan.fields[name].computed is not None


def _is_free(entity_plan: EntityPlan, name: str) -> bool:
    """Made from its own bits, and no digit of a unique rule."""
    field = entity_plan.fields.get(name)
    if entity_plan.tabled is not None and any(digit.name == name for digit in entity_plan.tabled.fields):
        return False
    if field is None or field.counts_up or field.constant is not None or isinstance(field.prepared, PersonPart):
        return False
    if any(name in relation.columns for relation in entity_plan.entity.relations):
        return False
    return (
        isinstance(field.prepared, Values) and not field.prepared.rising and digit_of(entity_plan, name, relation=False) is None
    )
