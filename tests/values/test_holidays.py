"""Public holidays, by the judgement of the package `holidays`, and moments that keep off them."""

from __future__ import annotations

from datetime import date, timedelta
from pathlib import Path

import holidays as judge
import pytest

import weltigen
from weltigen.values.holidays import countries_with_holidays, easter, holidays

YEARS = range(2023, 2031)
# where the parts of a country do not agree: England
SUBDIVISION = {"GB": "ENG"}


@pytest.mark.parametrize("country", countries_with_holidays())
def test_holidays_are_those_that_the_judge_knows(country: str) -> None:
    for year in YEARS:
        known = set(judge.country_holidays(country, subdiv=SUBDIVISION.get(country), years=year, observed=False))
        ours = set(holidays(country, year))
        assert easter(year).weekday() == 6 and all(day.year == year for day in ours)
        # nearly all: a law changes a day, a judge leaves out what falls on a Sunday or adds what is a holiday in most parts
        assert len(ours & known) >= 0.8 * max(len(ours), len(known)), sorted(map(str, ours ^ known))


def test_moments_keep_off_holidays_and_unknown_countries_are_told(tmp_path: Path) -> None:
    said = "weltigen: 3\nwindow: [2024-01-01, 2026-01-01]\nlanguage: de-DE\nentities:\n  visit:\n    rows: 20000\n    fields:\n      at: {type: date, null: false, kind: {rhythm: {closed: CLOSED}}}\n"
    for closed, country in (("home", "DE"), ("US", "US")):
        (tmp_path / "world.yaml").write_text(said.replace("CLOSED", closed))
        days = set(weltigen.open_world(tmp_path / "world.yaml").dataset().table("visit")["at"].to_pylist())
        free = holidays(country, 2024) | holidays(country, 2025)
        assert days == {date(2024, 1, 1) + timedelta(days=at) for at in range(731)} - free
    (tmp_path / "world.yaml").write_text(said.replace("CLOSED", "XX"))
    with pytest.raises(weltigen.WeltigenError, match="no holidays are known of it"):
        weltigen.open_world(tmp_path / "world.yaml").dataset()
