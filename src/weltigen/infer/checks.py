"""CHECK constraints as limits: what can be met by construction is split off; the rest stays an expression."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import Any

import pyarrow as pa
from sqlglot import exp

from ..expression import Expression, NotEvaluableError, condition_tree, octets_of, parse
from ..expression.comparing import as_compared
from ..model import Allowed, Bound, Check, Entity, Field, Notice, TypeName, WeightsSource, World
from ..model.changing import changed
from ..model.fields import Comparison
from ..model.literals import read_literal
from ..model.origins import Origin, Status
from ..model.types import INTEGERS, MOMENTS, ORDERED, TEXTS
from .cases import settle_cases
from .conditions import conjuncts, disjuncts, is_now, joined, trimmed
from .patterns_of_presence import settle_presence, ties_presence
from .present import PresenceLimits

_MIRROR: dict[Comparison, Comparison] = {">": "<", ">=": "<=", "<": ">", "<=": ">="}
_COMPARISONS: dict[type, Comparison] = {exp.GT: ">", exp.GTE: ">=", exp.LT: "<", exp.LTE: "<="}


def understand_checks(world: World) -> World:
    """The world with limits from its checks; a check that all of its parts became limits says by what it is met."""
    notes = list(world.notices)
    entities = []
    keys = _keys_asked_for(world)
    for entity in world.entities:
        if entity.checks:
            entity = settle_cases(entity)
        reader = _Reader(settle_presence(entity, keys.get(entity.name, frozenset())) if entity.checks else entity)
        found: dict[int, Check] = {}
        # what ties the presence of fields to each other is read before what asks for one of them in some rows
        for number in sorted(range(len(entity.checks)), key=lambda number: not ties_presence(entity.checks[number])):
            check = entity.checks[number]
            if check.status is not Status.OPEN:  # read before
                found[number] = check
                continue
            read = reader.read(check)
            # a check of a world file is tried when it is planned, over other rows too, and must have a meaning
            if read.status is Status.OPEN and check.dialect is not None and (trouble := _trouble(entity, check)) is not None:
                notes.append(Notice(what=f"{entity.name}: {trouble}: rows may break {check}", place=check.place))
                read = replace(check, status=Status.UNREADABLE)
            if read.status is Status.OPEN and (needed := _needed_alone(reader.entity, check)) is not None:
                reader.change(needed, lambda f: replace(f, nullable=False))
            found[number] = read
        if entity.checks:
            entity = replace(reader.entity, checks=tuple(found[number] for number in range(len(entity.checks))))
        entities.append(entity)
    return replace(world, entities=tuple(entities), notices=tuple(notes))


def _keys_asked_for(world: World) -> dict[str, frozenset[str]]:
    """By entity, the columns that may be null and by which rows of others must refer to it."""
    out: dict[str, frozenset[str]] = {}
    for entity in world.entities:
        for relation in entity.relations:
            must = not all(entity.field(column).nullable for column in relation.columns)
            if must and relation.target != entity.name and world.has(relation.target):
                target = world.entity(relation.target)
                held = {column for column in relation.target_columns if target.has(column) and target.field(column).nullable}
                out[target.name] = out.get(target.name, frozenset()) | held
    return out


def _trouble(entity: Entity, check: Check) -> str | None:
    """Why a check cannot be evaluated at all; it is tried on a row of nulls of the right types."""
    try:
        truth = _of_nulls(entity, check)
    except NotEvaluableError as error:
        return str(error)
    return None if pa.types.is_boolean(truth.type) or pa.types.is_null(truth.type) else f"'{check.expression}' is not a condition"


def _of_nulls(entity: Entity, check: Check) -> Any:
    """What a check says of a row of nulls; NotEvaluableError where it says nothing at all."""
    folded = {field.name.lower(): field for field in entity.fields}

    def nothing(path: str) -> Any:
        field = folded.get(path.lower())
        if field is None:
            raise NotEvaluableError(f"'{path}' is not a field of {entity.name}")
        return pa.nulls(1, field.type.arrow())

    parsed = as_compared(parse(check.expression, check.dialect), check.dialect, lambda path: folded.get(path.lower()))
    return parsed.evaluate(nothing, 1)


def _needed_alone(entity: Entity, check: Check) -> str | None:
    """The field that a check reads alone, and which it does not allow to be null: `trim(coalesce(note, '')) <> ''`."""
    try:
        names = {path.lower() for path in parse(check.expression, check.dialect).paths}
        truth = _of_nulls(entity, check) if len(names) == 1 else None
    except NotEvaluableError:
        return None
    found = next((field for field in entity.fields if {field.name.lower()} == names and field.nullable), None)
    if found is None or truth is None or not pa.types.is_boolean(truth.type):
        return None
    return found.name if (truth if isinstance(truth, pa.Scalar) else truth[0]).as_py() is False else None


class _Reader(PresenceLimits):
    """Reads the checks of one entity into the limits of its fields."""

    def read(self, check: Check) -> Check:
        self.check = check
        try:
            tree = condition_tree(check.expression, check.dialect)
        except NotEvaluableError:
            return check
        before = self.entity
        met = [self._conjunct(part) for part in conjuncts(tree)]
        if all(met):
            return changed(check, status=Status.MET, met_by="; ".join(filter(None, met)))
        if any(part is not None for part in met):
            return check  # some parts are limits now, and the whole is tried as well
        self.entity = before
        return check

    def _conjunct(self, node: Any) -> str | None:
        """What the part became, or None where it stays an expression."""
        for read in (self._truth, self._comparison, self._membership, self._all_but, self._shape_of_text, self._not_empty,
                     self._case, self._presence, self._differing):  # fmt: skip
            if became := read(node):
                return became
        if isinstance(node, exp.Or):
            return self._alternatives(node)
        return None

    def _comparison(self, node: Any) -> str | None:
        if isinstance(node, exp.EQ):
            field, text = self.field(node.this), None
            if field is not None and (text := self._literal(node.expression, field)) is not None:
                return self._allow(field, (text,))
            of = node.this.this if isinstance(node.this, exp.Length) else octets_of(node.this)
            if of is None:
                return None
            both = self._length(of, ">=", node.expression) and self._length(of, "<=", node.expression)
            return both if isinstance(node.this, exp.Length) or self._of_bytes(of) else None
        comparison = _COMPARISONS.get(type(node))
        if comparison is None:
            return None
        left = trimmed(node.this)
        if isinstance(left, exp.Length):
            return self._length(trimmed(left.this), comparison, node.expression)
        if (text := octets_of(left)) is not None:
            # a text has no fewer bytes than characters, but it may have more: then attempts decide
            became = self._length(trimmed(text), comparison, node.expression)
            return became if comparison in (">", ">=") or self._of_bytes(text) else None
        return self._bound(node.this, comparison, node.expression) or self._bound(node.expression, _MIRROR[comparison], node.this)

    def _is_keyed(self, field: Field) -> bool:
        """Whether a field counts up, or a rule keeps its values apart: then it does not move with other fields."""
        return field.identity or any(field.name in rule for rule in self.entity.needed_rules)

    @staticmethod
    def _is_ended(field: Field, comparison: Comparison) -> bool:
        """Whether a field has an end of its own on the other side than a comparison sets one."""
        ends = {bound.comparison[0] for bound in field.limits.bounds if not bound.path}
        return bool(field.limits.allowed) or ("<" if comparison[0] == ">" else ">") in ends

    def _of_bytes(self, node: Any) -> bool:
        """Whether a node is a field that holds bytes, whose length is their number."""
        field = self.field(trimmed(node))
        return field is not None and field.type.name is TypeName.BYTEA

    def _bound(self, left: Any, comparison: Comparison, right: Any, turned: bool = False) -> str | None:
        """`turned`: the other of two fields waits for this one, which therefore follows it whatever else is usual."""
        field = self.field(left)
        if field is None:
            return None
        text, path = self._literal(right, field), False
        if text is None and field.type.name in MOMENTS and is_now(right):
            text = "now"
        if text is None:
            other = self.field(right)
            alike = other is not None and (other.type.name == field.type.name or {other.type.name, field.type.name} <= INTEGERS)
            if other is None or not alike or other.name == field.name:
                return None
            if field.type.name not in ORDERED or field.type.wide or other.type.wide:
                return None  # an order of texts, or of numbers beyond 64 bits, is met by attempts
            if self.refers(field.name):  # what follows a reference has no limits of its own
                return None if self.refers(other.name) else self._bound(right, _MIRROR[comparison], left)
            if self.refers(other.name) and (self._is_keyed(field) or self._is_ended(field, comparison)):
                return None  # another row may have to be referred to
            # of two fields the later one in the table follows: times and totals are declared in their order
            later = self.entity.field_names.index(other.name) > self.entity.field_names.index(field.name)
            if self._is_keyed(other) != self._is_keyed(field):  # what rules keep apart does not move
                later = self._is_keyed(field)
            elif self._is_keyed(field) and not self.refers(other.name):
                return None
            if later and not self.refers(other.name) and not turned:
                return self._bound(right, _MIRROR[comparison], left)
            free = not turned and not self.refers(other.name) and self._is_keyed(other) == self._is_keyed(field)
            if free and self._waits_for(other, field.name) and not self._waits_for(field, other.name):
                return self._bound(right, _MIRROR[comparison], left, turned=True)
            text, path = other.name, True
        elif field.type.name in TEXTS | {TypeName.INTERVAL} or self.refers(field.name):
            return None  # an order of texts, or of intervals, is not a limit that values are made for
        bound = Bound(
            comparison=comparison, operand=text, path=path, place=self.check.place, origin=Origin.CHECK, because=str(self.check)
        )
        self._limit(field.name, lambda limits: changed(limits, bounds=(*limits.bounds, bound)))
        return f"{field.name} {comparison} {text}"

    def _allow(self, field: Field, values: tuple[str, ...]) -> str:
        allowed = Allowed(values=values, place=self.check.place, origin=Origin.CHECK, because=str(self.check))
        self._limit(field.name, lambda limits: changed(limits, allowed=(*limits.allowed, allowed)))
        return f"{field.name} is one of {len(values)}"

    def _membership(self, node: Any) -> str | None:
        """IN, and its longer form: the same field equal to one or another value."""
        listed = self._listed(node)
        return self._allow(*listed) if listed is not None else None

    def _all_but(self, node: Any) -> str | None:
        """`field <> 'x'` and NOT IN, of a field whose values are listed already."""
        listed = None
        if isinstance(node, exp.NEQ):
            listed = self._listed(exp.EQ(this=node.this, expression=node.expression))
        elif isinstance(node, exp.Not) and isinstance(node.this, exp.In):
            listed = self._listed(node.this)
        if listed is None:
            return None
        field, excluded = listed
        known = field.type.values
        for allowed in field.limits.allowed:
            known = allowed.values
        if not known and isinstance(field.source, WeightsSource):
            known = tuple(value for value, weight in field.source.weights if weight > 0)
        left = tuple(value for value in known if value not in excluded)
        return self._allow(field, left) if left else None

    def _listed(self, node: Any) -> tuple[Field, tuple[str, ...]] | None:
        parts: list[tuple[Any, list[Any]]] = []
        for part in disjuncts(node):
            if isinstance(part, exp.In) and part.expressions:
                parts.append((part.this, part.expressions))
            elif isinstance(part, exp.EQ):
                parts.append((part.this, [part.expression]))
            else:
                return None
        fields = [self.field(this) for this, _ in parts]
        field = fields[0]
        if field is None or any(other is None or other.name != field.name for other in fields):
            return None
        values = [self._literal(item, field) for _, items in parts for item in items]
        return (field, tuple(v for v in values if v is not None)) if None not in values else None

    def _truth(self, node: Any) -> str | None:
        """What reads one boolean field alone, however it is written: `NOT hidden`, `hidden <> 1`, `hidden BETWEEN 0 AND 1`."""
        fields = [self.field(column) for column in node.find_all(exp.Column)]
        field = fields[0] if fields else None
        if field is None or field.type.name is not TypeName.BOOLEAN or any(other is not field for other in fields):
            return None
        if self.refers(field.name) or node.find(exp.Null):
            return None  # what follows a reference has no values of its own; presence is read elsewhere
        expression = Expression(text=str(self.check), tree=node, paths=(field.name,), dialect=self.check.dialect)
        try:
            truths = expression.evaluate(lambda _: pa.array([False, True]), 2).cast(pa.bool_()).to_pylist()
        except (NotEvaluableError, pa.ArrowInvalid):
            return None
        values = [value for value, truth in zip(("false", "true"), truths, strict=True) if truth is not False]
        return f"{field.name} is either" if len(values) == 2 else self._allow(field, tuple(values)) if values else None

    def _differing(self, node: Any) -> str | None:
        """Two references to one target that must not be equal."""
        if not isinstance(node, exp.NEQ):
            return None
        one, other = self.field(node.this), self.field(node.expression)
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
        """`field IS NULL OR …` (null passes anyway), implications about a field's presence, and ranges side by side."""
        parts = disjuncts(node)
        parts = sorted(parts, key=self._is_of_a_reference)  # what follows a reference is decided last
        if became := self._never_whole(parts):
            return became
        for there in filter(None, map(self._not_null, parts)):
            if not there.nullable or (there.present is not None and there.present.share == 1 and there.present.when is None):
                return f"{there.name} is always there"
        for number, this in enumerate(parts):
            rest = joined(parts[:number] + parts[number + 1 :])
            if (field := self._is_null(this)) is not None:
                columns = {column.name.lower() for column in rest.find_all(exp.Column)}
                if field.name.lower() in columns or not field.nullable:
                    return self._conjunct(rest)
                if became := self.present_when(field, rest):
                    return became
        for number, this in enumerate(parts):
            rest = joined(parts[:number] + parts[number + 1 :])
            field = self._not_null(this)
            if field is not None and (became := self.present_when(field, exp.Not(this=exp.Paren(this=rest.copy())))):
                return became
        return self._ranges(parts)

    def _ranges(self, parts: list[Any]) -> str | None:
        """Ranges of one field that touch each other, as partitions have them, are one range."""
        spans: list[tuple[Any, str, str]] = []
        fields: set[str] = set()
        for part in parts:
            ends = conjuncts(part)
            if len(ends) != 2 or not isinstance(ends[0], exp.GTE) or not isinstance(ends[1], exp.LT):
                return None
            for end in ends:
                if (field := self.field(end.this)) is None or self._literal(end.expression, field) is None:
                    return None
                fields.add(field.name)
            low, high = (str(end.expression.this) for end in ends)
            spans.append((read_literal(low, self.entity.field(min(fields)).type), low, high))
        if len(fields) != 1:
            return None
        spans.sort(key=lambda span: span[0])
        if any(one[2] != two[1] for one, two in pairwise(spans)):
            return None
        column = exp.column(fields.pop())
        low_met = self._bound(column, ">=", exp.Literal.string(spans[0][1]))
        return low_met and self._bound(column, "<", exp.Literal.string(spans[-1][2]))
