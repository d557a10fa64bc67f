"""Expressions answer as SQLite and DuckDB answer on the same rows, nulls included."""

from __future__ import annotations

import sqlite3
from itertools import product

import duckdb
import pyarrow as pa
import pytest

from weltigen.expression import NotEvaluableError, parse

NUMBERS = [None, -3, 0, 2, 7]
TEXTS = [None, "", "ferry", "Ferry", "a_b%"]
FLAGS = [None, True, False]
ROWS = [dict(zip("abstp", row, strict=True)) for row in product(NUMBERS, NUMBERS, TEXTS, ["ferry", None], FLAGS)]
TYPES = {"a": pa.int64(), "b": pa.int64(), "s": pa.string(), "t": pa.string(), "p": pa.bool_()}
COLUMNS = {name: pa.array([row[name] for row in ROWS], kind) for name, kind in TYPES.items()}

EXPRESSIONS = [
    "a < b", "a >= b AND b <> 0", "a = 2 OR b > 2", "NOT (a > b)", "a <> b OR s IS NULL", "a BETWEEN 0 AND 5",
    "a NOT BETWEEN b AND 7", "a IN (0, 2, 9)", "s IN ('ferry', 'port')", "s NOT IN ('ferry')", "a IN (0, NULL)",
    "s IS NULL", "s IS NOT NULL", "a IS NOT DISTINCT FROM b", "a IS DISTINCT FROM b", "(a > 0) = (s IS NOT NULL)",
    "s = t", "s || '-' || t", "length(s)", "lower(s)", "upper(t)", "coalesce(a, b, 5)", "a + b * 2 - 1", "-a",
    "a / b", "a % b", "abs(a)", "CASE WHEN a > 0 THEN 'up' WHEN a < 0 THEN 'down' ELSE 'level' END",
    "CASE a WHEN 2 THEN b WHEN 7 THEN 0 END", "s LIKE 'f%'", "s LIKE '_erry'", "p", "NOT p", "p AND a > 0", "p OR a > 0",
    "p IS TRUE", "p IS NOT TRUE", "a > 1.5", "trim(s) = 'ferry'",
]  # fmt: skip


def ours(expression: str) -> list[object]:
    return parse(expression).evaluate(COLUMNS.__getitem__, len(ROWS)).to_pylist()


def of_sqlite(expression: str) -> list[object]:
    connection = sqlite3.connect(":memory:")
    connection.execute("PRAGMA case_sensitive_like = ON")
    connection.execute("CREATE TABLE x (a, b, s, t, p)")
    connection.executemany("INSERT INTO x VALUES (:a, :b, :s, :t, :p)", ROWS)
    answers = [value for (value,) in connection.execute(f"SELECT {expression} FROM x ORDER BY rowid")]
    connection.close()
    return answers


def of_duckdb(expression: str) -> list[object]:
    table = pa.table({**COLUMNS, "n": pa.array(range(len(ROWS)))})
    with duckdb.connect() as connection:
        connection.register("x", table)
        return [value for (value,) in connection.execute(f"SELECT {expression} FROM x ORDER BY n").fetchall()]


def plain(values: list[object]) -> list[object]:
    """SQLite has no booleans: true is 1."""
    return [int(value) if isinstance(value, bool) else value for value in values]


@pytest.mark.parametrize("expression", EXPRESSIONS)
def test_an_expression_means_what_sql_says(expression: str) -> None:
    assert plain(ours(expression)) == plain(of_sqlite(expression))
    if expression not in ("a / b", "a % b"):  # where DuckDB goes its own way
        assert plain(ours(expression)) == plain(of_duckdb(expression))


@pytest.mark.parametrize(
    ("expression", "said"),
    [
        ("draught_ok(a)", "draught_ok"),
        ("a = (SELECT 1)", "has no meaning here"),
        ("a >", "is no SQL expression"),
        ("a AND s", "a AND s"),
        ("s + 1", "s + 1"),
    ],
)
def test_what_has_no_meaning_here_is_named(expression: str, said: str) -> None:
    with pytest.raises(NotEvaluableError) as error:
        parse(expression).evaluate(COLUMNS.__getitem__, len(ROWS))
    assert said in str(error.value)


def test_an_expression_knows_the_cells_that_it_reads() -> None:
    assert parse("sailing.departs_at > booked_at AND status = 'paid'").paths == ("sailing.departs_at", "booked_at", "status")
