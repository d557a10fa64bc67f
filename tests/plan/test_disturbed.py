"""Noise and extremes: so many values as were asked for, the same in any batching, and none that breaks a rule."""

from __future__ import annotations

from pathlib import Path

import pyarrow as pa
import pytest

import weltigen

MODEL = """
CREATE TABLE sounding (
    id int PRIMARY KEY, title varchar(40) NOT NULL, body text, CHECK ((body IS NULL) = (echo IS NULL)), depth_m numeric(6,2) NOT NULL CHECK (depth_m BETWEEN 0 AND 900),
    echo smallint, seen_on date, mark varchar(8) UNIQUE, status varchar(10) CHECK (status IN ('open', 'done')),
    mood varchar(12) CHECK (length(mood) > 2), begun_at timestamp, ended_at timestamp, good boolean, CHECK (ended_at > begun_at)
);
"""
ROWS = 5000
SHARES = {  # noise, and extremes
    "title": (0.2, 0), "body": (0.05, 0.03), "depth_m": (0.1, 0.1), "echo": (0, 0.25), "seen_on": (0, 0.1), "mood": (0.3, 0.2),
}  # fmt: skip


def world(folder: Path, fields: str) -> weltigen.World:
    (folder / "m.sql").write_text(MODEL)
    (folder / "w.yaml").write_text(
        f"weltigen: 3\nmodel: m.sql\nentities:\n  sounding:\n    rows: {ROWS}\n    fields: {{{fields}}}\n"
    )
    return weltigen.open_world(folder / "w.yaml")


def test_a_share_is_disturbed_and_everything_else_is_as_it_was(tmp_path: Path) -> None:
    said = ", ".join(f"{name}: {{noise: {noise}, extremes: {ends}}}" for name, (noise, ends) in SHARES.items())
    plain, dataset = world(tmp_path, "").dataset().table("sounding"), world(tmp_path, said).dataset()
    made = dataset.table("sounding")
    for name in made.column_names:
        differ = sum(one != other for one, other in zip(made[name].to_pylist(), plain[name].to_pylist(), strict=True)) / ROWS
        share = sum(SHARES.get(name, (0, 0))) * (1 - plain[name].null_count / ROWS)
        assert made[name].null_count == plain[name].null_count
        assert share * 0.6 <= differ <= share * 1.1 + (0.01 if share else 0)  # some change nothing, or would break a rule
    texts, moods = made["body"].drop_null().to_pylist(), made["mood"].drop_null().to_pylist()
    assert max(map(len, texts)) == 4000 and any("<b>" in text for text in texts) and any("日本語" in text for text in texts)
    assert {3, 12} <= set(map(len, moods)) and min(map(len, moods)) == 3 and any(mood != mood.strip() for mood in moods)
    ends = {min(made["depth_m"].to_pylist()), max(made["depth_m"].to_pylist()), min(made["echo"].drop_null().to_pylist())}
    assert ends == {0, 900, -32768}
    pieces = list(dataset.batches("sounding", size=777))
    assert pa.Table.from_batches(pieces).equals(made) and dataset.row("sounding", 41)["title"] == made["title"][41].as_py()
    dataset.write(tmp_path / "out.sqlite")
    assert list(map(str, weltigen.audit(dataset.plan.world, tmp_path / "out.sqlite"))) == []


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ("id: {noise: 5%}", "a unique rule or a key"),
        ("mark: {extremes: 5%}", "a unique rule or a key"),
        ("status: {noise: 5%}", "only some values are allowed"),
        ("begun_at: {extremes: 5%}", "the check ended_at > begun_at ties it"),
        ("good: {extremes: 5%}", "and it is boolean"),
        ("seen_on: {noise: 5%}", "noise is for texts and numbers"),
        ('title: {compute: "upper(mood)", noise: 5%}', "it is computed"),
        ("title: {noise: 70%, extremes: 40%}", "110% of the values"),
    ],
)
def test_what_a_rule_ties_to_others_is_not_disturbed(said: str, why: str, tmp_path: Path) -> None:
    with pytest.raises(weltigen.WeltigenError) as raised:
        world(tmp_path, said).dataset()
    assert why in str(raised.value) and "w.yaml:6" in str(raised.value)
