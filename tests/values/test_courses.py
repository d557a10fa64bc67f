"""A measurement over time: levels, swings, drift and what is far off are what the world file says, for each that measures."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import weltigen
from weltigen.model.problems import WeltigenError

GAUGES = """
CREATE TABLE gauge (id uuid PRIMARY KEY, quay varchar(40) NOT NULL);
CREATE TABLE reading (id bigserial PRIMARY KEY, gauge_id uuid NOT NULL REFERENCES gauge, measured_at timestamp NOT NULL,
  level numeric(6,2) NOT NULL CHECK (level < 40), flow double precision NOT NULL, flow_least real, people integer NOT NULL CHECK (people >= 0));"""


def _rows(folder: Path, *said: str) -> pd.DataFrame:
    (folder / "gauges.sql").write_text(GAUGES)
    (folder / "gauges.yaml").write_text(
        "weltigen: 3\nmodel: gauges.sql\nwindow: [2025-01-01, 2027-01-01]\nentities:\n  gauge: {rows: 3}\n"
        "  reading:\n    rows: {per: gauge, every: 1 hour}\n    fields:\n" + "".join(f"      {one}\n" for one in said)
    )
    return weltigen.open_world(folder / "gauges.yaml").dataset().frame("reading")


def test_each_gauge_has_its_level_and_all_swing_over_day_and_year_and_rise(tmp_path: Path) -> None:
    of = "of: measured_at, per: gauge_id"
    rows = _rows(
        tmp_path,
        f"level: {{kind: {{course: {{{of}, from: 10, to: 20, year: 4, rise: 3, noise: 0.2, drift: 0}}}}}}",
        "people: {kind: {course: {of: measured_at, per: gauge.quay, from: 20, to: 60, day: 50, peak: 11, noise: 2, drift: 4}}}",
    )
    level, at = rows["level"].astype(float), rows["measured_at"].dt
    mean = level.groupby(rows["gauge_id"]).mean()
    assert mean.nunique() == 3 and mean.between(13, 23).all()  # a rise of three by the year, over two
    monthly = (level - rows["gauge_id"].map(mean)).groupby([at.year, at.month]).mean()
    assert 7 < monthly[2025, 7] - monthly[2025, 1] < 11 and 2.6 < monthly[2026, 4] - monthly[2025, 4] < 3.4
    steps = level.groupby(rows["gauge_id"]).diff().dropna()
    assert 0.2 < steps.std() < 0.4 and abs(steps.autocorr() + 0.5) < 0.05  # noise that is drawn anew each hour
    hours = rows["people"].groupby(at.hour).mean()
    assert hours.idxmax() in (10, 11, 12) and hours.idxmin() in (22, 23, 0) and rows["people"].min() == 0
    assert 60 < hours.max() - hours.min() < 105 and (rows["people"] == 0).mean() > 0.05


def test_what_wanders_does_so_for_days_and_what_is_far_off_is_seldom(tmp_path: Path) -> None:
    rows = _rows(
        tmp_path,
        "level: {kind: {course: {of: measured_at, per: gauge_id, from: 12, to: 12, drift: 5, noise: 0.1, outliers: 1%}}}",
    )
    level = rows["level"].astype(float)
    usual = level.between(6, 18)
    assert 0.006 < (~usual).mean() < 0.014 and level.max() < 40
    series = level.where(usual).groupby(rows["gauge_id"])
    near, far = ([one.corr(one.shift(hours)) for _, one in series] for hours in (3, 96))
    assert min(near) > 0.9 and max(map(abs, far)) < 0.25
    together = pd.DataFrame({key: one.to_numpy() for key, one in series}).corr().to_numpy()
    assert np.abs(together[~np.eye(3, dtype=bool)]).max() < 0.25


def test_what_only_rises_does_so_at_a_rate_of_each_and_seconds_tell_when(tmp_path: Path) -> None:
    (tmp_path / "m.sql").write_text(
        "CREATE TABLE meter (id integer PRIMARY KEY);CREATE TABLE reading (meter_id integer NOT NULL REFERENCES meter,"
        "seen bigint NOT NULL, stand numeric(10,3) NOT NULL, part real NOT NULL);"
    )
    told = "of: seen, per: meter_id"
    (tmp_path / "m.yaml").write_text(
        "weltigen: 3\nmodel: m.sql\nentities:\n  meter: {rows: 5}\n  reading:\n    rows: {per: meter, each: 300}\n    fields:\n"
        "      seen: {kind: {epoch: {}}}\n"
        f"      stand: {{kind: {{course: {{{told}, from: 100, to: 900, rise: 400 1600, noise: 0, drift: 0}}}}}}\n"
        f"      part: {{kind: [{{when: meter_id = 2, of: {{number: {{from: 7, to: 8}}}}}}, {{of: {{course: {{{told}, from: 0, to: 1, "
        "noise: 0.4, minimum: 0.2, maximum: 0.75}}}]}\n"
    )
    rows = weltigen.open_world(tmp_path / "m.yaml").dataset().frame("reading").sort_values("seen")
    rates = set()
    for _, one in rows.groupby("meter_id"):
        stand, years = one["stand"].astype(float), one["seen"] / 86_400 / 365.2425
        assert stand.is_monotonic_increasing
        rates.add(round(float(np.polyfit(years, stand, 1)[0])))
    assert len(rates) == 5 and min(rates) >= 399 and max(rates) <= 1601
    part = rows["part"][rows["meter_id"] != 2]
    assert rows["part"][rows["meter_id"] == 2].between(7, 8).all() and part.between(0.2, 0.75).all() and part.nunique() > 9
    assert (part == part.min()).mean() > 0.1 and (part == part.max()).mean() > 0.1


@pytest.mark.parametrize(
    ("said", "told"),
    [
        ("level: {kind: {course: {of: measured, from: 1, to: 2}}}", "did you mean 'measured_at'"),
        (
            "level: {kind: {course: {of: flow, from: 1, to: 2}}}",
            "made from a date, a time or a whole number of seconds, and flow is",
        ),
        ("level: {kind: {course: {of: measured_at, from: 1}}}", "it needs the moment and the levels"),
        ("level: {kind: {course: {of: measured_at, from: 1, to: 2, rise: 9 4}}}", "no two numbers such as 900 3600"),
        ("level: {kind: {course: {of: measured_at, from: 1, to: 2, minimum: 50}}}", "no value lies between"),
        ("level: {kind: {course: {of: measured_at, from: 3, to: 2}}}", "from: 3 is above to: 2"),
        ("level: {kind: {course: {of: measured_at, from: 1, to: 2, peak: noon}}}", "peak: noon is no number"),
        ("level: {kind: {course: {of: measured_at, from: 1, to: 2, outliers: 7}}}", "no share such as 0.5%"),
        ("flow: {minimum: flow_least, kind: {course: {of: measured_at, from: 1, to: 2}}}", "keeps no bound that is another cell"),
    ],
)
def test_what_no_course_can_be_made_of_is_told(said: str, told: str, tmp_path: Path) -> None:
    with pytest.raises(WeltigenError) as raised:
        _rows(tmp_path, said)
    assert "gauges.yaml:9:" in str(raised.value) and told in str(raised.value)
