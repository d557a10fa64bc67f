"""Rules about what a value follows from: cells that bound it, a condition for its presence, an expression that it equals."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from sqlglot import exp

from ..expression import Expression, NotEvaluableError, parse
from ..model import Bound, Check, ComputeSource, Entity, Field, World
from ..model.literals import read_span
from ..model.origins import Origin
from ..model.types import FLOATS, INTEGERS, MOMENTS, NUMBERS, TypeName
from ..stored.names import quoted
from ..stored.stores.store import Store
from .joined import Joined
from .rule import RowRule, SetRule

OPPOSITE = {">": "<=", ">=": "<", "<": ">=", "<=": ">"}


def following_rules(world: World, entity: Entity, field: Field, store: Store) -> Iterator[RowRule]:
    """The rules by which a stored field follows other cells."""
    for bound in field.limits.bounds:
        if bound.origin in (Origin.CHECK, Origin.GUESSED):
            continue  # what was read out of a check is asked by the check itself, as it was written
        yield _bound(world, entity, field, bound, store)
    present = field.present
    if present is not None and present.when and present.origin not in (Origin.CHECK, Origin.GUESSED):
        yield _presence(world, entity, field, present.when, store, exactly=present.share is None)
    if isinstance(field.source, ComputeSource):
        yield _computed(world, entity, field, field.source.expression, store)


def unanswerable(kind: str, text: str, why: NotEvaluableError) -> RowRule:
    """A rule that cannot be put as SQL; the audit lists it as not checked."""
    return RowRule(kind=kind, text=text, broken="", columns=(), why_not=str(why))


def _rule(kind: str, text: str, broken: str, joined: Joined, columns: tuple[str, ...]) -> RowRule:
    shown = tuple(dict.fromkeys((*columns, *joined.columns)))
    return RowRule(kind=kind, text=text, broken=broken, columns=shown, join=joined.join, extra=tuple(joined.extra.items()))


def _bound(world: World, entity: Entity, field: Field, bound: Bound, store: Store) -> RowRule:
    this, text = f"this.{quoted(field.name)}", f"{field.name} {bound}"
    if not bound.path:
        limit = store.literal(bound.operand, field.type)
        return RowRule(kind="range", text=text, broken=f"{this} {OPPOSITE[bound.comparison]} {limit}", columns=(field.name,))
    joined = Joined(world, entity, store)
    try:
        alias, name = joined.cell(bound.operand)
    except NotEvaluableError as error:
        return unanswerable("range", text, error)
    other = f"{quoted(alias)}.{quoted(name)}"
    broken = f"{this} {OPPOSITE[bound.comparison]} {other}"
    if bound.within is not None and field.type.name in MOMENTS:
        span, kind = read_span(bound.within).total_seconds(), joined.field(bound.operand).type
        broken = f"({broken} OR abs({store.seconds(this, field.type)} - {store.seconds(other, kind)}) > {span} + 0.001)"
    return _rule("range", text, broken, joined, (field.name,))


def _presence(world: World, entity: Entity, field: Field, when: str, store: Store, exactly: bool) -> RowRule:
    text = f"{field.name} is there {'exactly' if exactly else 'only'} when {when}"
    joined = Joined(world, entity, store)
    try:
        condition = joined.sql(when)
    except NotEvaluableError as error:
        return unanswerable("presence", text, error)
    never = "1 = 0"
    there = f"(this.{quoted(field.name)} IS NOT NULL)"
    broken = f"{there} <> coalesce({condition}, {never})" if exactly else f"{there} AND NOT coalesce({condition}, {never})"
    return _rule("presence", text, broken, joined, (field.name,))


def _computed(world: World, entity: Entity, field: Field, expression: str, store: Store) -> RowRule:
    text, this = f"{field.name} is {expression}", f"this.{quoted(field.name)}"
    joined = Joined(world, entity, store)
    try:
        formula, digits = _unrounded(parse(expression), field) if field.type.name in NUMBERS else (parse(expression), 0)
        value = joined.sql(formula)
    except NotEvaluableError as error:
        return unanswerable("computed", text, error)
    if field.type.name in NUMBERS:
        far = f"abs({this} - ({value})) > {_margin(field, digits, this, value, store)}"
    elif field.type.name in MOMENTS:
        far = f"abs({store.seconds(this, field.type)} - {store.seconds(f'({value})', field.type)}) > 0.001"
    else:
        far = f"{this} <> ({value})"
    broken = f"({this} IS NULL) <> (({value}) IS NULL) OR {far}"
    if field.present is not None:
        broken = f"{this} IS NOT NULL AND ({broken})"
    return _rule("computed", text, f"({broken})", joined, (field.name,))


def _unrounded(expression: Expression, field: Field) -> tuple[Expression, int]:
    """A formula without the rounding to the field's own digits, and how many these are: the margin has half of the last one, and
    what lies in the middle is rounded one way or the other, since floats are seldom exactly there."""
    own = 0 if field.type.name in INTEGERS else field.type.digits[1]
    digits = {node.args["decimals"].name for node in _results(expression.tree) if _is_rounded(node)}
    if digits == {str(own)} or (field.type.name in FLOATS and len(digits) == 1 and min(digits).isdigit()):
        whole = exp.Paren(this=expression.tree.copy())
        for node in [node for node in _results(whole.this) if _is_rounded(node)]:
            node.replace(node.this)
        return replace(expression, tree=whole.this), int(min(digits))
    return expression, _MANY_DIGITS if field.type.name in FLOATS else own


def _is_rounded(node: Any) -> bool:
    return isinstance(node, exp.Round) and node.args.get("decimals") is not None


def _results(tree: Any) -> Iterator[Any]:
    """The parts of a formula of which one is its value: those of a CASE, or the whole."""
    if isinstance(tree, exp.Case) and tree.args.get("default") is not None:
        for part in (*(branch.args["true"] for branch in tree.args["ifs"]), tree.args["default"]):
            yield from _results(part)
    else:
        yield tree


def _margin(field: Field, digits: int, this: str, value: str, store: Store) -> str:
    """How far a stored number may lie from what it is computed as: half of its last decimal, and the last bits of a float."""
    half = f"0.{'0' * digits}5"
    if field.type.name in FLOATS:
        return f"{half} + {'1e-6' if field.type.name is TypeName.REAL else '1e-12'} * (1 + abs({this}))"
    return f"{half} + CASE WHEN {store.is_float(value)} THEN {_LAST_BITS} * abs({this}) ELSE 0 END"


_MANY_DIGITS = 16  # a float that is not rounded
_LAST_BITS = "2e-14"  # some ninety units in the last place: what a sum of floats may be off
_ENOUGH = 500  # rows from which a correlation shows
_FAR = 0.1  # how much it may differ; and it is weaker where many values are equal, by a third at most


def rank_rules(entity: Entity, store: Store) -> Iterator[SetRule]:
    """Spearman's correlation of fields that follow another: that of their ranks, equal values taking the middle one."""
    stored = set(store.columns(entity) or ())
    for field, follows in ((one, follow) for one in entity.fields for follow in one.follows):
        if not {field.name, follows.field} <= stored or any(bound.path for bound in field.limits.bounds):
            continue
        x, y, wanted = quoted(field.name), quoted(follows.field), abs(follows.correlation)
        ranks = ", ".join(f"{_middle_rank(column)} AS {name}" for column, name in ((x, "a"), (y, "b")))
        products = {"ab": "a * b", "aa": "a * a", "bb": "b * b"}
        means = ", ".join(f"avg({product}) - avg({name[0]}) * avg({name[1]}) AS {name}" for name, product in products.items())
        least, most = max(0.0, wanted * 2 / 3 - _FAR), min(1.0, wanted + _FAR)
        sign = "-" if follows.correlation < 0 else ""
        wrong = f"{sign}ab < 0 OR ab * ab < {least**2:.6g} * aa * bb OR ab * ab > {most**2:.6g} * aa * bb"
        if not least:  # too little for a sign to show
            wrong = f"ab * ab > {most**2:.6g} * aa * bb"
        there = f"{store.table(entity)} WHERE {x} IS NOT NULL AND {y} IS NOT NULL"
        sums = f"SELECT count(*) AS n, {means} FROM (SELECT {ranks} FROM {there}) AS ranks"
        query = f"SELECT n, ab / (aa * bb) * abs(ab) FROM ({sums}) AS sums WHERE n >= {_ENOUGH} AND ({wrong})"
        text = f"{field.name} follows {follows.field}, with a rank correlation of {follows.correlation:g}"
        yield SetRule(kind="correlation", text=text, query=query, shown=("rows", "its square, signed"), keys=0)


def _middle_rank(column: str) -> str:
    return f"rank() OVER (ORDER BY {column}) + (count(*) OVER (PARTITION BY {column}) - 1) / 2.0"


def joined_check(world: World, entity: Entity, check: Check, store: Store) -> RowRule | None:
    """A check that reads other rows too; None for any other."""
    try:
        expression = parse(check.expression, check.dialect)
    except NotEvaluableError:
        return None
    if not expression.aggregates and not any("." in path for path in expression.paths):
        return None
    joined = Joined(world, entity, store)
    text = f"{check.expression} (check{f' {check.name}' if check.name else ''})"
    try:
        return _rule("check", text, f"NOT ({joined.sql(expression)})", joined, ())
    except NotEvaluableError as error:
        return unanswerable("check", text, error)
