"""Arithmetic on ranges: what an expression can come to, and whether it can be null, from the limits of the fields it reads."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from typing import Any

from sqlglot import exp

from ...expression import NotEvaluableError, span_of
from ...model import PerOwner
from ...model.literals import read_literal
from ...model.paths import path_end
from ...model.types import NUMBERS
from ...plan.entity import EntityPlan
from ...plan.fields import Cases, Computed, Counting
from ...plan.formulas import AVERAGE_DIGITS, ChildAggregate, Formula
from ...plan.keys import ends_of_counting
from ...plan.plan import Plan

End = Fraction | None  # None: no end is known


@dataclass(frozen=True, slots=True)
class Span:
    """Numbers from `low` to `high`, both included; `null`: a value may be missing."""

    low: End = None
    high: End = None
    null: bool = False

    def __str__(self) -> str:
        if self.low is None and self.high is None:
            return "anything"
        if self.low is None or self.high is None:
            return f"at most {_shown(self.high)}" if self.high is not None else f"at least {_shown(self.low)}"
        return _shown(self.low) if self.low == self.high else f"{_shown(self.low)} to {_shown(self.high)}"


def _shown(end: End) -> str:
    assert end is not None
    return f"{float(end):,.10g}" if end.denominator != 1 else f"{int(end):,}"


class Ranges:
    """Ranges of the fields of one entity."""

    def __init__(self, plan: Plan, entity_plan: EntityPlan, depth: int = 0) -> None:
        self.plan, self.entity_plan, self.depth = plan, entity_plan, depth

    def of(self, name: str) -> Span:
        """The range of a field."""
        field_plan = self.entity_plan.fields.get(name)
        if field_plan is None or self.depth > 24:
            return Span(null=True)
        field = field_plan.field
        way, axis = field_plan.way, field_plan.axis
        if isinstance(way, Computed):
            span = self.values(way.formula)
            if field.present is not None and field.nullable and (field.present.share != 1 or field.present.when is not None):
                span = Span(span.low, span.high, True)
            return _rounded(span, axis.scale if axis is not None and field.type.name in NUMBERS else None)
        null = field.nullable and not (field.present is not None and field.present.share == 1) and name not in self._owning()
        if axis is None or field.type.name not in NUMBERS:
            return Span(null=null)
        null |= isinstance(way, Cases) and way.cases[-1][0] is not None
        if (few := way.few) is not None:
            known = [Fraction(Decimal(str(read_literal(str(value), field.type)))) for value in few]
            return Span(min(known), max(known), null)
        low, high = field_plan.low, field_plan.high
        if isinstance(way, Counting):
            low, high = ends_of_counting(self.entity_plan, way)
        least, most = axis.natural_limits
        unit = 10**axis.scale
        return Span(Fraction(least if low is None else low, unit), Fraction(most if high is None else high, unit), null)

    def _owning(self) -> tuple[str, ...]:
        owner = self.entity_plan.owner
        return self.entity_plan.entity.relation(owner.relation).columns if owner is not None else ()

    def values(self, formula: Formula) -> Span:
        """What a formula over the rows of the entity can come to."""
        return _of(formula.expression.tree, lambda name: self._read(formula, name))

    def _read(self, formula: Formula, name: str) -> Span:
        if name in formula.aggregates:
            return self._gathered(formula.aggregates[name])
        path = formula.paths[name]
        entity, null = self.entity_plan.entity, False
        for word in path[:-1]:
            relation = entity.relation(word)
            owned = isinstance(entity.rows, PerOwner) and entity.rows.per == word
            always = relation.present is not None and relation.present.share == 1
            null |= not owned and not always and any(entity.field(column).nullable for column in relation.columns)
            null |= relation.target == entity.name  # the first row refers to none before it
            entity = self.plan.world.entity(relation.target)
        end, field = path_end(self.plan.world, self.entity_plan.entity, path)
        found = Ranges(self.plan, self.plan.entities[end], self.depth + 1).of(field)
        return Span(found.low, found.high, found.null or null)

    def _gathered(self, gathered: ChildAggregate) -> Span:
        child = self.plan.entities[gathered.relation.entity]
        owned = child.owner is not None and child.owner.relation == gathered.relation.name and not child.fixed
        split = child.owner.split if child.owner is not None and owned else None
        least = split.least if split is not None and gathered.where is None else 0
        most = split.most if split is not None else child.total
        if gathered.operand is None:
            return Span(Fraction(least), Fraction(most))
        over = Ranges(self.plan, child, self.depth + 1).values(gathered.operand)
        null = over.null or least == 0
        match gathered.function:
            case "count":
                return Span(Fraction(0 if over.null else least), Fraction(most))
            case "sum":
                least = 0 if over.null else max(least, 1)
                low = None if over.low is None else min(over.low * least, over.low * most)
                high = None if over.high is None else max(over.high * least, over.high * most)
                return Span(low, high, null)
            case "avg":
                return _rounded(Span(over.low, over.high, null), AVERAGE_DIGITS)
        return Span(over.low, over.high, null)

    def why_null(self, name: str) -> str:
        """Which part of a computed field may be null, for a message."""
        field_plan = self.entity_plan.fields[name]
        assert isinstance(field_plan.way, Computed)
        formula = field_plan.way.formula
        for part, gathered in formula.aggregates.items():
            if self._read(formula, part).null:
                return f"a row has no {gathered.relation.entity} for {gathered.text}"
        for part in formula.paths:
            if self._read(formula, part).null:
                return f"{part} is null"
        divides = formula.expression.tree.find(exp.Div, exp.IntDiv, exp.Mod)
        return "it divides by zero" if divides is not None else "no case applies"

    def divides_by_nothing(self, formula: Formula) -> str | None:
        """What to say of a divisor that is always zero."""
        for node in formula.expression.tree.find_all(exp.Div, exp.IntDiv, exp.Mod):
            span = self._range(formula, node.expression)
            if span.low == span.high == 0:
                divisor = str(node.expression.sql())
                return f"{formula.expression.text} divides by {divisor}" + ("" if divisor == "0" else ", which is 0")
        return None

    def truth(self, formula: Formula) -> bool | None:
        """Whether a condition always holds (a null passes), never does, or neither can be told."""
        return self._truth(formula, formula.expression.tree)

    def _truth(self, formula: Formula, node: Any) -> bool | None:
        match node:
            case exp.Paren():
                return self._truth(formula, node.this)
            case exp.And() | exp.Or():
                parts = (self._truth(formula, node.this), self._truth(formula, node.expression))
                settled = isinstance(node, exp.Or)
                if settled in parts:
                    return settled
                return None if None in parts else not settled
            case exp.Not() if isinstance(node.this, exp.Is) and isinstance(node.this.expression, exp.Null):
                return None if self._range(formula, node.this.this).null else True
            case exp.GTE() | exp.GT() | exp.LTE() | exp.LT() | exp.EQ() | exp.NEQ():
                found = _compared(node, self._range(formula, node.this), self._range(formula, node.expression))
                apart = self._apart(formula, node.this, node.expression) if found is None else None
                return _compared(node, apart, Span(Fraction(0), Fraction(0))) if apart is not None else found
        return None

    def _range(self, formula: Formula, node: Any) -> Span:
        return _of(node, lambda name: self._read(formula, name))

    def _apart(self, formula: Formula, left: Any, right: Any) -> Span | None:
        """By how much two sides differ that share terms, `departs_at + …` and `departs_at`; None where they share none."""
        terms = [*self._terms(formula, left, 1), *self._terms(formula, right, -1)]
        slack = Fraction(0)
        kept: list[tuple[int, str, Span]] = []
        for sign, text, span, half in terms:
            slack += half
            opposite = next((term for term in kept if term[1] == text and term[0] == -sign), None)
            if opposite is None:
                kept.append((sign, text, span))
            else:
                kept.remove(opposite)
        if len(kept) > len(terms) - 2:
            return None
        out = Span(-slack, slack, any(term[2].null for term in terms))
        for sign, _, span in kept:
            out = _added(out, span) if sign > 0 else _taken(out, span)
        return out

    def _terms(self, formula: Formula, node: Any, sign: int, depth: int = 0) -> list[tuple[int, str, Span, Fraction]]:
        """A sum as its terms: sign, text, range, and how far a stored value lies from the sum that it stands for at most."""
        if isinstance(node, exp.Paren):
            return self._terms(formula, node.this, sign, depth)
        if isinstance(node, exp.Add | exp.Sub):
            other = -sign if isinstance(node, exp.Sub) else sign
            return self._terms(formula, node.this, sign, depth) + self._terms(formula, node.expression, other, depth)
        path = formula.paths.get(_name(node)) if isinstance(node, exp.Column) else None
        inner = self.entity_plan.fields.get(path[0]) if path is not None and len(path) == 1 and depth < 8 else None
        if inner is None or not isinstance(inner.way, Computed):
            return [(sign, node.sql(), self._range(formula, node), Fraction(0))]
        terms = self._terms(inner.way.formula, inner.way.formula.expression.tree, sign, depth + 1)
        exact = inner.axis is None or inner.field.type.name not in NUMBERS
        half = Fraction(0) if exact else Fraction(1, 2 * 10**inner.axis.scale)  # type: ignore[union-attr]
        return [*terms, (sign, "", Span(Fraction(0), Fraction(0)), half)]


Read = Callable[[str], Span]


def _name(node: Any) -> str:
    return f"{node.table}.{node.name}" if node.table else str(node.name)


def _of(node: Any, read: Read) -> Span:
    """The range of one node of an expression; what is not known here has none."""
    match node:
        case exp.Paren():
            return _of(node.this, read)
        case exp.Column():
            return read(_name(node))
        case exp.Literal():
            try:
                value = Fraction(Decimal(node.this)) if not node.is_string else None
            except InvalidOperation:
                value = None
            return Span(value, value)
        case exp.Null():
            return Span(null=True)
        case exp.Boolean():
            return Span()
        case exp.Interval():
            try:
                months, seconds = span_of(node)
            except NotEvaluableError:
                return Span()
            return Span() if months else Span(Fraction(seconds), Fraction(seconds))
        case exp.Neg():
            span = _of(node.this, read)
            return Span(_minus(span.high), _minus(span.low), span.null)
        case exp.Abs():
            span = _of(node.this, read)
            ends = [abs(end) for end in (span.low, span.high) if end is not None]
            whole = span.low is not None and span.high is not None
            above = span.low is not None and span.low >= 0
            return Span(span.low if above else Fraction(0), max(ends) if whole else None, span.null)
        case exp.Round() | exp.Trunc():
            digits = node.args.get("decimals")
            known = int(digits.this) if isinstance(digits, exp.Literal) and digits.this.isdigit() else 0
            return _rounded(_of(node.this, read), known if digits is None or isinstance(digits, exp.Literal) else None)
        case exp.Floor() | exp.Ceil():
            span = _of(node.this, read)
            return Span(_floor(span.low), None if span.high is None else -_floor(-span.high), span.null)  # type: ignore[operator]
        case exp.Coalesce():
            return _coalesced([_of(part, read) for part in (node.this, *node.expressions)])
        case exp.Cast():
            span = _of(node.this, read)
            scale: int | None = 0 if node.to.is_type(*exp.DataType.INTEGER_TYPES) else None
            return _rounded(span, int(node.to.expressions[1].name) if len(node.to.expressions) > 1 else scale)
        case exp.Case():
            branches = [_of(branch.args["true"], read) for branch in node.args["ifs"]]
            return _either([*branches, _of(node.args["default"], read) if node.args.get("default") else Span(null=True)])
        case exp.Greatest() | exp.Least():
            return _extreme(node, [_of(part, read) for part in (node.this, *node.expressions)])
        case exp.Nullif():
            span = _of(node.this, read)
            return Span(span.low, span.high, True)
    if type(node) in _OPERATIONS:
        return _OPERATIONS[type(node)](_of(node.this, read), _of(node.expression, read))
    return Span(null=any(read(_name(column)).null for column in node.find_all(exp.Column)))


def _minus(end: End) -> End:
    return None if end is None else -end


def _floor(end: End) -> End:
    return None if end is None else Fraction(end.numerator // end.denominator)


def _rounded(span: Span, digits: int | None) -> Span:
    """What rounding to a number of digits can make of a range."""
    if digits is None:
        return span
    unit = Fraction(1, 10**digits)

    def nearest(end: End) -> End:
        if end is None:
            return None
        half = abs(end) / unit + Fraction(1, 2)
        return (half.numerator // half.denominator) * unit * (-1 if end < 0 else 1)

    return Span(nearest(span.low), nearest(span.high), span.null)


def _either(spans: list[Span]) -> Span:
    lows, highs = [span.low for span in spans if span != Span(null=True)], [s.high for s in spans if s != Span(null=True)]
    low = None if None in lows or not lows else min(end for end in lows if end is not None)
    high = None if None in highs or not highs else max(end for end in highs if end is not None)
    return Span(low, high, any(span.null for span in spans))


def _coalesced(spans: list[Span]) -> Span:
    used = []
    for span in spans:
        used.append(span)
        if not span.null:
            break
    joint = _either(used)
    return Span(joint.low, joint.high, all(span.null for span in used))


def _extreme(node: Any, spans: list[Span]) -> Span:
    """The greatest, or least, of several. Where nulls are passed over, only what is never null is sure to be among them."""
    greatest, skips = isinstance(node, exp.Greatest), bool(node.args.get("ignore_nulls"))
    choose, other = (max, min) if greatest else (min, max)
    near = [span.low if greatest else span.high for span in spans]  # the end that every one of them pushes
    far = [span.high if greatest else span.low for span in spans]
    sure = [end for end, span in zip(near, spans, strict=True) if not (skips and span.null)]
    known = [end for end in sure if end is not None]
    if known:
        pushed: End = choose(known)
    else:
        pushed = other(end for end in near if end is not None) if not sure and None not in near else None
    reached = choose(end for end in far if end is not None) if None not in far else None
    null = all(span.null for span in spans) if skips else any(span.null for span in spans)
    return Span(pushed, reached, null) if greatest else Span(reached, pushed, null)


def _added(left: Span, right: Span) -> Span:
    low = None if left.low is None or right.low is None else left.low + right.low
    high = None if left.high is None or right.high is None else left.high + right.high
    return Span(low, high, left.null or right.null)


def _taken(left: Span, right: Span) -> Span:
    return _added(left, Span(_minus(right.high), _minus(right.low), right.null))


def _times(left: Span, right: Span) -> Span:
    null = left.null or right.null
    if None in (left.low, left.high, right.low, right.high):
        above = left.low is not None and right.low is not None and left.low >= 0 and right.low >= 0
        return Span(left.low * right.low if above else None, None, null)  # type: ignore[operator]
    ends = [one * other for one in (left.low, left.high) for other in (right.low, right.high)]  # type: ignore[operator]
    return Span(min(ends), max(ends), null)


def _divided(left: Span, right: Span) -> Span:
    zero = (right.low is None or right.low <= 0) and (right.high is None or right.high >= 0)
    if zero or right.low is None or right.high is None:
        return Span(null=left.null or right.null or zero)
    return _times(left, Span(1 / right.high, 1 / right.low, right.null))


def _remainder(left: Span, right: Span) -> Span:
    zero = (right.low is None or right.low <= 0) and (right.high is None or right.high >= 0)
    above = left.low is not None and left.low >= 0
    return Span(Fraction(0) if above else None, right.high, left.null or right.null or zero)


_OPERATIONS: dict[type, Callable[[Span, Span], Span]] = {
    exp.Add: _added, exp.Sub: _taken, exp.Mul: _times, exp.Div: _divided, exp.IntDiv: _divided, exp.Mod: _remainder,
}  # fmt: skip


def _compared(node: Any, left: Span, right: Span) -> bool | None:
    if isinstance(node, exp.LTE | exp.LT):
        left, right = right, left
    strict = isinstance(node, exp.GT | exp.LT)
    null = left.null or right.null  # a null passes, so nothing with one never holds
    if isinstance(node, exp.EQ | exp.NEQ):
        apart = _above(left, right, strict=True) or _above(right, left, strict=True)
        return (isinstance(node, exp.NEQ) or (None if null else False)) if apart else None
    if _above(left, right, strict=strict):
        return True
    return False if _above(right, left, strict=not strict) and not null else None


def _above(one: Span, other: Span, *, strict: bool) -> bool:
    if one.low is None or other.high is None:
        return False
    return one.low > other.high if strict else one.low >= other.high
