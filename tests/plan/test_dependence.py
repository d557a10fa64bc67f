"""Rank correlations among several numbers of a row: all that are declared hold at once, or are told to be impossible."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import weltigen
from weltigen.model.problems import ImpossibleError

NAMES = ["length_m", "beam_m", "draught_m", "sail_area", "built_on"]
SQL = """CREATE TABLE boat (boat_id integer PRIMARY KEY, length_m numeric(6,2) NOT NULL, beam_m double precision NOT NULL,
draught_m real NOT NULL, sail_area integer NOT NULL, built_on date NOT NULL, lent_on date, crew smallint)"""
SHAPES = {
    "length_m": "{shape: {skewed: {median: 9, p95: 15}}", "beam_m": "{shape: {normal: {mean: 30, sd: 5}}", "draught_m": "{kind: {number: {from: 1, to: 4, shape: hump}}",
    "sail_area": "{shape: {exponential: {mean: 400}}", "built_on": "{after: 1990-01-01",
}  # fmt: skip


def _rows(folder: Path, fields: list[str]) -> pd.DataFrame:
    (folder / "boats.sql").write_text(SQL)
    said = "".join(f"      {line}\n" for line in fields)
    (folder / "boats.yaml").write_text(f"weltigen: 3\nmodel: boats.sql\nentities:\n  boat:\n    rows: 20000\n    fields:\n{said}")
    rows = weltigen.open_world(folder / "boats.yaml").dataset().frame("boat")
    return rows.assign(built_on=[day.toordinal() for day in rows["built_on"]], crew=rows["crew"].astype(float))


@pytest.mark.parametrize("seed", range(4))
def test_all_correlations_of_a_row_hold_at_once(seed: int, tmp_path: Path) -> None:
    chance = np.random.default_rng(seed)
    factors = chance.normal(size=(len(NAMES), 3)) @ chance.normal(size=(3, 400)) + chance.normal(size=(len(NAMES), 400))
    wanted = np.round(6 / np.pi * np.arcsin(np.corrcoef(factors) / 2), 2)
    fields = []
    for at, name in enumerate(NAMES):
        told = [f"{{field: {NAMES[other]}, correlation: {wanted[at, other]:g}}}" for other in range(at)]
        follows = f", follows: {told[0] if len(told) == 1 else '[' + ', '.join(told) + ']'}" if told else ""
        fields.append(f"{name}: {SHAPES[name]}{follows}}}")
    rows = _rows(tmp_path, fields)
    found = rows[NAMES].astype(float).corr("spearman").to_numpy()
    assert np.abs(found - wanted).max() < 0.03, (wanted, found)
    dataset = weltigen.open_world(tmp_path / "boats.yaml").dataset()
    dataset.write(tmp_path / "boats.sqlite")
    assert list(weltigen.audit(tmp_path / "boats.yaml", tmp_path / "boats.sqlite")) == []
    assert dataset.row("boat", 17)["sail_area"] == rows["sail_area"][17]


def test_what_is_missing_counts_as_anything_and_what_cannot_be_is_told(tmp_path: Path) -> None:
    strong = "{field: length_m, correlation: 0.9}"
    rows = _rows(
        tmp_path,
        [f"crew: {{present: 40%, follows: {strong}}}", f"sail_area: {{follows: [{strong}, {{field: crew, correlation: 0.82}}]}}"],
    )
    both = rows.dropna(subset=["crew"]).astype({"length_m": float})
    assert abs(both["sail_area"].corr(both["crew"], "spearman") - 0.82) < 0.03 and rows["sail_area"].nunique() > 20
    with pytest.raises(ImpossibleError, match=r"nothing has these rank correlations at once: length_m 0\.9, beam_m -0\.9"):
        _rows(
            tmp_path,
            [f"beam_m: {{follows: {strong}}}", f"sail_area: {{follows: [{strong}, {{field: beam_m, correlation: -0.9}}]}}"],
        )
