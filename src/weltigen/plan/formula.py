"""Formulas: expressions bound to an entity, so that rows can work them out: over the row, rows it leads to, and its children."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..expression import Expression, NotEvaluableError, child_of, parse
from ..model import Entity, World
from ..model.paths import Cell, Path, field_at, path_cells, resolve_path
from .gathering import Gathered, gather

if TYPE_CHECKING:
    from .rows import Rows


@dataclass(frozen=True, slots=True, eq=False)
class Formula:
    """An expression over the rows of `entity`; `needs` are the cells it reads."""

    expression: Expression
    entity: str
    paths: dict[str, Path]
    gathered: dict[str, Gathered]
    needs: tuple[Cell, ...]

    def values(self, rows: Rows, *, earlier: bool = False) -> Any:
        """An Arrow array with a value for each row; NotEvaluableError where types do not fit."""
        return self.expression.evaluate(partial(self._column, rows, earlier), len(rows))

    def _column(self, rows: Rows, earlier: bool, name: str) -> Any:
        if name in self.gathered:
            return gather(rows, self.gathered[name], tuple(self.gathered.values()))
        return rows.path(self.paths[name], earlier)

    def truth(self, rows: Rows, *, null: bool = False, earlier: bool = False) -> NDArray[np.bool_]:
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
            raise NotEvaluableError(f"'{expression.text}': '{path}' is no field of {entity.name} ({error.args[0]})") from None
    needs = [cell for path in paths.values() for cell in path_cells(world, entity, path)]
    gathered: dict[str, Gathered] = {}
    for aggregate in expression.aggregates:
        child, relation = child_of(world, entity, aggregate.entity, aggregate.text)
        operand = bind(world, child, aggregate.operand) if aggregate.operand is not None else None
        where = bind(world, child, aggregate.where) if aggregate.where is not None else None
        gathered[aggregate.name] = Gathered(
            function=aggregate.function, relation=relation, operand=operand, where=where, text=aggregate.text
        )
        needs += [(child.name, column) for column in relation.columns]
        needs += [cell for part in (operand, where) if part is not None for cell in part.needs]
    return Formula(expression, entity.name, paths, gathered, tuple(dict.fromkeys(needs)))


def tried_on_nothing(world: World, formula: Formula) -> Any:
    """The Arrow type of a formula's values, found by working it out over a row of nulls; NotEvaluableError where types clash."""

    def nothing(formula: Formula) -> Callable[[str], Any]:
        def column(name: str) -> Any:
            if name in formula.gathered:
                gathered = formula.gathered[name]
                for part in (gathered.operand, gathered.where):
                    if part is not None:
                        tried_on_nothing(world, part)
                kind = tried_on_nothing(world, gathered.operand) if gathered.operand is not None else pa.int64()
                return pa.nulls(1, gathered.arrow(kind))
            return pa.nulls(1, field_at(world, world.entity(formula.entity), formula.paths[name]).type.arrow())

        return column

    return formula.expression.evaluate(nothing(formula), 1).type
