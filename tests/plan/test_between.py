"""A field between other cells of its row, or of the row it refers to: bounds of every form, types that differ, cells that are null.

Where a cell is null it bounds nothing, and what is left is the range of the field's own kind.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

import pytest

import weltigen

# by type: a kind with a range of its own, its least and most as rows hold them; and other types that it may be compared with
LOW, HIGH = 2200, 9000
START, END = datetime(2024, 1, 1), datetime(2025, 1, 1)
NUMBERS = ["smallint", "integer", "bigint", "numeric(8,2)", "numeric(12,4)", "double precision"]
MOMENTS = ["date", "timestamp", "timestamptz"]
HEAD = """weltigen: 3
window: [2024-01-01, 2025-01-01]
entities:
  gauge:
    rows: 15
    key: [gauge_id]
    fields:
      gauge_id: {type: integer}
      mark: {%s, present: 70%%}
  reading:
    rows: 400
    key: [reading_id]
    references: {gauge: {to: gauge}}
    fields:
      reading_id: {type: integer}
"""


def said(type_name: str) -> str:
    """A field of a type, with a kind whose range is known where it is a number."""
    kind = (
        f"{{number: {{from: {LOW}, to: {HIGH}, shape: hump}}}}"
        if type_name in NUMBERS
        else "date"
        if type_name == "date"
        else "date-time"
    )
    return f'type: "{type_name}", kind: {kind}'


def plain(value: Any) -> Any:
    """Dates as their midnight, times of day as a moment of one day, numbers as they are."""
    if isinstance(value, datetime):
        return value.replace(tzinfo=None)
    if isinstance(value, date):
        return datetime.combine(value, time())
    if isinstance(value, time):
        return datetime.combine(START, value)
    return float(value) if isinstance(value, Decimal) else value


def opened(tmp_path: Path, mark: str, fields: dict[str, str]) -> weltigen.World:
    path = tmp_path / "world.yaml"
    path.write_text(HEAD % said(mark) + "".join(f"      {name}: {{{text}}}\n" for name, text in fields.items()))
    return weltigen.open_world(path)


def rows_of(world: weltigen.World) -> list[dict[str, Any]]:
    dataset = world.dataset()
    marks = dict(zip(*(dataset.table("gauge")[name].to_pylist() for name in ("gauge_id", "mark")), strict=True))
    rows = dataset.table("reading").to_pylist()
    return [{name: plain(value) for name, value in row.items()} | {"gauge.mark": plain(marks[row["gauge_id"]])} for row in rows]


Held = Callable[[Any, Any], bool]
WORDS: dict[str, Held] = {
    "minimum": lambda value, at: value >= at,
    "after": lambda value, at: value > at or value == at,
    "maximum": lambda value, at: value <= at,
    "before": lambda value, at: value < at or value == at,
}


@pytest.mark.parametrize("seed", range(60))
def test_a_bounded_field_keeps_its_bounds_and_else_the_range_of_its_kind(tmp_path: Path, seed: int) -> None:
    chance = Random(seed)
    group = chance.choice([NUMBERS, NUMBERS, MOMENTS])
    mine, other, third, mark = (chance.choice(group) for _ in range(4))
    cells = chance.sample(["first", "second", "gauge.mark"], chance.randint(1, 3))
    low_word, high_word = (
        ("minimum", "maximum") if group is NUMBERS else chance.choice([("after", "before"), ("minimum", "maximum")])
    )
    at_low = [cell for cell in cells if chance.random() < 0.5]
    at_high = [cell for cell in cells if cell not in at_low]
    loose = chance.random() < 0.5
    bounds = [f"{word}: [{', '.join(those)}]" for word, those in ((low_word, at_low), (high_word, at_high)) if those]
    share = f"{chance.choice([30, 60, 85])}%"
    world = opened(
        tmp_path, mark,
        {
            "first": f"{said(other)}, present: {share}",
            "second": f"{said(third)}, present: {share}",
            "value": ", ".join([said(mine), *bounds, *(["loose: true"] if loose else [])]),
        },
    )  # fmt: skip
    rows = rows_of(world)
    least, most = (LOW, HIGH) if group is NUMBERS else (START, END)
    free = kept = missing = 0
    for row in rows:
        lows = [row[cell] for cell in at_low if row[cell] is not None]
        highs = [row[cell] for cell in at_high if row[cell] is not None]
        unit: Any = (
            1 if group is NUMBERS else timedelta(days=1)
        )  # a whole number, or a day, may lie between the ends of a narrow room
        roomy = not lows or not highs or max(lows) + unit <= min(highs)
        # moments that make room for others may lie before the window, and what comes after them as well
        inside = all(least <= at <= most for at in [*lows, *highs]) and max([least, *lows]) + unit <= min([most, *highs])
        value = row["value"]
        if value is None:
            missing += roomy
            continue
        if roomy or not loose:
            assert all(WORDS[low_word](value, at) for at in lows) and all(WORDS[high_word](value, at) for at in highs), (
                bounds,
                row,
            )
            kept += bool(lows or highs)
        if inside:
            assert least <= value <= most, (bounds, row)
        free += not lows and not highs
    assert kept > 20 and free + kept > 100 and missing < 80  # one row of ten is null where nobody says when a field is there
    if not loose:
        report = weltigen.audit(world, filled(world, tmp_path))
        assert not report.findings, report.findings[:2]


def filled(world: weltigen.World, tmp_path: Path) -> Path:
    world.dataset().write(tmp_path / "rows")
    return tmp_path / "rows"


@pytest.mark.parametrize(
    ("type_name", "span"),
    [
        (name, span)
        for name in (*MOMENTS, "integer")
        for span in ("3 days", "36 hours", "P40D")
        if (name, span) != ("date", "36 hours")
    ],
)
def test_a_distance_is_kept_on_both_sides_and_lies_about_its_usual_length(tmp_path: Path, type_name: str, span: str) -> None:
    number = type_name in NUMBERS
    far, usual = ("150 seconds", "30 seconds") if number else (span, "1 day")  # whole numbers count seconds
    world = opened(
        tmp_path, "integer",
        {
            "first": f"{said(type_name)}, null: false",
            "later": f"{said(type_name)}, null: false, minimum: first, within: {far}, usually: {usual}",
            "earlier": f"{said(type_name)}, null: false, maximum: first, within: {far}",
        },
    )  # fmt: skip
    rows = rows_of(world)
    limit: Any = 150 if number else timedelta(days=float({"3 days": 3, "36 hours": 1.5, "P40D": 40}[span]))
    nothing: Any = 0 if number else timedelta()
    later, earlier = [r["later"] - r["first"] for r in rows], [r["first"] - r["earlier"] for r in rows]
    assert all(nothing <= far <= limit for far in [*later, *earlier])
    assert len(set(later)) > 2 and len(set(earlier)) > 2
    if limit / 20 > (1 if number else timedelta(days=1)):  # the commonest distance is the short one, without it all are as common
        assert sorted(later)[200] < sorted(earlier)[200]


def test_a_field_that_must_be_there_and_has_no_room_is_told(tmp_path: Path) -> None:
    """Nobody is left with rows that break a rule: the row, its cells and the way out are named."""
    cells = {
        "first": "type: integer, null: false, minimum: 10, maximum: 20",
        "second": "type: integer, null: false, minimum: 5, maximum: 15",
        "value": "type: integer, null: false, minimum: first, maximum: second",
    }
    with pytest.raises(
        weltigen.WeltigenError, match=r"reading\.value must be .* no room in [0-9,]+ of 400 rows .*first is \d+.*"
    ):
        opened(tmp_path, "integer", cells).dataset().table("reading")
    cells["value"] = cells["value"].replace(", null: false", "")
    rows = rows_of(opened(tmp_path, "integer", cells))
    assert {row["value"] is None for row in rows} == {True, False}
    assert all(row["value"] is None or row["first"] <= row["value"] <= row["second"] for row in rows)
    assert sum(row["value"] is None and row["first"] <= row["second"] for row in rows) < 80
