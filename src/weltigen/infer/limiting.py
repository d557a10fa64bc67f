"""Limits put on the fields of an entity while its checks are read; and the checks that are about the form of texts."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from sqlglot import exp

from ..model import Check, Entity, Field, Limits, PatternSource, TypeName
from ..model.changing import changed
from ..model.fields import Casing, Comparison
from ..model.literals import read_literal
from ..model.origins import Origin
from ..model.types import TEXTS
from .conditions import text_literal, trimmed, whole_pattern


class Limiting:
    """One entity, whose fields change as its checks are understood; `check` is the one that is read."""

    def __init__(self, entity: Entity) -> None:
        self.entity = entity
        self.check = Check(expression="")
        self._folded = {field.name.lower(): field.name for field in entity.fields}

    def change(self, name: str, change: Callable[[Field], Field]) -> None:
        fields = tuple(change(f) if f.name == name else f for f in self.entity.fields)
        self.entity = changed(self.entity, fields=fields)

    def _limit(self, name: str, change: Callable[[Limits], Limits]) -> None:
        self.change(name, lambda f: changed(f, limits=change(f.limits)))

    def refers(self, name: str) -> bool:
        """Whether a field follows a reference."""
        return any(name in relation.columns for relation in self.entity.relations)

    def field(self, node: Any) -> Field | None:
        """The field that a node is, also behind a cast that changes nothing that we would notice."""
        if isinstance(node, exp.Cast):
            node = node.this
        if isinstance(node, exp.Column) and not node.table and (name := self._folded.get(node.name.lower())) is not None:
            return self.entity.field(name)
        return None

    def _literal(self, node: Any, field: Field) -> str | None:
        if isinstance(node, exp.Cast) and isinstance(node.this, exp.Literal):
            node = node.this
        text = None
        if isinstance(node, exp.Literal):
            text = node.this
        elif isinstance(node, exp.Boolean):
            text = str(node.this).lower()
        if text is not None:
            try:
                read_literal(text, field.type)
            except ValueError:
                return None
        return text


class TextLimits(Limiting):
    """Lengths, patterns, case and texts that are not empty."""

    def _length(self, of: Any, comparison: Comparison, right: Any) -> str | None:
        field = self.field(of)
        if (
            field is None
            or field.type.name not in TEXTS | {TypeName.BYTEA}
            or not isinstance(right, exp.Literal)
            or not str(right.this).isdigit()
        ):
            return None
        number = int(right.this) + {">": 1, "<": -1}.get(comparison, 0)
        if comparison in (">", ">="):
            self._limit(field.name, lambda limits: changed(limits, min_length=max(number, limits.min_length or 0)))
        else:
            room = field.room
            self._limit(field.name, lambda limits: changed(limits, max_length=number if room is None else min(number, room)))
        return f"length of {field.name} {comparison} {right.this}"

    def _shape_of_text(self, node: Any) -> str | None:
        pattern = None
        if isinstance(node, exp.RegexpLike):
            pattern = whole_pattern(text_literal(node.expression))
        elif (
            isinstance(node, exp.Like)
            and (like := text_literal(node.expression))
            and re.fullmatch(r"\w+%", like)
            and "_" not in like
        ):
            of = self.field(node.this)
            room = of.room if of is not None else None
            more = 8 if room is None else max(0, min(8, room - len(like) + 1))
            pattern = re.escape(like[:-1]) + f"[a-z0-9]{{{min(3, more)},{more}}}"
        field = self.field(node.this) if pattern is not None else None
        if field is None or field.type.name not in TEXTS or pattern is None:
            return None
        if isinstance(node, exp.RegexpLike) and field.type.name is TypeName.CHAR and self.check.dialect == "postgres":
            # it sees the spaces up to the length, so that only what needs none can match
            self._limit(field.name, partial(changed, min_length=field.type.length or 1))
        source = PatternSource(pattern=pattern, place=self.check.place, origin=Origin.CHECK)
        self._limit(field.name, lambda limits: changed(limits, patterns=(*limits.patterns, source)))
        return f"{field.name} matches {pattern}"

    def _not_empty(self, node: Any) -> str | None:
        """`name <> ''`, also trimmed."""
        if not isinstance(node, exp.NEQ) or text_literal(node.expression) != "":
            return None
        return self._length(trimmed(node.this), ">=", exp.Literal.number(1))

    def _case(self, node: Any) -> str | None:
        """`code = upper(code)`."""
        if not isinstance(node, exp.EQ):
            return None
        for this, other in ((node.this, node.expression), (node.expression, node.this)):
            casing: Casing | None = "lower" if isinstance(other, exp.Lower) else "upper" if isinstance(other, exp.Upper) else None
            field = self.field(this)
            if casing and field is not None and field.type.name in TEXTS and (inner := self.field(other.this)) and inner == field:
                self._limit(field.name, partial(replace, casing=casing))
                return f"{field.name} is in {casing} case"
        return None
