"""Conditions in which a row is compared with the one that it refers to: `species = row.species`, `mother.species = species`."""

from __future__ import annotations

from sqlglot import exp

from .evaluate import parse
from .meaning import NotEvaluableError

Pair = tuple[str, str]


def alike_and_rest(text: str, dialect: str | None = None) -> tuple[list[Pair], str | None] | None:
    """Pairs of a field of the target and a field of the row, out of the parts `FIELD = row.FIELD`, and what is left.

    None where `row` is read in any other way.
    """
    try:
        tree = parse(text, dialect).tree.copy()
    except NotEvaluableError:
        return [], text
    pairs, rest = [], []
    for part in tree.unnest().flatten() if isinstance(tree.unnest(), exp.And) else [tree.unnest()]:
        sides = [part.this.unnest(), part.expression.unnest()] if isinstance(part, exp.EQ) else []
        own = [side for side in sides if isinstance(side, exp.Column) and side.table.lower() == "row"]
        theirs = [side for side in sides if isinstance(side, exp.Column) and not side.table]
        if len(own) == len(theirs) == 1:
            pairs.append((theirs[0].name, own[0].name))
        elif any(column.table.lower() == "row" for column in part.find_all(exp.Column)):
            return None
        else:
            rest.append(part)
    return pairs, exp.and_(*rest, copy=False).sql("postgres") if rest else None


def alike_through(text: str, dialect: str | None = None) -> tuple[str, Pair] | None:
    """The reference, and the fields of target and row, of `REFERENCE.FIELD = FIELD`; None for any other condition."""
    try:
        tree = parse(text, dialect).tree.unnest()
    except NotEvaluableError:
        return None
    if not isinstance(tree, exp.EQ):
        return None
    sides = [tree.this.unnest(), tree.expression.unnest()]
    columns = [side for side in sides if isinstance(side, exp.Column)]
    led = [side for side in columns if side.table and not side.args.get("db")]
    own = [side for side in columns if not side.table]
    return (led[0].table, (led[0].name, own[0].name)) if len(led) == len(own) == 1 else None
