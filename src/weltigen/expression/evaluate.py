"""One parsed expression and its evaluation: each node of the tree becomes one call over whole columns."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import pyarrow as pa
from sqlglot import exp, parse_one
from sqlglot.errors import ParseError, SqlglotError

from . import lists, moments, numbers, operators, texts
from .canonical import canonical, written_for
from .meaning import Evaluation, Meaning, NotEvaluableError
from .plain import FEW, NotPlainError, Plain, PlainType, as_column, plain, plain_type

_MEANINGS: dict[type, Meaning] = {
    **operators.MEANINGS, **numbers.MEANINGS, **texts.MEANINGS, **moments.MEANINGS, **lists.MEANINGS,
}  # fmt: skip
# functions that sqlglot has no class for, by name in capitals
_BY_NAME: dict[str, Meaning] = {**operators.BY_NAME, **texts.BY_NAME, **moments.BY_NAME, **lists.BY_NAME}
# parts that are read by the node above them
_LONG_PATH = re.compile(r"\.[^.]*[^.\d\s][^.]*\.")  # most checks have none of these, and are not walked through for them
_AGGREGATE = re.compile(r"\b(sum|count|min|max|avg)\s*\(", re.IGNORECASE)
_AGGREGATES = (exp.Sum, exp.Count, exp.Min, exp.Max, exp.Avg)
_PARTS = (exp.Identifier, exp.If, exp.Tuple, exp.DataType, exp.DataTypeParam, exp.Var, exp.Interval, exp.Array)


@dataclass(frozen=True, slots=True, eq=False)
class Aggregate:
    """`sum(ticket.price) FILTER (WHERE …)`: a function over the rows of `entity` that refer to a row.

    `operand` and `where` are over those rows; `operand` None counts them. `name` stands for the whole in the expression.
    """

    name: str
    function: str
    entity: str
    operand: Expression | None
    where: Expression | None
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class Expression:
    """A parsed expression; `paths` are the cells it reads: `status`, `sailing.vessel.name`. `tree` is in canonical form.

    `aggregates` are those over rows that refer to the row; each is read like a column, by its name.
    """

    text: str
    tree: Any
    paths: tuple[str, ...]
    dialect: str | None = None
    aggregates: tuple[Aggregate, ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        """What it reads: cells, and functions over rows that refer to the row."""
        return (*self.paths, *(aggregate.name for aggregate in self.aggregates))

    def evaluate(self, columns: Callable[[str], Any], rows: int) -> Any:
        """An Arrow array of `rows` values; `columns` gives the column of a path. NotEvaluableError, also for wrong types."""
        if 0 < rows <= FEW and not isinstance(self.tree, exp.Column) and (few := self._of_few(columns, rows)) is not None:
            return few
        try:
            value = Evaluation(columns, rows, self.dialect, _meaning_of).value(self.tree)
        except pa.ArrowNotImplementedError as error:
            raise NotEvaluableError(f"'{self.text}' {_mixed(str(error))}") from None
        except (pa.ArrowInvalid, TypeError) as error:
            raise NotEvaluableError(f"'{self.text}': {str(error).splitlines()[0]}") from None
        if isinstance(value, pa.Scalar):
            return pa.repeat(value, rows)
        return value.combine_chunks() if isinstance(value, pa.ChunkedArray) else value

    def _of_few(self, columns: Callable[[str], Any], rows: int) -> Any:
        """The same in plain values, where that can be."""
        arrays = [columns(name) for name in self.names]
        made = _plain(self, tuple(plain_type(array.type) for array in arrays))
        if made is None:
            return None
        value, of = made
        assert of is not None
        lists = [array.to_pylist() for array in arrays]
        try:
            return as_column([value(dict(zip(self.names, row, strict=True))) for row in zip(*lists, strict=True)], of)
        except NotPlainError:
            return None

    def sql(self, dialect: str) -> str:
        """The expression in another dialect."""
        return str(written_for(self.tree, dialect).sql(dialect=dialect))


@lru_cache(maxsize=4096)
def _plain(expression: Expression, types: tuple[PlainType | None, ...]) -> Plain | None:
    """An expression over columns of these types; None where it has none, or anything in it is not plain."""
    if not types or None in types:
        return None
    columns = {name: one for name, one in zip(expression.names, types, strict=True) if one is not None}
    made = plain(expression.tree, columns)
    return made if made is not None and made.type is not None else None


_CALLED = {
    "string": "a text", "bool": "a truth value", "date32": "a date", "timestamp": "a time", "int": "a number",
    "decimal": "a number", "double": "a number", "float": "a number", "duration": "a span of time", "time64": "a time of day",
}  # fmt: skip


def _mixed(error: str) -> str:
    """What a missing kernel means: an operation over types that do not go together."""
    found = re.search(r"'(\w+)' has no kernel matching input types \((.*)\)", error)
    if found is None:
        return f": {error.splitlines()[0]}"
    names = [next((said for word, said in _CALLED.items() if part.strip().startswith(word)), part.strip())
             for part in re.sub(r"\([^)]*\)|\[[^]]*\]", "", found[2]).split(",")]  # fmt: skip
    return f"mixes types: {found[1].replace('_', ' ')} of {' and '.join(names)}"


@lru_cache(maxsize=4096)
def parse(text: str, dialect: str | None = None) -> Expression:
    """Parse `text`; NotEvaluableError where it is not an expression or uses what has no meaning here."""
    return _understood(text, None, dialect)


@lru_cache(maxsize=4096)
def condition_tree(text: str, dialect: str | None = None) -> Any:
    """The canonical tree of a text, shared by all callers, so it must not be changed. NotEvaluableError where it is not SQL."""
    return canonical(_tree(text, dialect), dialect)


@lru_cache(maxsize=4096)
def parse_over_counts(text: str) -> Expression:
    """Parse an expression over `count(ENTITY)` alone; its `paths` are the entities. NotEvaluableError as `parse`."""
    tree = _tree(text, None)
    for column in tree.find_all(exp.Column):
        if not isinstance(column.parent, exp.Count):
            raise NotEvaluableError(f"'{path_of(column)}' is not a number of rows")
    whole = tree.transform(lambda node: node.this if isinstance(node, exp.Count) and isinstance(node.this, exp.Column) else node)
    return _understood(text, whole, None)


_DEEPEST, _MOST_TERMS = 60, 600  # parentheses within each other, and terms side by side, that are understood
_WORDS = re.compile(r"'(?:[^']|'')*'|[()]|\b(?:and|or|not)\b|[-+*/|]", re.IGNORECASE)


def _small_enough(text: str) -> None:
    """NotEvaluableError where an expression is so large that understanding it would take too long, or too much of the stack."""
    if len(text) < _MOST_TERMS:
        return
    depth = deepest = terms = 0
    for found in _WORDS.finditer(text):
        sign = found[0]
        depth += (sign == "(") - (sign == ")")
        deepest = max(deepest, depth)
        terms += sign not in "()" and not sign.startswith("'")
    for number, most, what in ((deepest, _DEEPEST, "parentheses within each other"), (terms, _MOST_TERMS, "terms")):
        if number > most:
            raise NotEvaluableError(f"'{text[:40]}…' has {number:,} {what}; {most} are understood")


def _tree(text: str, dialect: str | None) -> Any:
    _small_enough(text)
    try:
        return parse_one(f"({text}\n)", dialect=dialect, into=exp.Condition)
    except SqlglotError as error:
        inner = error.errors[0] if isinstance(error, ParseError) and error.errors else {}
        near = f" (at '{inner['highlight']}')" if inner.get("highlight") else ""
        raise NotEvaluableError(f"'{text}' is not an SQL expression{near}") from None


def _understood(text: str, written: Any, dialect: str | None) -> Expression:
    """What a text means, or a tree `written` out of it."""
    aggregates: tuple[Aggregate, ...] = ()
    if written is None and not _LONG_PATH.search(text) and not _AGGREGATE.search(text):
        tree = condition_tree(text, dialect)
    else:
        root = written if written is not None else _tree(text, dialect)
        if _LONG_PATH.search(text):
            root = _with_long_paths(root)
        if _AGGREGATE.search(text):
            root, aggregates = _without_aggregates(root, dialect)
        tree = canonical(root, dialect)
    for node in tree.walk():
        if type(node) not in _PARTS:
            _meaning_of(node, text)
    names = {aggregate.name for aggregate in aggregates}
    paths = dict.fromkeys(path for column in tree.find_all(exp.Column) if (path := path_of(column)) not in names)
    return Expression(text, tree, tuple(paths), dialect, aggregates)


def _with_long_paths(tree: Any) -> Any:
    """Of `a.b.c.d` everything but the last name becomes the column's table, however many names there are."""

    def short(node: Any) -> Any:
        if not isinstance(node, exp.Dot) and not (isinstance(node, exp.Column) and node.args.get("db")):
            return node
        names: list[str] = []
        while isinstance(node, exp.Dot):
            names.insert(0, node.expression.name)
            node = node.this
        if not isinstance(node, exp.Column):
            raise NotEvaluableError(f"'.{names[0]}' follows no name")
        *way, last = [part.name for part in node.parts] + names
        return exp.Column(this=exp.to_identifier(last, quoted=True), table=exp.to_identifier(".".join(way), quoted=True))

    return tree.transform(short)


