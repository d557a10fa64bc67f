"""Numbers of a declared shape: their distribution is the one that was said, by scipy's judgement, and what cannot be meant is told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import stats

import weltigen

ROWS = 40_000
Judge = Callable[[NDArray[np.float64]], NDArray[np.float64]]
HUMPS: Judge = lambda x: 0.7 * stats.norm(8, 1.5).cdf(x) + 0.3 * stats.norm(18, 1.5).cdf(x)  # noqa: E731
# by shape: how many of the values should lie below each number
JUDGES: dict[str, Judge] = {
    "even, minimum: 5, maximum: 25": stats.uniform(5, 20).cdf,
    "{normal: {mean: 40, sd: 6}}": stats.norm(40, 6).cdf,
    "{skewed: {median: 20, p95: 90}}": stats.lognorm(np.log(4.5) / stats.norm.ppf(0.95), scale=20).cdf,
    "{exponential: {mean: 12}}": stats.expon(scale=12).cdf,
    "{triangular: {low: 1, peak: 2, high: 9}}": stats.triang(1 / 8, 1, 8).cdf,
    "{triangular: {low: 3, peak: 9, high: 9}}": stats.triang(1, 3, 6).cdf,
    "{humps: {first: 8, second: 18, sd: 1.5, share: 0.7}}": HUMPS,
    "{quantiles: [0, 10, 12, 40, 300]}": lambda x: np.interp(x, [0, 10, 12, 40, 300], [0, 0.25, 0.5, 0.75, 1]),
    "{steps: {0: 30, 10: 50, 50: 20, 90: 0}}": lambda x: np.interp(x, [0, 10, 50, 90], [0, 0.3, 0.8, 1]),
}


def world(folder: Path, said: str, kind: str = "numeric(12,3)") -> weltigen.World:
    (folder / "world.yaml").write_text(
        f"weltigen: 3\nentities: {{swell: {{rows: {ROWS}, fields: {{height: {{type: '{kind}', null: false, shape: {said}}}}}}}}}"
    )
    return weltigen.open_world(folder / "world.yaml")


@pytest.mark.parametrize("said", JUDGES)
def test_numbers_have_the_distribution_that_was_said(said: str, tmp_path: Path) -> None:
    made = world(tmp_path, said).dataset().table("swell")["height"].cast("float64").to_numpy()
    assert stats.kstest(made, JUDGES[said]).statistic < 0.01


def test_what_most_quantiles_are_stays_most_where_a_limit_begins_there(tmp_path: Path) -> None:
    made = world(tmp_path, "{quantiles: [0, 0, 0, 0, 10]}, minimum: 0, maximum: 10").dataset().table("swell")["height"]
    assert 0.74 < (made.cast("float64").to_numpy() == 0).mean() < 0.77


TIMES = """weltigen: 3
window: [2022-01-01, 2024-01-01]
entities:
  call:
    rows: 30000
    fields:
      at: {type: timestamp, null: false, kind: {rhythm: {growth: 3, weekdays: 10 10 10 10 10 2 0, months: 1 1 1 1 1 1 0 0 1 1 1 1, hours: HOURS}}}
      day: {type: date, null: false, kind: {rhythm: {growth: 0.25}}}
      alarm_at: {type: timestamp, null: false, kind: {rhythm: {weekdays: 1 1 1 1 1 1 0, bursts: 4 60}}}
