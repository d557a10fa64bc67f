"""Checks that say when fields are there, as presence: all or none, one of several, exactly when a condition is true."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from sqlglot import exp

from ..expression import NotEvaluableError, canonical, parse
from ..expression.names import is_plain, plain_name
from ..model import Field, Present
from ..model.origins import Origin
from ..model.types import TEXTS
from .limiting import TextLimits
from .presence import all_or_none, exactly_one, in_turn, presence_ways


def _is_set(present: Present | None) -> bool:
    """Whether somebody says when a field is there: a guess gives way to a check."""
    return present is not None and present.origin is not Origin.GUESSED


class PresenceLimits(TextLimits):
    """Reads what a check says about which fields are there. Of a reference all columns are there, or none."""

    def _presence(self, node: Any) -> str | None:
        """`(condition) = (field IS NOT NULL)`, either way round; and a plain `field IS NOT NULL`."""
        if (field := self._not_null(node)) is not None:
            self.change(field.name, lambda f: replace(f, nullable=False))
            return f"{field.name} is always there"
        if (field := self._is_null(node)) is not None and field.nullable:
            self.change(field.name, lambda f: replace(f, present=Present(share=0.0, place=self.check.place, origin=Origin.CHECK)))
            return f"{field.name} is never there"
        if (group := all_or_none(node, self.field)) is not None:
            return self._together(group)
        if (choice := exactly_one(node, self.field)) is not None:
            return self._one_of(*choice) or self._the_other(*choice)
        if isinstance(node, exp.Or) and (became := self._in_turn(node)) is not None:
            return became
        if isinstance(node, exp.NEQ):  # (condition) <> (field IS NULL)
            node = exp.EQ(this=node.this, expression=canonical(exp.Not(this=node.expression.copy()), None))
        if not isinstance(node, exp.EQ):
            return None
        for condition, null_test in ((node.this, node.expression), (node.expression, node.this)):
            if (field := self._not_null(null_test)) is not None:
                return self.present_when(field, condition)
            if (field := self._is_null(null_test)) is not None:
                return self.present_when(field, exp.Not(this=exp.Paren(this=condition.copy())))
        return None

    def _together(self, group: list[Field]) -> str | None:
        """All of them or none: the first decides, a reference before others, since what it refers to may be missing."""
        group = self._one_of_each_reference(
            sorted(group, key=lambda f: (f.present is None, not self._is_of_own_rows(f), not self.refers(f.name)))
        )
        if any(not f.nullable for f in group):
            for f in group:
                self.change(f.name, lambda f: replace(f, nullable=False))
            return f"{', '.join(f.name for f in group)} are always there, since one must be"
        lead = exp.Not(this=exp.Is(this=exp.column(group[0].name), expression=exp.Null()))
        met = [self.present_when(f, lead) for f in group[1:]]
        return f"{', '.join(f.name for f in group)}: all or none" if all(met) else None

    def _one_of(self, group: list[Field], least: int) -> str | None:
        """Exactly one (at most one where `least` is 0): each takes its share of the rows that those before it left."""
        group = sorted(group, key=lambda f: not self.refers(f.name))
        along = {c for r in self.entity.relations for f in group if f.name in r.columns for c in r.columns}
        if any(not f.nullable for f in group) or any(
            _is_set(self.entity.field(n).present) for n in {f.name for f in group} | along
        ):
            return None
        choices = len(group) + (1 - least)
        for number, field in enumerate(group):
            share = 1.0 / (choices - number)
            others = " AND ".join(f"{plain_name(f.name)} IS NULL" for f in group[:number])
            present = Present(
                share=share if share < 1 or not others else None, when=others or None, place=self.check.place, origin=Origin.CHECK
            )
            self.change(field.name, lambda f, present=present: replace(f, present=present))  # type: ignore[misc]
        return f"{'exactly' if least else 'at most'} one of {', '.join(f.name for f in group)}"

    def _the_other(self, group: list[Field], least: int) -> str | None:
        """Of two fields of which exactly one is there, that of which nothing is said yet is there where the other is not."""
        free = [field for field in group if not _is_set(self.entity.field(field.name).present) and field.nullable]
        if len(group) != 2 or not least or len(free) != 1:
            return None
        other = next(field for field in group if field is not free[0])
        return self.present_when(free[0], exp.Is(this=exp.column(other.name, quoted=True), expression=exp.Null()))

    def _in_turn(self, node: Any) -> str | None:
        """`(a IS NOT NULL AND b IS NULL AND d IS NULL) OR (a IS NULL AND b IS NOT NULL AND d IS NULL) OR (a IS NULL AND b IS NULL
        AND c IS NOT NULL)`: a field of each way but the last is there in that way alone, so that the ways are gone through."""
        ways = presence_ways(node, self.field)
        turns = in_turn(ways) if ways is not None else None
        if ways is None or turns is None:
            return None
        named = list(dict.fromkeys(name for way in ways for name in way))
        shared = {c for r in self.entity.relations if len(r.columns) > 1 for c in r.columns}
        first = self.entity.field(turns[0][1]).present
        taken = [n for n in named if n != turns[0][1] and _is_set(self.entity.field(n).present)]
        if shared & set(named) or taken or (first is not None and first.when is not None) or not all(
            self.entity.field(n).nullable for n in named
        ):  # fmt: skip
            return None
        conditions, before = [], ""
        for way, lead in turns:
            conditions.append((way, f"{before}{plain_name(lead)} IS NOT NULL"))
            before += f"{plain_name(lead)} IS NULL AND "
        (last,) = [way for way in ways if all(way is not other for other, _ in turns)]
        conditions.append((last, before.removesuffix(" AND ")))
        leads = [lead for _, lead in turns]
        for number, lead in enumerate(leads):
            if number or not _is_set(first):
                when = " AND ".join(f"{plain_name(one)} IS NULL" for one in leads[:number])
                self._is_there(lead, 1.0 / (len(ways) - number), when)
        for name in named:
            if name in leads:
                continue
            sure = [text for way, text in conditions if way.get(name)]
            free = [text for way, text in conditions if name not in way]
            self._is_there(name, None if sure else 0.9, " OR ".join(f"({text})" for text in sure or free) if sure or free else "")
        return f"{', '.join(named)}: one of {len(ways)} ways"

    def _is_there(self, name: str, share: float | None, when: str) -> None:
        share = share if when or share is not None else 0.0
        present = Present(share=share, when=when or None, place=self.check.place, origin=Origin.CHECK)
        self.change(name, lambda f: replace(f, present=present))

    def _not_null(self, node: Any) -> Field | None:
        return self._is_null(node.this) if isinstance(node, exp.Not) else None

    def _is_null(self, node: Any) -> Field | None:
        is_null = isinstance(node, exp.Is) and isinstance(node.expression, exp.Null)
        return self.field(node.this) if is_null else None

    def present_when(self, field: Field, condition: Any) -> str | None:
        names = [self.field(column) for column in condition.find_all(exp.Column)]
        own = [r for r in self.entity.relations if r.target == self.entity.name and field.name in r.target_columns]
        if any(f is not None and f.name in r.columns for f in names for r in own):
            return None  # rows would have to know of rows that refer to them
        text = self._written(condition)
        if field.present is not None and field.present.when == text:
            return f"{field.name} is there exactly when {text}"
        beside = {c for r in self.entity.relations if field.name in r.columns for c in r.columns}
        if any(f is not None and f.name in beside for f in names):
            return None  # of one reference all columns are there, or none
        if _is_set(field.present) or not field.nullable or not names or any(f is None or f.name == field.name for f in names):
            return None
        if any(f is not None and self._waits_for(f, field.name) for f in names):
            return None
        try:
            parse(text)
        except NotEvaluableError:
            return None
        self.change(field.name, lambda f: replace(f, present=Present(when=text, place=self.check.place, origin=Origin.CHECK)))
        return f"{field.name} is there exactly when {text}"

    def _waits_for(self, field: Field, name: str, depth: int = 0) -> bool:
        """Whether the field's presence, or one of its bounds, needs the field `name` first."""
        if depth > 8:
            return True
        needs = [bound.operand for bound in field.limits.bounds if bound.path and "." not in bound.operand]
        if field.present is not None and field.present.when:
            needs += [path for path in parse(field.present.when).paths if self.entity.has(path)]
        along = {name, *(c for r in self.entity.relations if name in r.columns for c in r.columns)}  # all of a reference, or none
        return bool(along & set(needs)) or any(self._waits_for(self.entity.field(n), name, depth + 1) for n in needs)

    def _written(self, condition: Any) -> str:
        """The condition as plain SQL, without the quotes and casts that a catalogue adds."""
        tree = exp.Paren(this=condition.copy())
        for node in list(tree.find_all(exp.Cast)):
            field = self.field(node.this)
            if field is not None and field.type.name in TEXTS and node.to.this in exp.DataType.TEXT_TYPES:
                node.replace(node.this)
        for column in tree.find_all(exp.Column):
            if (field := self.field(column)) is not None:
                column.this.replace(exp.to_identifier(field.name, quoted=not is_plain(field.name)))
        return str(canonical(tree, None).sql()) if not tree.find(exp.And, exp.Or) else parse(tree.this.sql()).sql("postgres")

    def _never_whole(self, parts: list[Any]) -> str | None:
        """`a IS NULL OR b IS NULL` of two columns of one reference: all of it is there, or none, so it is never there."""
        fields = [self._is_null(part) for part in parts]
        names = {field.name for field in fields if field is not None and field.nullable}
        relation = next((r for r in self.entity.relations if len(names) == len(fields) > 1 and names <= set(r.columns)), None)
        if relation is None or any(self._is_shared(name) for name in relation.columns):
            return None
        for column in relation.columns:
            if self.entity.field(column).nullable:
                never = Present(share=0.0, place=self.check.place, origin=Origin.CHECK)
                self.change(column, lambda f, never=never: replace(f, present=never))  # type: ignore[misc]
        return f"{relation.name} refers to nothing"

    def _one_of_each_reference(self, group: list[Field]) -> list[Field]:
        """The fields without those that another one's reference brings along: these are there together anyway."""
        kept: list[Field] = []
        for field in group:
            along = any(
                field.name in r.columns and one.name in r.columns and not self._is_shared(field.name)
                for r in self.entity.relations
                for one in kept
            )
            kept += [] if along else [field]
        return kept

    def _is_of_own_rows(self, field: Field) -> bool:
        """Whether a field refers to a row of its own entity: the first has none before it."""
        return any(r.target == self.entity.name and field.name in r.columns for r in self.entity.relations)

    def _is_shared(self, name: str) -> bool:
        return sum(name in relation.columns for relation in self.entity.relations) > 1

    def _is_of_a_reference(self, node: Any) -> bool:
        field = self._is_null(node) or self._not_null(node)
        return field is not None and self.refers(field.name)
