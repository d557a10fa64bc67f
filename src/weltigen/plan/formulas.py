"""Formulas: expressions bound to an entity, so that rows can work them out: over the row, rows it leads to, and its children."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..expression import Expression, NotEvaluableError, child_of, parse
from ..expression.comparing import as_compared
from ..model import Entity, Field, Relation, World
from ..model.paths import Cell, Path, field_at, path_cells, path_end, resolve_path
from .ports import RowsPort

AVERAGE_DIGITS = 8  # decimals of an average beyond those of what it is over


@dataclass(frozen=True, slots=True, eq=False)
class ChildAggregate:
    """One function over the rows that refer to a row by `relation`; `operand` None counts them."""

    function: str
    relation: Relation
    operand: Formula | None
    where: Formula | None
    text: str

    def arrow(self, operand: Any) -> Any:
        """The Arrow type of the result over an operand of the given one."""
        if self.function == "count":
            return pa.int64()
        if self.function in ("min", "max") or pa.types.is_floating(operand):
            return operand
        scale = operand.scale if pa.types.is_decimal(operand) else 0
        if self.function == "avg":
            return pa.decimal128(38, min(scale + AVERAGE_DIGITS, 30))
        return pa.decimal128(38, scale) if pa.types.is_decimal(operand) else pa.int64()


@dataclass(frozen=True, slots=True, eq=False)
class Formula:
    """An expression over the rows of `entity`; `needs` are the cells it reads."""

    expression: Expression
    entity: str
    paths: dict[str, Path]
    aggregates: dict[str, ChildAggregate]
    needs: tuple[Cell, ...]

    def values(self, rows: RowsPort, *, earlier: bool = False) -> Any:
        """An Arrow array with a value for each row; NotEvaluableError where types do not fit."""
        return self.expression.evaluate(partial(self._column, rows, earlier), len(rows))

    def _column(self, rows: RowsPort, earlier: bool, name: str) -> Any:
        if name in self.aggregates:
            return rows.aggregate(self.aggregates[name], tuple(self.aggregates.values()))
        return rows.path(self.paths[name], earlier)

    def truth(self, rows: RowsPort, *, null: bool = False, earlier: bool = False) -> NDArray[np.bool_]:
        """Whether it is true for each row; `null` is what an unknown truth counts as."""
        return as_truth(self.values(rows, earlier=earlier), null)


def as_truth(values: Any, null: bool) -> NDArray[np.bool_]:
    """Arrow truths, or numbers as some databases take them, as booleans."""
    if pa.types.is_null(values.type):
        return np.full(len(values), null)
    if not pa.types.is_boolean(values.type):
        values = values.cast(pa.bool_())
    return np.asarray(values.fill_null(null).to_numpy(zero_copy_only=False), bool)


def bind(world: World, entity: Entity, text: str | Expression, dialect: str | None = None) -> Formula:
    """The formula that a text means for an entity; NotEvaluableError where it names what is not there."""
    expression = parse(text, dialect) if isinstance(text, str) else text
    paths: dict[str, Path] = {}
    for path in expression.paths:
        try:
            paths[path] = resolve_path(world, entity, path)
        except KeyError as error:
            raise NotEvaluableError(f"'{expression.text}': '{path}' is not a field of {entity.name} ({error.args[0]})") from None
    expression = as_compared(
        expression, dialect or world.dialect, lambda path: _field(world, entity, paths[path]) if path in paths else None
    )
    needs = [cell for path in paths.values() for cell in path_cells(world, entity, path)]
    gathered: dict[str, ChildAggregate] = {}
    for aggregate in expression.aggregates:
        child, relation = child_of(world, entity, aggregate.entity, aggregate.text)
        operand = bind(world, child, aggregate.operand) if aggregate.operand is not None else None
        where = bind(world, child, aggregate.where) if aggregate.where is not None else None
        gathered[aggregate.name] = ChildAggregate(
            function=aggregate.function, relation=relation, operand=operand, where=where, text=aggregate.text
        )
        needs += [(child.name, column) for column in relation.columns]
        needs += [cell for part in (operand, where) if part is not None for cell in part.needs]
    return Formula(expression, entity.name, paths, gathered, tuple(dict.fromkeys(needs)))


def _field(world: World, entity: Entity, path: Path) -> Field | None:
    end, name = path_end(world, entity, path)
    return world.entity(end).field(name) if world.entity(end).has(name) else None


def tried_on_nothing(world: World, formula: Formula) -> Any:
    """The Arrow type of a formula's values, found by working it out over a row of nulls; NotEvaluableError where types clash."""

    def nothing(formula: Formula) -> Callable[[str], Any]:
        def column(name: str) -> Any:
            if name in formula.aggregates:
                gathered = formula.aggregates[name]
                for part in (gathered.operand, gathered.where):
                    if part is not None:
                        tried_on_nothing(world, part)
                arrow = tried_on_nothing(world, gathered.operand) if gathered.operand is not None else pa.int64()
                return pa.nulls(1, gathered.arrow(arrow))
            return pa.nulls(1, field_at(world, world.entity(formula.entity), formula.paths[name]).type.arrow())

        return column

    return formula.expression.evaluate(nothing(formula), 1).type