"""
HOURS = "0 0 0 0 0 0 0 0 1 2 3 4 5 4 3 2 1 0 0 0 0 0 0 0"


def test_moments_keep_a_profile_of_growth_weekdays_months_and_hours(tmp_path: Path) -> None:
    (tmp_path / "world.yaml").write_text(TIMES.replace("HOURS", HOURS))
    dataset = weltigen.open_world(tmp_path / "world.yaml").dataset()
    rows = dataset.frame("call")
    at, days = rows["at"].to_numpy().astype("datetime64[s]"), rows["day"].to_numpy().astype("datetime64[D]")
    weekdays = np.bincount((at.astype("datetime64[D]").astype(int) + 3) % 7, minlength=7) / ROWS * 4 / 3
    assert abs(weekdays - np.array([10, 10, 10, 10, 10, 2, 0]) / 52).max() < 0.01 and weekdays[6] == 0
    months = np.bincount(at.astype("datetime64[M]").astype(int) % 12, minlength=12)
    assert months[6] == months[7] == 0 and months[8] > 1000
    hours = np.bincount(at.astype(int) // 3600 % 24, minlength=24) / len(at)
    weights = np.array(HOURS.split(), float)
    assert abs(hours - weights / weights.sum()).max() < 0.01
    for moments, growth in ((at.astype("datetime64[D]").astype(int), 3.0), (days.astype(int), 0.25)):
        first, last = (
            ((moments >= start) & (moments < start + 91)).sum() for start in (18_993, 19_631)
        )  # of each January to March
        assert abs(last / first / growth ** (638 / 730) - 1) < 0.12
    alarms = np.sort(np.bincount(rows["alarm_at"].to_numpy().astype("datetime64[D]").astype(int) - 18_993))
    assert abs(alarms[-4:] / ROWS * (626 - 4 + 4 * 60) / 60 * 4 / 3 - 1).max() < 0.15 and alarms[-5] < 80
    assert dataset.row("call", 77)["at"] == rows["at"][77]
    for said, told in (
        ("bursts: 9", "how many days"),
        ("bursts: 999 2", "of the 730"),
        ("weekdays: 1 2", "write 7 weights"),
        ("growth: none", "0.001 to 1000"),
        ("hours: x", "write 24 weights"),
    ):
        (tmp_path / "world.yaml").write_text(TIMES.replace("growth: 0.25", said).replace("HOURS", HOURS))
        with pytest.raises(weltigen.WeltigenError, match=told):
            weltigen.open_world(tmp_path / "world.yaml").dataset()


@pytest.mark.parametrize("exponent", [0.8, 1, 1.6])
def test_ranks_are_as_common_as_a_power_of_them(exponent: float, tmp_path: Path) -> None:
    made = world(tmp_path, f"{{zipf: {{exponent: {exponent}, most: 300}}}}", "integer").dataset().table("swell")["height"]
    counts = np.bincount(made.to_numpy(), minlength=301)
    assert counts[0] == 0 and counts.size == 301
    expected = np.arange(1, 301.0) ** -exponent
    assert abs(counts[2:21] / counts[2:].sum() - expected[1:20] / expected[1:].sum()).max() < 0.015


@pytest.mark.parametrize(
    ("said", "told"),
    [
        ("{zipf: {exponent: 0, most: 5}}", "shape zipf needs an exponent above 0"),
        ("{quantiles: [3, 1]}", "shape quantiles needs two numbers or more that do not fall"),
        ("{quantiles: {a: 1}}", "shape quantiles takes: a list of numbers"),
        ("{steps: [1, 2]}", "shape steps takes: weights by where each step begins"),
        ("{steps: {0: 5, low: 4}}", "shape steps needs rising numbers with weights"),
        ("{steps: {0: 5, 10: x}}", "'x'"),
        ("{humps: {first: 1}}", "shape humps takes: first, second, sd, share"),
        ("{triangular: {low: 4, peak: 2, high: 9}}", "low ≤ peak ≤ high"),
        ("{skewed: {median: 4, p95: 2}}", "0 < median < p95"),
        ("zipff", "no shape is called 'zipff'"),
    ],
)
def test_a_shape_that_cannot_be_is_told_with_its_place(said: str, told: str, tmp_path: Path) -> None:
    with pytest.raises(weltigen.WeltigenError) as raised:
        world(tmp_path, said)
    assert told in str(raised.value) and "world.yaml:2" in str(raised.value)
