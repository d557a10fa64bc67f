"""CHECK constraints as limits: what can be met by construction is split off; the rest stays an expression."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from sqlglot import exp

from ..expression import NotEvaluableError, parse
from ..model import Allowed, Bound, Check, Entity, Field, Limits, NotUnderstood, PatternSource, Present, World
from ..model.literals import read_literal

_MIRROR = {">": "<", ">=": "<=", "<": ">", "<=": ">="}
_COMPARISONS = {exp.GT: ">", exp.GTE: ">=", exp.LT: "<", exp.LTE: "<="}


def understand_checks(world: World) -> World:
    """The world with limits from its checks; a check that all of its parts became limits says by what it is met."""
    notes = list(world.not_understood)
    entities = []
    for entity in world.entities:
        reader = _Reader(entity)
        checks = []
        for check in entity.checks:
            if check.met_by is not None:  # read before
                checks.append(check)
                continue
            try:
                parse(check.expression, check.dialect)
            except NotEvaluableError as error:
                notes.append(NotUnderstood(what=f"{entity.name}: {error}: rows may break {check}", place=check.place))
                checks.append(replace(check, met_by="nothing"))
                continue
            checks.append(reader.read(check))
        entities.append(replace(reader.entity, checks=tuple(checks)))
    return replace(world, entities=tuple(entities), not_understood=tuple(notes))


class _Reader:
    """Reads the checks of one entity into the limits of its fields."""

    def __init__(self, entity: Entity) -> None:
        self.entity = entity
        self.check = Check(expression="")
        self._folded = {field.name.lower(): field for field in entity.fields}

    def read(self, check: Check) -> Check:
        self.check = check
        tree = parse(check.expression, check.dialect).tree
        met = [self._conjunct(part) for part in _conjuncts(tree)]
        return replace(check, met_by="; ".join(filter(None, met))) if all(met) else check

    def _change(self, name: str, change: Callable[[Field], Field]) -> None:
        fields = tuple(change(f) if f.name == name else f for f in self.entity.fields)
        self.entity = replace(self.entity, fields=fields)

    def _limit(self, name: str, change: Callable[[Limits], Limits]) -> None:
        self._change(name, lambda f: replace(f, limits=change(f.limits)))

    def _field(self, node: Any) -> Field | None:
        if isinstance(node, exp.Cast):
            node = node.this
        if isinstance(node, exp.Column) and not node.table and node.name.lower() in self._folded:
            return self.entity.field(self._folded[node.name.lower()].name)
        return None

    def _literal(self, node: Any, field: Field) -> str | None:
        if isinstance(node, exp.Cast | exp.Paren):
            node = node.this
        text = None
        if isinstance(node, exp.Literal):
            text = node.this
        elif isinstance(node, exp.Neg) and isinstance(node.this, exp.Literal):
            text = f"-{node.this.this}"
        elif isinstance(node, exp.Boolean):
            text = str(node.this).lower()
        if text is not None:
            try:
                read_literal(text, field.type)
            except ValueError:
                return None
        return text

    def _conjunct(self, node: Any) -> str | None:
        """What the part became, or None where it stays an expression."""
        node = _bare(node)
        for read in (self._comparison, self._membership, self._shape_of_text, self._presence, self._differing):
            if became := read(node):
                return became
        if isinstance(node, exp.Or):
            return self._alternatives(node)
        return None

    def _comparison(self, node: Any) -> str | None:
        if isinstance(node, exp.Between):
            low = self._bound(node.this, ">=", node.args["low"])
            high = low and self._bound(node.this, "<=", node.args["high"])
            return f"{low} and {high}" if high else None
        if isinstance(node, exp.EQ):
            field, text = self._field(node.this), None
            if field is not None and (text := self._literal(node.expression, field)) is not None:
                return self._allow(field, (text,))
            return None
        comparison = _COMPARISONS.get(type(node))
        if comparison is None:
            return None
        if isinstance(node.this, exp.Length):
            return self._length(node.this.this, comparison, node.expression)
        return self._bound(node.this, comparison, node.expression) or self._bound(node.expression, _MIRROR[comparison], node.this)

    def _bound(self, left: Any, comparison: Any, right: Any) -> str | None:
        field = self._field(left)
        if field is None:
            return None
        text, path = self._literal(right, field), False
        if text is None:
            other = self._field(right)
            if other is None or other.type.name != field.type.name or other.name == field.name:
                return None
            # of two fields the later one in the table follows: times and totals are declared in their order
            if self.entity.field_names.index(other.name) > self.entity.field_names.index(field.name):
                return self._bound(right, _MIRROR[comparison], left)
            text, path = other.name, True
        bound = Bound(comparison=comparison, operand=text, path=path, place=self.check.place, because=str(self.check))
        self._limit(field.name, lambda limits: replace(limits, bounds=(*limits.bounds, bound)))
        return f"{field.name} {comparison} {text}"

    def _length(self, of: Any, comparison: str, right: Any) -> str | None:
        field = self._field(of)
        if field is None or not isinstance(right, exp.Literal) or not str(right.this).isdigit():
            return None
        number = int(right.this) + {">": 1, "<": -1}.get(comparison, 0)
        if comparison in (">", ">="):
            self._limit(field.name, lambda limits: replace(limits, min_length=max(number, limits.min_length or 0)))
        else:
            room = limits_room(field)
            self._limit(field.name, lambda limits: replace(limits, max_length=number if room is None else min(number, room)))
        return f"length of {field.name} {comparison} {right.this}"

    def _allow(self, field: Field, values: tuple[str, ...]) -> str:
        allowed = Allowed(values=values, place=self.check.place, because=str(self.check))
        self._limit(field.name, lambda limits: replace(limits, allowed=(*limits.allowed, allowed)))
        return f"{field.name} is one of {len(values)}"

    def _membership(self, node: Any) -> str | None:
        if not isinstance(node, exp.In) or not node.expressions:
            return None
        field = self._field(node.this)
        if field is None:
            return None
        values = [self._literal(item, field) for item in node.expressions]
        return self._allow(field, tuple(v for v in values if v is not None)) if None not in values else None

    def _shape_of_text(self, node: Any) -> str | None:
        if not isinstance(node, exp.RegexpLike) or not isinstance(node.expression, exp.Literal):
            return None
        field = self._field(node.this)
        pattern = node.expression.this
        # SQL's operator finds the expression anywhere; only an anchored one says what the whole text is
        if field is None or not (pattern.startswith("^") and pattern.endswith("$")):
            return None
        source = PatternSource(pattern=pattern[1:-1], place=self.check.place)
        self._limit(field.name, lambda limits: replace(limits, patterns=(*limits.patterns, source)))
        return f"{field.name} matches {pattern}"

    def _presence(self, node: Any) -> str | None:
        """`(condition) = (field IS NOT NULL)`, either way round; and a plain `field IS NOT NULL`."""
        if (field := self._not_null(node)) is not None:
            self._change(field.name, lambda f: replace(f, nullable=False))
            return f"{field.name} is always there"
        if not isinstance(node, exp.EQ):
            return None
        for condition, null_test in ((node.this, node.expression), (node.expression, node.this)):
            if (field := self._not_null(_bare(null_test))) is not None:
                return self._present_when(field, condition)
        return None

    def _not_null(self, node: Any) -> Field | None:
        negated = isinstance(node, exp.Not)
        test = _bare(node.this) if negated else node
        if isinstance(test, exp.Is) and isinstance(test.expression, exp.Null) and negated != bool(test.args.get("negate")):
            return self._field(test.this)
        return None

    def _is_null(self, node: Any) -> Field | None:
        is_null = isinstance(node, exp.Is) and isinstance(node.expression, exp.Null) and not node.args.get("negate")
        return self._field(node.this) if is_null else None

    def _present_when(self, field: Field, condition: Any) -> str | None:
        names = [self._field(column) for column in condition.find_all(exp.Column)]
        if field.present is not None or not names or any(f is None or f.name == field.name for f in names):
            return None
        text = _bare(condition).sql()
        self._change(field.name, lambda f: replace(f, present=Present(when=text, place=self.check.place)))
        return f"{field.name} is there exactly when {text}"

    def _differing(self, node: Any) -> str | None:
        """Two references to one target that must not be equal."""
        if not isinstance(node, exp.NEQ):
            return None
        one, other = self._field(node.this), self._field(node.expression)
        if one is None or other is None:
            return None
        by_column = {relation.columns: relation for relation in self.entity.relations}
        first, second = by_column.get((one.name,)), by_column.get((other.name,))
        if first is None or second is None or (first.target, first.target_columns) != (second.target, second.target_columns):
            return None
        if first.unlike is None:
            relations = tuple(replace(r, unlike=first.name) if r is second else r for r in self.entity.relations)
            self.entity = replace(self.entity, relations=relations)
        return f"{second.name} is never {first.name}"

    def _alternatives(self, node: Any) -> str | None:
        """`field IS NULL OR …` (null passes anyway), and implications about a field's presence."""
        parts = [_bare(part) for part in _disjuncts(node)]
        if len(parts) != 2:
            return None
        for this, other in (parts, parts[::-1]):
            if (field := self._is_null(this)) is not None:
                columns = {column.name.lower() for column in other.find_all(exp.Column)}
                if field.name.lower() in columns:
                    return self._conjunct(other)
                return self._present_when(field, other)
            if (field := self._not_null(this)) is not None:
                return self._present_when(field, exp.Not(this=exp.Paren(this=other.copy())))
        return None


def limits_room(field: Field) -> int | None:
    """The most characters that the type and the limits leave, or None."""
    rooms = [room for room in (field.type.length, field.limits.max_length) if room is not None]
    return min(rooms) if rooms else None


def _bare(node: Any) -> Any:
    while isinstance(node, exp.Paren):
        node = node.this
    return node


def _conjuncts(node: Any) -> list[Any]:
    node = _bare(node)
    return [*_conjuncts(node.this), *_conjuncts(node.expression)] if isinstance(node, exp.And) else [node]


def _disjuncts(node: Any) -> list[Any]:
    node = _bare(node)
    return [*_disjuncts(node.this), *_disjuncts(node.expression)] if isinstance(node, exp.Or) else [node]
