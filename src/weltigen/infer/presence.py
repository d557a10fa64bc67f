"""Rules about which fields are there together: all or none, exactly one, at most one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlglot import exp

from ..model import Field

FieldOf = Callable[[Any], Field | None]


def all_or_none(node: Any, field: FieldOf) -> list[Field] | None:
    """The fields of `(a IS NULL AND b IS NULL) OR (a IS NOT NULL AND b IS NOT NULL)`, `(a IS NULL) = (b IS NULL)`,
    or `num_nonnulls(a, b) IN (0, 2)`; None for any other node."""
    if isinstance(node, exp.EQ):
        pair = [_tested(side, field) for side in (node.this, node.expression)]
        if None not in pair and pair[0][1] == pair[1][1]:  # type: ignore[index]
            return [test[0] for test in pair]  # type: ignore[index]
    if isinstance(node, exp.Or):
        sides = [[_tested(part, field) for part in _parts(side, exp.And)] for side in (node.this, node.expression)]
        if any(test is None for side in sides for test in side):
            return None
        names = [[test[0].name for test in side] for side in sides]  # type: ignore[index]
        kinds = [{test[1] for test in side} for side in sides]  # type: ignore[index]
        if sorted(names[0]) == sorted(names[1]) and len(names[0]) > 1 and sorted(map(sorted, kinds)) == [[False], [True]]:
            return [test[0] for test in sides[0]]  # type: ignore[index]
    counted = _counted(node, field)
    if counted is not None and set(counted[1]) == {0, len(counted[0])}:
        return counted[0]
    return None


def exactly_one(node: Any, field: FieldOf) -> tuple[list[Field], int] | None:
    """The fields of `num_nonnulls(a, b) = 1` or of a sum of such tests, and the fewest that must be there: 1, or 0 for `<= 1`."""
    counted = _counted(node, field)
    if counted is None:
        return None
    fields, numbers = counted
    return (fields, min(numbers)) if numbers in ([1], [0, 1]) else None


def _counted(node: Any, field: FieldOf) -> tuple[list[Field], list[int]] | None:
    """How many of which fields may be there."""
    if isinstance(node, exp.Or):
        return _one_each(node, field)
    if isinstance(node, exp.NEQ):  # (a IS NULL) <> (b IS NULL)
        pair = [_tested(side, field) for side in (node.this, node.expression)]
        tested = [test[0] for test in pair if test is not None]
        return (tested, [1]) if len(tested) == 2 and len({test[1] for test in pair if test}) == 1 else None
    if not isinstance(node, exp.EQ | exp.In | exp.LTE | exp.LT):
        return None
    fields = _summed(node.this, field)
    if fields is None:
        return None
    literals = node.expressions if isinstance(node, exp.In) else [node.expression]
    if not all(isinstance(literal, exp.Literal) and str(literal.this).isdigit() for literal in literals):
        return None
    numbers = sorted(int(literal.this) for literal in literals)
    if isinstance(node, exp.LTE | exp.LT):
        numbers = list(range(numbers[0] + isinstance(node, exp.LTE)))
    return fields, numbers


def _one_each(node: Any, field: FieldOf) -> tuple[list[Field], list[int]] | None:
    """`(a IS NOT NULL AND b IS NULL) OR (a IS NULL AND b IS NOT NULL)`, of any number of fields, each alone once; or none too."""
    sides = [[_tested(part, field) for part in _parts(side, exp.And)] for side in _parts(node, exp.Or)]
    tests = [{test[0].name: test[1] for test in side if test is not None} for side in sides]
    named = {name for side in tests for name in side}
    if len(named) < 2 or any(set(one) != named or len(one) != len(side) for one, side in zip(tests, sides, strict=True)):
        return None
    alone = [tuple(name for name, there in one.items() if there) for one in tests]
    if {one for one in alone if one} != {(name,) for name in named} or len(set(alone)) < len(alone):
        return None
    fields = {test[0].name: test[0] for side in sides for test in side if test is not None}
    return list(fields.values()), [0, 1] if () in alone else [1]


Way = dict[str, bool]  # which fields are there and which are not; of the others nothing is said


def presence_ways(node: Any, field: FieldOf) -> list[Way] | None:
    """Two ways or more in which fields may be there, side by side; None for a condition that says anything else."""
    sides = [[_tested(part, field) for part in _parts(side, exp.And)] for side in _parts(node, exp.Or)]
    ways = [{test[0].name: test[1] for test in side if test is not None} for side in sides]
    whole = all(len(way) == len(side) for way, side in zip(ways, sides, strict=True))
    return ways if whole and len(ways) > 1 else None


def in_turn(ways: list[Way]) -> list[tuple[Way, str]] | None:
    """All ways but the last, each with a field that is there in it and in no way behind or before it."""
    left, out = list(ways), list[tuple[Way, str]]()
    while len(left) > 1:
        found = next(
            (
                (way, name)
                for way in left
                for name, there in way.items()
                if there
                and all(other.get(name) is False for other in left if other is not way)
                and not any(earlier.get(name) for earlier, _ in out)
            ),
            None,
        )
        if found is None:
            return None
        out.append(found)
        left = [way for way in left if way is not found[0]]
    return out


def _summed(node: Any, field: FieldOf) -> list[Field] | None:
    if isinstance(node, exp.Anonymous) and node.name.lower() == "num_nonnulls":
        found = [field(part) for part in node.expressions]
    elif isinstance(node, exp.Add):
        found = [_one(part, field) for part in _parts(node, exp.Add)]
    else:
        return None
    fields = [f for f in found if f is not None]
    return fields if len(fields) == len(found) > 1 else None


def _one(node: Any, field: FieldOf) -> Field | None:
    """`(a IS NOT NULL)::int`, and `CASE WHEN a IS NOT NULL THEN 1 ELSE 0 END`, or MySQL's plain `(a IS NOT NULL)`."""
    if isinstance(node, exp.Case) and node.this is None and len(node.args["ifs"]) == 1:
        branch, default = node.args["ifs"][0], node.args.get("default")
        values = (branch.args["true"].sql(), default.sql() if default is not None else "0")
        tested = _tested(branch.this, field)
        return tested[0] if tested is not None and values == (("1", "0") if tested[1] else ("0", "1")) else None
    tested = _tested(node.this if isinstance(node, exp.Cast) else node, field)
    return tested[0] if tested is not None and tested[1] else None


def _tested(node: Any, field: FieldOf) -> tuple[Field, bool] | None:
    """A test for null: the field, and whether it must be there."""
    there = isinstance(node, exp.Not)
    test = node.this if there else node
    if isinstance(test, exp.Is) and isinstance(test.expression, exp.Null) and (found := field(test.this)) is not None:
        return found, there
    return None


def _parts(node: Any, operator: Any) -> list[Any]:
    return [*_parts(node.this, operator), *_parts(node.expression, operator)] if isinstance(node, operator) else [node]
