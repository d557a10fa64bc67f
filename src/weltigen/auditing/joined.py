"""Expressions as SQL over a stored row: what they read in rows referred to is joined, sums over children are added up first."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from sqlglot import exp

from ..expression import Aggregate, Expression, NotEvaluableError, child_of, parse
from ..model import Entity, Field, World
from ..model.paths import path_end, resolve_path
from ..model.types import INTEGERS
from ..stored.names import quoted
from ..stored.stores.store import Store
from .dates import with_days


class Joined:
    """One row of an entity, called `this`, with whatever expressions over it read elsewhere.

    `join` is the SQL of all joins so far; `extra` says what to show of other rows, by the path that was written.
    """

    def __init__(self, world: World, entity: Entity, store: Store) -> None:
        self.world, self.entity, self.place = world, entity, store
        self._joins: dict[str, str] = {}
        self.extra: dict[str, str] = {}
        self.columns: dict[str, None] = {}

    @property
    def join(self) -> str:
        return " ".join(self._joins.values())

    def sql(self, text: str | Expression, dialect: str | None = None) -> str:
        """An expression over the row; NotEvaluableError where it reads what is not stored, or has no meaning."""
        expression = parse(text, dialect) if isinstance(text, str) else text
        aggregates = {aggregate.name: aggregate for aggregate in expression.aggregates}
        tree = exp.Paren(this=expression.tree.copy())
        whole = self._integers(tree, aggregates)
        with_days(tree, lambda column: self._read(column, aggregates), self.place.dialect)
        for column in list(tree.find_all(exp.Column)):
            path = f"{column.table}.{column.name}" if column.table else str(column.name)
            cell = self._sum(aggregates[path]) if path in aggregates else self.cell(path)
            column.replace(_column(*cell))
        for division in whole:
            division.replace(exp.IntDiv(this=division.this, expression=division.expression))
        return replace(expression, tree=tree.this).sql(self.place.dialect)

    def _read(self, column: Any, aggregates: dict[str, Aggregate]) -> Field | None:
        """The field that a column of an expression stands for; None where it is a sum over children, or nothing that is known."""
        path = f"{column.table}.{column.name}" if column.table else str(column.name)
        try:
            return None if path in aggregates else self.field(path)
        except NotEvaluableError:
            return None

    def _integers(self, tree: Any, aggregates: dict[str, Aggregate]) -> list[Any]:
        """Divisions of whole numbers by whole numbers, which give whole numbers here, but not in every database."""

        def whole(node: Any) -> bool:
            match node:
                case exp.Literal():
                    return not node.is_string and "." not in node.this
                case exp.Column():
                    path = f"{node.table}.{node.name}" if node.table else str(node.name)
                    if path in aggregates:
                        return aggregates[path].function == "count"
                    return self.field(path).type.name in INTEGERS
                case exp.Paren() | exp.Neg() | exp.Abs() | exp.Coalesce():
                    return all(map(whole, [node.this, *node.expressions]))
                case exp.Add() | exp.Sub() | exp.Mul() | exp.Div() | exp.IntDiv() | exp.Mod():
                    return whole(node.this) and whole(node.expression)
            return False

        return [node for node in list(tree.find_all(exp.Div)) if whole(node.this) and whole(node.expression)]

    def field(self, path: str) -> Field:
        """The field at the end of a path."""
        try:
            entity, name = path_end(self.world, self.entity, resolve_path(self.world, self.entity, path))
        except KeyError as error:
            raise NotEvaluableError(f"'{path}' is not stored ({error.args[0]})") from None
        return self.world.entity(entity).field(name)

    def cell(self, path: str) -> tuple[str, str]:
        """The alias and the column of a path; the rows on its way are joined."""
        try:
            *way, name = resolve_path(self.world, self.entity, path)
        except KeyError as error:
            raise NotEvaluableError(f"'{path}' is not stored ({error.args[0]})") from None
        at, alias = self.entity, "this"
        for number, word in enumerate(way):
            relation = at.relation(word)
            target, joined = self.world.entity(relation.target), " ".join(["to", *way[: number + 1]])
            pairs = zip(relation.columns, relation.target_columns, strict=True)
            on = " AND ".join(f"{quoted(alias)}.{quoted(a)} = {quoted(joined)}.{quoted(b)}" for a, b in pairs)
            self._joins[joined] = f"LEFT JOIN {self.place.table(target)} AS {quoted(joined)} ON {on}"
            at, alias = target, joined
        if name not in (self.place.columns(at) or ()):
            raise NotEvaluableError(f"'{path}' is not stored")
        if way:
            self.extra[path] = f"{quoted(alias)}.{quoted(name)}"
        else:
            self.columns[name] = None
        return alias, name

    def _sum(self, aggregate: Aggregate) -> tuple[str, str]:
        child, relation = child_of(self.world, self.entity, aggregate.entity, aggregate.text)
        if self.place.columns(child) is None:
            raise NotEvaluableError(f"'{aggregate.text}': {child.name} is not stored")
        inner = Joined(self.world, child, self.place)
        operand = inner.sql(aggregate.operand) if aggregate.operand is not None else "*"
        there = [f"this.{quoted(column)} IS NOT NULL" for column in relation.columns]
        if aggregate.where is not None:
            there.append(f"({inner.sql(aggregate.where)})")
        keys = ", ".join(f"this.{quoted(column)} AS k{number}" for number, column in enumerate(relation.columns))
        group = ", ".join(f"this.{quoted(column)}" for column in relation.columns)
        query = (
            f"SELECT {keys}, {aggregate.function}({operand}) AS v FROM {self.place.table(child)} AS this {inner.join}"
            f" WHERE {' AND '.join(there)} GROUP BY {group}"
        )
        joined = f"of {aggregate.text}"
        on = " AND ".join(f"this.{quoted(b)} = {quoted(joined)}.k{number}" for number, b in enumerate(relation.target_columns))
        self._joins[joined] = f"LEFT JOIN ({query}) AS {quoted(joined)} ON {on}"
        self.extra[aggregate.text] = f"{quoted(joined)}.v"
        if aggregate.function == "count":  # no row, no group
            return f"coalesce({quoted(joined)}.v, 0)", ""
        return joined, "v"


def _column(alias: str, name: str) -> Any:
    if not name:
        from sqlglot import parse_one

        return parse_one(alias, dialect="postgres")
    return exp.Column(this=exp.to_identifier(name, quoted=True), table=exp.to_identifier(alias, quoted=True))
