"""Pass: checks that no limit expresses are met by attempts: rows that fail one are made again, all at once."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyarrow as pa

from ...expression import Expression, NotEvaluableError, parse
from ...model import Check, Problem
from ...model.problems import ImpossibleError
from ...values import PersonPart, Values
from ..paths import resolve_path
from ..plan import EntityPlan, Plan
from ..rows import Rows
from .picking import digit_of

ATTEMPTS = 64


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """Fields that are made together until all checks hold; the attempt that a row needs depends on that row alone.

    `given`: the checks are met by construction, but not where a fixed row gives a part of what they are about.
    """

    fields: frozenset[str]
    checks: tuple[tuple[Check, Expression], ...]
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
        for _, expression in self.checks:
            kept &= self._holds(expression, rows)
        return kept

    def _holds(self, expression: Expression, rows: Rows) -> Any:
        entity = rows.plan.entity
        truth = expression.evaluate(lambda path: rows.path(resolve_path(entity, _spelled(rows.plan, path))), len(rows))
        return truth.fill_null(True).to_numpy(zero_copy_only=False)

    def _too_rare(self, rows: Rows, failing: Any) -> ImpossibleError:
        worst = rows.again(failing, ATTEMPTS - 1, self.fields)
        check = next((c for c, e in self.checks if not self._holds(e, worst).all()), self.checks[0][0])
        return ImpossibleError(Problem(
            fact=f"{rows.plan.name}: {check} still fails for {failing.size} of {len(rows)} rows after {ATTEMPTS} attempts"
                 f" (row {int(rows.ordinals[failing[0]])})",
            place=check.place, hint=f"narrow {', '.join(sorted(self.fields))} so that the check holds more often",
        ))  # fmt: skip


def _whole(column: Any) -> Any:
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


def settle_checks(plan: Plan) -> Plan:
    notes = list(plan.notes)
    settled: list[EntityPlan] = []
    for name in plan.order:
        entity_plan = plan.entities[name]
        groups: list[tuple[set[str], list[tuple[Check, Expression]]]] = []
        for check in entity_plan.entity.checks:
            given = check.met_by is not None
            if given and (check.met_by == "nothing" or not _given_in_part(entity_plan, check)):
                continue
            try:
                expression = parse(check.expression, check.dialect)
            except NotEvaluableError as error:
                notes += [f"{name}: {error}: rows may break it"] if not given else []
                continue
            free = {f for path in expression.paths if (f := _spelled(entity_plan, path)) and _is_free(entity_plan, f)}
            if not free:
                notes += [] if given else [f"{name}: {check} is over fields that cannot be made again: rows may break it"]
                continue
            touching = [group for group in groups if group[0] & free]
            groups = [group for group in groups if group not in touching]
            groups.append((free.union(*(g[0] for g in touching)), [c for g in touching for c in g[1]] + [(check, expression)]))
        tried = tuple(
            Tried(fields=frozenset(fields), checks=tuple(checks), given=all(check.met_by is not None for check, _ in checks))
            for fields, checks in groups
        )
        settled.append(replace(entity_plan, tried=tried))
    return replace(plan, notes=tuple(notes)).with_entities(settled)


def _given_in_part(entity_plan: EntityPlan, check: Check) -> bool:
    """Whether a fixed row gives some of what a check is about, and leaves some to be made."""
    try:
        paths = {_spelled(entity_plan, path) for path in parse(check.expression, check.dialect).paths}
    except NotEvaluableError:
        return False
    return any(0 < len(paths & {name for name, _ in row}) < len(paths) for row in entity_plan.entity.fixed)


def _spelled(entity_plan: EntityPlan, path: str) -> str:
    """SQL folds the case of names; the plan knows them as they were declared."""
    return next((name for name in entity_plan.entity.field_names if name.lower() == path.lower()), path)


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
