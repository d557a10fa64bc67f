"""One parsed expression and its evaluation: each node of the tree becomes one call over whole columns."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import pyarrow as pa
from sqlglot import exp, parse_one
from sqlglot.errors import SqlglotError

from . import moments, numbers, operators, texts
from .canonical import canonical, written_for
from .meaning import Evaluation, Meaning, NotEvaluableError

_MEANINGS: dict[type, Meaning] = {**operators.MEANINGS, **numbers.MEANINGS, **texts.MEANINGS, **moments.MEANINGS}
# functions that sqlglot has no class for, by name in capitals
_BY_NAME: dict[str, Meaning] = {**operators.BY_NAME, **texts.BY_NAME, **moments.BY_NAME}
# parts that are read by the node above them
_PARTS = (exp.Identifier, exp.If, exp.Tuple, exp.DataType, exp.DataTypeParam, exp.Var, exp.Interval, exp.Array)


@dataclass(frozen=True, slots=True, eq=False)
class Expression:
    """A parsed expression; `paths` are the cells it reads: `status`, `sailing.departs_at`. `tree` is in canonical form."""

    text: str
    tree: Any
    paths: tuple[str, ...]
    dialect: str | None = None

    def evaluate(self, columns: Callable[[str], Any], rows: int) -> Any:
        """An Arrow array of `rows` values; `columns` gives the column of a path. NotEvaluableError, also for wrong types."""
        try:
            value = Evaluation(columns, rows, self.dialect, _meaning_of).value(self.tree)
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError, TypeError) as error:
            raise NotEvaluableError(f"{self.text}: {str(error).splitlines()[0]}") from None
        if isinstance(value, pa.Scalar):
            return pa.repeat(value, rows)
        return value.combine_chunks() if isinstance(value, pa.ChunkedArray) else value

    def sql(self, dialect: str) -> str:
        """The expression in another dialect."""
        return str(written_for(self.tree, dialect).sql(dialect=dialect))


@lru_cache(maxsize=4096)
def parse(text: str, dialect: str | None = None) -> Expression:
    """Parse `text`; NotEvaluableError where it is no expression or uses what has no meaning here."""
    return _understood(text, _tree(text, dialect), dialect)


@lru_cache(maxsize=4096)
def parse_over_counts(text: str) -> Expression:
    """Parse an expression over `count(ENTITY)` alone; its `paths` are the entities. NotEvaluableError as `parse`."""
    tree = _tree(text, None)
    for column in tree.find_all(exp.Column):
        if not isinstance(column.parent, exp.Count):
            raise NotEvaluableError(f"'{path_of(column)}' is no number of rows")
    whole = tree.transform(lambda node: node.this if isinstance(node, exp.Count) and isinstance(node.this, exp.Column) else node)
    return _understood(text, whole, None)


def _tree(text: str, dialect: str | None) -> Any:
    try:
        return parse_one(f"({text}\n)", dialect=dialect, into=exp.Condition)
    except SqlglotError as error:
        raise NotEvaluableError(f"'{text}' is no SQL expression ({str(error).splitlines()[0]})") from None


def _understood(text: str, written: Any, dialect: str | None) -> Expression:
    tree = canonical(written, dialect)
    for node in tree.walk():
        if type(node) not in _PARTS:
            _meaning_of(node, text)
    return Expression(text, tree, tuple(dict.fromkeys(path_of(column) for column in tree.find_all(exp.Column))), dialect)


def _meaning_of(node: Any, text: str = "") -> Meaning:
    meaning = _BY_NAME.get(node.name.upper()) if isinstance(node, exp.Anonymous) else _MEANINGS.get(type(node))
    if meaning is None:
        name = node.name if isinstance(node, exp.Anonymous) and node.name else node.key
        where = f" in '{text}'" if text else ""
        raise NotEvaluableError(f"'{name}'{where} has no meaning here")
    return meaning


def path_of(column: Any) -> str:
    """`status`, or `sailing.departs_at`."""
    return f"{column.table}.{column.name}" if column.table else str(column.name)