def _without_aggregates(tree: Any, dialect: str | None) -> tuple[Any, tuple[Aggregate, ...]]:
    """The tree with a column in the place of each function over children, and these functions."""
    found: list[Aggregate] = []
    root = exp.Paren(this=tree)
    for node in list(root.find_all(*_AGGREGATES)):
        if node.args.get("expressions"):
            continue  # the least or greatest of several values in one row
        whole = node.parent if isinstance(node.parent, exp.Filter) else node
        aggregate = _aggregate(f"#{len(found)}", node, whole, dialect)
        found.append(aggregate)
        whole.replace(exp.Column(this=exp.to_identifier(aggregate.name, quoted=True)))
    return root.this, tuple(found)


def _aggregate(name: str, node: Any, whole: Any, dialect: str | None) -> Aggregate:
    text, function = whole.sql(normalize_functions="lower"), node.key
    if isinstance(node.this, exp.Star | exp.Distinct) or node.this is None:
        raise NotEvaluableError(f"'{text}': a child entity is named here, as in count(ENTITY) or sum(ENTITY.FIELD)")
    where = whole.expression.this if whole is not node else None
    parts = [part for part in (node.this, where) if part is not None]
    if any(part.find(*_AGGREGATES) for part in parts):
        raise NotEvaluableError(f"'{text}' holds another function over children")
    alone = function == "count" and isinstance(node.this, exp.Column) and not node.this.table
    heads = [path_of(column).split(".")[0] for part in parts for column in part.find_all(exp.Column)]
    if not heads:
        raise NotEvaluableError(f"'{text}' names no child entity: write {function}(ENTITY.FIELD)")
    entity = heads[0]
    for head in heads:
        if head != entity:
            raise NotEvaluableError(f"'{text}' is over the rows of {entity}; '{head}' is not one of these: write {entity}.…")

    def over_child(part: Any) -> Expression:
        tree = part.copy()
        tree = exp.Paren(this=tree)
        for column in list(tree.find_all(exp.Column)):
            _, _, rest = path_of(column).partition(".")
            if not rest:
                raise NotEvaluableError(f"'{text}': {entity} is an entity; name one of its fields")
            way, _, last = rest.rpartition(".")
            table = exp.to_identifier(way, quoted=True) if way else None
            column.replace(exp.Column(this=exp.to_identifier(last, quoted=True), table=table))
        return _understood(part.sql(), tree.this, dialect)

    return Aggregate(
        name=name, function=function, entity=entity, operand=None if alone else over_child(node.this),
        where=over_child(where) if where is not None else None, text=text,
    )  # fmt: skip


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


_COMPARISONS = (exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE, exp.Is, exp.Between)


def only_compares(text: str, dialect: str | None, column: str) -> bool:
    """Whether a condition asks no more of a column than how it compares with others or with values: not how long it is."""
    if column.lower() not in text.lower():
        return True
    try:
        tree = parse(text, dialect).tree
    except NotEvaluableError:
        return False
    named = (one for one in tree.find_all(exp.Column) if one.name.lower() == column.lower())
    return all(isinstance(one.parent, _COMPARISONS) for one in named)


def compared_with(text: str, dialect: str | None, column: str) -> list[str]:
    """The texts that a condition compares a column with; none where it cannot be read."""
    if column.lower() not in text.lower():
        return []
    try:
        tree = parse(text, dialect).tree
    except NotEvaluableError:
        return []
    named = (one for one in tree.find_all(exp.Column) if one.name.lower() == column.lower())
    beside = (other for one in named if one.parent is not None for other in one.parent.iter_expressions() if other is not one)
    return [other.this for other in beside if isinstance(other, exp.Literal) and other.is_string]
