"""A field that says which others are there: `type <> 1 OR (user_id IS NOT NULL AND group_id IS NULL)`, for each type; or all
cases in one check, `(kind = 'user' AND user_id IS NOT NULL AND …) OR (kind = 'group' AND …)`."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from sqlglot import exp

from ..expression import NotEvaluableError, condition_tree
from ..expression.names import plain_name
from ..model import Entity, Field, Present
from ..model.changing import changed
from ..model.origins import Origin, Status
from ..model.types import NUMBERS
from .conditions import bare, conjuncts, disjuncts, inward


@dataclass(slots=True)
class _Cases:
    """By value of the field that decides: which others must be there (True), and which must not; the checks that say so."""

    told: dict[str, dict[str, bool]] = field(default_factory=dict)
    checks: dict[int, set[str]] = field(default_factory=dict)  # by number, with the fields that they speak of
    complete: bool = False  # other values are not allowed


def settle_cases(entity: Entity) -> Entity:
    """The entity with presences by such checks, which are met then; as it is where other rules speak of the same fields."""
    folded = {one.name.lower(): one for one in entity.fields}
    found: dict[str, _Cases] = {}
    for number, check in enumerate(entity.checks):
        if check.status is not Status.OPEN or "null" not in check.expression.lower():
            continue
        try:
            parts = conjuncts(condition_tree(check.expression, check.dialect))
        except NotEvaluableError:
            continue
        read = [_read(part, folded) for part in parts]
        if any(one is None for one in read) or len({one[0] for one in read if one is not None}) != 1:
            continue
        deciding = read[0][0]  # type: ignore[index]
        cases = found.setdefault(deciding, _Cases())
        for _, told, complete in (one for one in read if one is not None):
            cases.complete |= complete
            for value, tests in told.items():
                cases.told.setdefault(value, {}).update(tests)
        cases.checks[number] = {name for _, told, _ in read for tests in told.values() for name in tests}  # type: ignore[misc]
    for deciding, cases in found.items():
        entity = _with_presences(entity, folded[deciding], cases)
    return entity


def _read(part: Any, folded: dict[str, Field]) -> tuple[str, dict[str, dict[str, bool]], bool] | None:
    """The field that decides and what is said for each of its values, of one condition; None where it says something else."""
    ways = disjuncts(part)
    if len(ways) < 2:
        return None
    excepted: dict[str, list[str]] = {}
    rest = []
    for way in ways:
        if (unless := _unless(way, folded)) is not None:
            excepted.setdefault(unless[0], []).extend(unless[1])
        else:
            rest.append(way)
    if len(excepted) == 1 and len(rest) == 1:  # type <> 1 OR (…)
        ((deciding, values),) = excepted.items()
        tests = _null_tests(rest[0], folded)
        return None if tests is None or deciding in tests else (deciding, dict.fromkeys(values, tests), False)
    if excepted:
        return None
    told: dict[str, dict[str, bool]] = {}
    names = set()
    for way in ways:  # (type = 1 AND …) OR (type = 2 AND …)
        one = [inward(bare(item)) for item in conjuncts(way)]
        named = [(at, equal) for at, item in enumerate(one) if (equal := _equal(item, folded)) is not None]
        if len(named) != 1:
            return None
        at, (deciding, values) = named[0]
        tests = {}
        for item in (*one[:at], *one[at + 1 :]):
            test = _null_tests(item, folded)
            if test is None:
                return None
            tests.update(test)
        names.add(deciding)
        for value in values:
            if value in told or not tests:
                return None
            told[value] = tests
    return (next(iter(names)), told, True) if len(names) == 1 and next(iter(names)) not in next(iter(told.values())) else None


def _equal(node: Any, folded: dict[str, Field]) -> tuple[str, list[str]] | None:
    """`field = literal`, or `field IN (…)`."""
    node = bare(node)
    if isinstance(node, exp.EQ):
        column, values = bare(node.this), [bare(node.expression)]
    elif isinstance(node, exp.In) and node.expressions:
        column, values = bare(node.this), [bare(one) for one in node.expressions]
    else:
        return None
    if not isinstance(column, exp.Column) or column.name.lower() not in folded:
        return None
    if not all(isinstance(one, exp.Literal) for one in values):
        return None
    return column.name.lower(), [str(one.this) for one in values]


def _unless(node: Any, folded: dict[str, Field]) -> tuple[str, list[str]] | None:
    """`field <> literal`, or `field NOT IN (…)`."""
    node = inward(bare(node))
    if isinstance(node, exp.NEQ):
        return _equal(exp.EQ(this=node.this.copy(), expression=node.expression.copy()), folded)
    return _equal(node.this, folded) if isinstance(node, exp.Not) else None


def _null_tests(node: Any, folded: dict[str, Field]) -> dict[str, bool] | None:
    """Fields that must be there, or not, where all of a condition is such tests."""
    tests: dict[str, bool] = {}
    for part in conjuncts(node):
        part = inward(bare(part))
        there = isinstance(part, exp.Not)
        test = bare(part.this) if there else part
        if (
            not isinstance(test, exp.Is)
            or not isinstance(test.expression, exp.Null)
            or not isinstance(bare(test.this), exp.Column)
        ):
            return None
        name = bare(test.this).name.lower()
        if name not in folded or tests.get(name, there) != there:
            return None
        tests[name] = there
    return tests


def _with_presences(entity: Entity, deciding: Field, cases: _Cases) -> Entity:
    """Each field is there where a value asks for it; where values say nothing of it, in most rows."""
    named = {name for tests in cases.told.values() for name in tests}
    fields = {one.name.lower(): one for one in entity.fields}
    used = [(entity.field(one.name), sum(one.name in r.columns for r in entity.relations)) for one in entity.fields]
    shared = {one.name.lower() for one, times in used if times > 1}
    wide = {c.lower() for r in entity.relations if len(r.columns) > 1 for c in r.columns}
    free = all(
        fields[name].present is None or fields[name].present.origin is Origin.GUESSED  # type: ignore[union-attr]
        for name in named
    )
    if not free or deciding.nullable or named & (shared | wide) or not _keeps(fields, cases):
        return entity
    known = _values_of(deciding)
    place = entity.checks[min(cases.checks)].place
    quoted = (lambda value: value) if deciding.type.name in NUMBERS else (lambda value: "'" + value.replace("'", "''") + "'")
    out, settled = [], set()
    for one in entity.fields:
        tests = {value: told[one.name.lower()] for value, told in cases.told.items() if one.name.lower() in told}
        if not tests or not one.nullable:
            settled |= {one.name.lower()} if tests else set()
            out.append(one)
            continue
        asked = [value for value in cases.told if tests.get(value)]
        never = [value for value in cases.told if tests.get(value) is False]
        open_to = [value for value in known if value not in tests] if known else []
        if not never and len(asked) == len(cases.told) > 1:  # all that is told of asks for it
            settled.add(one.name.lower())
            out.append(replace(one, present=Present(share=1.0, place=place, origin=Origin.CHECK)))
            continue
        if not never:  # nothing says when it is missing, so that it need not be
            out.append(one)
            continue
        settled.add(one.name.lower())
        if asked:
            present = Present(when=_one_of(deciding, asked, quoted), place=place, origin=Origin.CHECK)
        elif open_to or not cases.complete:
            when = f"NOT ({_one_of(deciding, never, quoted)})"
            present = Present(when=when, share=0.9, place=place, origin=Origin.CHECK)
        else:
            present = Present(share=0.0, place=place, origin=Origin.CHECK)
        out.append(replace(one, present=present))
    met = f"which of {', '.join(fields[name].name for name in sorted(named))} are there, by {deciding.name}"
    checks = [
        changed(check, status=Status.MET, met_by=met)
        if cases.checks.get(number, {""}) <= settled and not cases.complete
        else check
        for number, check in enumerate(entity.checks)
    ]
    return replace(entity, fields=tuple(out), checks=tuple(checks))


def _keeps(fields: dict[str, Field], cases: _Cases) -> bool:
    """Whether no field that is always there must be missing for some value."""
    return all(there or fields[name].nullable for tests in cases.told.values() for name, there in tests.items())


def _values_of(deciding: Field) -> tuple[str, ...]:
    return deciding.limits.allowed[0].values if deciding.limits.allowed else deciding.type.values


def _one_of(deciding: Field, values: list[str], quoted: Any) -> str:
    name = plain_name(deciding.name)
    if len(values) == 1:
        return f"{name} = {quoted(values[0])}"
    return f"{name} IN ({', '.join(map(quoted, values))})"
