"""Pass: checks that no limit expresses are met by attempts: rows that fail one are made again, all at once."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyarrow as pa

from ...expression import NotEvaluableError
from ...model import Check, Problem
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
        check = next((c for c, f in self.checks if not f.truth(worst, null=True, earlier=True).all()), self.checks[0][0])
        return ImpossibleError(Problem(
            fact=f"{rows.plan.name}: {check} still fails for {failing.size} of {len(rows)} rows after {ATTEMPTS} attempts"
                 f" (row {int(rows.ordinals[failing[0]])})",
            place=check.place, hint=f"narrow {', '.join(sorted(self.fields))} so that the check holds more often",
        ))  # fmt: skip


def _whole(column: Any) -> Any:
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


def settle_checks(plan: Plan) -> Plan:
    notes = list(plan.notes)
    problems: list[Problem] = []
    settled: list[EntityPlan] = []
    for name in plan.order:
        entity_plan = plan.entities[name]
        groups: list[tuple[set[str], list[tuple[Check, Formula]], bool]] = []
        watched: list[tuple[Check, Formula]] = []
        for check, given in _open_checks(plan, entity_plan, problems):
            try:
                formula = bind(plan.world, entity_plan.entity, check.expression, check.dialect)
            except NotEvaluableError as error:
                notes += [f"{name}: {error}: rows may break it"] if not given else []
                continue
            read = _own_cells(entity_plan, formula)
            free = {field for field in read if _is_free(entity_plan, field)}
            if not free:
                watched += [] if given else [(check, formula)]
                continue
            made = free | {field for field in read if _is_computed(entity_plan, field)}
            touching = [group for group in groups if group[0] & made]
            groups = [group for group in groups if group not in touching]
            checks = [c for g in touching for c in g[1]] + [(check, formula)]
            groups.append((made.union(*(g[0] for g in touching)), checks, given and all(g[2] for g in touching)))
        tried = tuple(Tried(fields=frozenset(fields), checks=tuple(checks), given=given) for fields, checks, given in groups)
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
