"""Which fields must always be there, or never, by all checks on presence together.

`(a IS NULL) = (b IS NULL)` and `NOT (a IS NOT NULL AND b IS NOT NULL)` leave one pattern alone: neither is there. Each check by
itself says less; so the patterns that pass all of them are gone through.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations, product
from typing import Any

from sqlglot import exp

from ..expression import NotEvaluableError, condition_tree
from ..model import Check, Entity, Present
from ..model.graphs import connected_groups
from ..model.origins import Origin, Status
from .conditions import conjuncts

_MOST = 10  # fields whose patterns are gone through


def settle_presence(entity: Entity, asked: frozenset[str] = frozenset()) -> Entity:
    """The entity with fields that must always be there declared so, and those that never may left empty. `asked`: fields by which
    other entities refer to its rows; where they may be there they are."""
    folded = {field.name.lower(): field for field in entity.fields}
    parts: list[tuple[Any, frozenset[str], Any]] = []
    for check in entity.checks:
        if check.status is not Status.OPEN or "null" not in check.expression.lower():
            continue
        try:
            tree = condition_tree(check.expression, check.dialect)
        except NotEvaluableError:
            continue
        for part in conjuncts(tree):
            names = _presence_only(part)
            if names and names <= folded.keys():
                parts.append((part, names, check))
    out = {field.name: field for field in entity.fields}

    def together(named: list[str]) -> list[tuple[str, str]]:
        """Columns of one reference: all of it is there, or none."""
        own = [{c.lower() for c in r.columns if entity.field(c).nullable} for r in entity.relations if len(r.columns) > 1]
        return [(a, b) for a, b in combinations(named, 2) if any({a, b} <= columns for columns in own)]

    halves = {  # of a reference that holds a column which must be there, the others are there as well
        column for r in entity.relations if not all(entity.field(c).nullable for c in r.columns)
        for column in r.columns if entity.field(column).nullable
    }  # fmt: skip
    for group in connected_groups(parts, lambda part: part[1]):
        named = sorted({name for _, theirs, _ in group for name in theirs})
        wanted = asked | halves | _of_own_rows(entity, {folded[name].name for name in named})
        if not 1 < len(named) <= _MOST or (
            len(group) < 2 and not together(named) and not wanted & {folded[name].name for name in named}
        ):
            continue
        sides = [(True, False) if folded[name].nullable else (True,) for name in named]
        patterns = [dict(zip(named, one, strict=True)) for one in product(*sides)]
        allowed = [one for one in patterns if all(_truth(part, one) for part, _, _ in group)]
        allowed = [one for one in allowed if all(one[a] == one[b] for a, b in together(named))]
        keyed = [name for name in named if folded[name].name in wanted]
        allowed = [one for one in allowed if all(one[name] for name in keyed)] or allowed
        for name in named if allowed else ():
            field = out[folded[name].name]
            if field.nullable and all(one[name] for one in allowed):
                out[field.name] = replace(field, nullable=False)
            elif (
                field.nullable
                and not any(one[name] for one in allowed)
                and (field.present is None or field.present.origin is Origin.GUESSED)
            ):
                never = Present(share=0.0, place=group[0][2].place, origin=Origin.CHECK)
                out[field.name] = replace(field, present=never)
    return replace(entity, fields=tuple(out.values())) if tuple(out.values()) != entity.fields else entity


def _of_own_rows(entity: Entity, named: set[str]) -> set[str]:
    """The columns to which rows of the entity itself refer by columns of the same checks: these would hang on each other."""
    own = [r for r in entity.relations if r.target == entity.name and named & set(r.columns)]
    return {column for r in own for column in r.target_columns}


def ties_presence(check: Check) -> bool:
    """Whether a check says of several fields when they are there, and nothing else."""
    if "null" not in check.expression.lower():
        return False
    try:
        parts = conjuncts(condition_tree(check.expression, check.dialect))
    except NotEvaluableError:
        return False
    return all(len(_presence_only(part)) > 1 for part in parts)


def _presence_only(node: Any) -> frozenset[str]:
    """The columns of which a condition asks whether they are there, and nothing else; none where it asks for more."""
    match node:
        case exp.Paren() | exp.Not():
            return _presence_only(node.this)
        case exp.Is() if isinstance(node.expression, exp.Null) and isinstance(node.this.unnest(), exp.Column):
            return frozenset({node.this.unnest().name.lower()})
        case exp.And() | exp.Or() | exp.EQ() | exp.NEQ():
            sides = _presence_only(node.this), _presence_only(node.expression)
            return sides[0] | sides[1] if all(sides) else frozenset()
    return frozenset()


def _truth(node: Any, there: dict[str, bool]) -> bool:
    match node:
        case exp.Paren():
            return _truth(node.this, there)
        case exp.Not():
            return not _truth(node.this, there)
        case exp.Is():
            return not there[node.this.unnest().name.lower()]
        case exp.And():
            return _truth(node.this, there) and _truth(node.expression, there)
        case exp.Or():
            return _truth(node.this, there) or _truth(node.expression, there)
        case exp.EQ():
            return _truth(node.this, there) == _truth(node.expression, there)
    return _truth(node.this, there) != _truth(node.expression, there)
