"""Literals are typed by the field that they are for, and anything else is told plainly."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal

import pytest

from weltigen.model import FieldType, Place, Problem, TypeName, WeltigenError
from weltigen.model.literals import read_literal, read_share, read_span
from weltigen.model.problems import nearest
from weltigen.readers.sql import parse_type


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("01234", "varchar(5)", "01234"),
        ("NO", "text", "NO"),
        ("12.50", "numeric(8,2)", Decimal("12.50")),
        ("-7", "smallint", -7),
        ("true", "boolean", True),
        ("2024-02-29", "date", date(2024, 2, 29)),
        ("07:40", "time", time(7, 40)),
        ("2024-03-14T07:40:00+02:00", "timestamptz", datetime(2024, 3, 14, 5, 40)),
        ("2024-03-14", "timestamp", datetime(2024, 3, 14)),
        ("7B1C6F0E-43A2-4C55-9A53-2D51F3D8A001", "uuid", "7b1c6f0e-43a2-4c55-9a53-2d51f3d8a001"),
    ],
)
def test_a_literal_has_the_type_of_its_field(text: str, kind: str, value: object) -> None:
    assert read_literal(text, parse_type(kind)) == value


@pytest.mark.parametrize(
    ("text", "kind", "said"),
    [
        ("2024-02-30", "date", "not a valid date (day is out of range"),
        ("40000", "smallint", "outside of smallint"),
        ("abc", "numeric(8,2)", "not a valid numeric(8,2)"),
        ("yes", "boolean", "true or false"),
        ("toolong", "varchar(3)", "longer than varchar(3)"),
        ("7b1c", "uuid", "not a valid UUID"),
    ],
)
def test_a_text_that_is_no_literal_is_told(text: str, kind: str, said: str) -> None:
    with pytest.raises(ValueError) as error:
        read_literal(text, parse_type(kind))
    assert said in str(error.value)


def test_spans_and_shares_are_read_in_both_of_their_forms() -> None:
    assert read_span("90 days") == read_span("P90D") == timedelta(days=90)
    assert read_span("1.5 hours") == read_span("PT1H30M") == timedelta(hours=1.5)
    assert read_share("12%") == read_share("0.12") == 0.12
    for wrong in ("3 months", "P", "days", "P1Y"):
        with pytest.raises(ValueError, match="is not a span"):
            read_span(wrong)
    for wrong in ("140%", "-0.1", "many"):
        with pytest.raises(ValueError, match="share"):
            read_share(wrong)


def test_a_wrong_word_gets_the_nearest_right_one() -> None:
    assert nearest("bokking", ["booking", "berth"]) == "did you mean 'booking'?"
    assert nearest("pilot", ["island", "pilot_vessel"]) == "did you mean 'pilot_vessel'?"
    assert nearest("columns", ["fields", "rows"], synonyms={"columns": "fields"}) == "did you mean 'fields'?"
    assert nearest("xyz", ["fields", "rows"]) == "there are: fields, rows"


def test_problems_come_in_the_order_of_their_places() -> None:
    late = Problem(fact="second", place=Place(file="a.yaml", line=9, column=1), hint="mend it")
    early = Problem(fact="first", place=Place(file="a.yaml", line=2, column=5))
    assert str(WeltigenError([late, early])).splitlines() == ["a.yaml:2:5  first", "a.yaml:9:1  second", "            mend it"]


def test_types_are_written_as_sql_writes_them() -> None:
    for text in ("numeric(10,2)", "varchar(60)", "timestamptz", "double precision", "integer", "boolean", "text[]"):
        assert str(parse_type(text)) == text
    assert str(FieldType(name=TypeName.OTHER, declared="tsvector")) == "tsvector"
    with pytest.raises(ValueError, match="not an SQL type"):
        parse_type("nonsense(")
