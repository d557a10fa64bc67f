"""Whatever is wrong in what is read or asked for: one message and an exit code, no fault of ours, and nothing left behind."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from pathlib import Path
from random import Random
from types import FrameType
from typing import Any

import pytest

from ..conftest import FERRY, HARBOUR

NUMBER = int(os.environ.get("WELTIGEN_BROKEN", "120"))
YAML = """weltigen: 3
model: harbour.sql
window: [2024-01-01, 2025-01-01]
entities:
  pier: {rows: 6, label: name, fields: {length_m: {minimum: 8, maximum: 60}}}
  boat:
    rows: {per: pier, mean: 3, most: 9, none: 10%}
    references: {pier: {favour: {few: 20%, take: 60%}}, towed_by: {present: 10%}}
    fields: {name: {kind: vessel-name}, sunk_on: {present: 5%}}
    cohorts: {old: {share: 20%, fields: {built_on: {maximum: 2024-03-01}}}}
    checks: ["sunk_on > built_on + 3 * interval '1 day'"]
  licence: {rows: 4, fields: {fee: {compute: "boat.pier.length_m * 2"}}}
"""
WORDS = (
    "SELECT NULL NOT CHECK PRIMARY KEY ( ) [ ] { } ' \" , ; : -- /* 1e999 -1 99999999999999999999 nan é 日本 \x00 \t *a &a !!python/object "
    "references unique generated always as identity interval varchar(0) numeric(99,98) enum() 2024-13-45 0% 200% per: mean: kind: compute: weights:"
).split(" ")
OPTIONS = (
    ("--rows", ("boat=-1", "boat=x", "boat", "=3", "nope=3", "boat=999999999999999999999", "pier=0")),
    ("--times", ("0", "-2", "nan", "inf", "1e-9", "x")),
    ("--seed", ("-1", "x", "9" * 40)),
    ("--now", ("yesterday", "2024-02-30", "0001-01-01", "9999-12-31")),
    ("--set", ("boat.name", "boat.name=" + "y" * 500, "boat.nope=1", "pier.length_m=x", "boat.built_on=2024-99-99", "boat.pier_id=1", "pier.slug=a")),
)  # fmt: skip


def broken(chance: Random, text: str) -> str:
    """The text with a few things gone, doubled, moved, or put in."""
    for _ in range(chance.choice([1, 1, 2, 3])):
        at = chance.randrange(len(text) or 1)
        end = min(len(text), at + chance.choice([1, 1, 2, 5, 20, 80]))
        match chance.randrange(5):
            case 0:
                text = text[:at] + text[end:]
            case 1:
                text = text[:end] + text[at:end] + text[end:]
            case 2:
                text = text[:at] + chance.choice(WORDS) + text[at:]
            case 3:
                text = text[:at] + chance.choice(WORDS) + text[end:]
            case _:
                text = text[:at] if chance.random() < 0.2 else text[:at] + text[at:end][::-1] + text[end:]
    return text


@pytest.fixture
def in_time() -> Iterator[None]:
    def late(number: int, frame: FrameType | None) -> None:
        raise AssertionError("it took longer than ten seconds")

    signal.signal(signal.SIGALRM, late)
    signal.alarm(10)
    yield
    signal.alarm(0)


@pytest.mark.parametrize("seed", range(NUMBER))
def test_what_is_broken_is_told_and_leaves_nothing_behind(seed: int, run: Any, tmp_path: Path, in_time: None) -> None:
    chance = Random(f"broken {seed}")
    (tmp_path / "harbour.sql").write_text(HARBOUR, "utf-8")
    (tmp_path / "harbour.yaml").write_text(YAML, "utf-8")
    options: list[str] = []
    asked: Path = tmp_path / "harbour.yaml"
    match chance.randrange(5):
        case 0:
            asked.write_text(broken(chance, YAML), "utf-8")
        case 1:
            (tmp_path / "harbour.sql").write_text(broken(chance, HARBOUR), "utf-8")
        case 2:
            asked = tmp_path / "ferry.sql"
            asked.write_text(broken(chance, FERRY.with_name("ferry.sql").read_text("utf-8")), "utf-8")
        case 3:
            name, values = chance.choice(OPTIONS)
            options = [name, chance.choice(values)]
        case _:
            asked.write_bytes(chance.randbytes(chance.randrange(400)))
    before = sorted(path.name for path in tmp_path.iterdir())
    command = chance.choice(["explain", "explain", "fill", "peek", "draft", "picture"])
    place = {"fill": ["--into", tmp_path / "out"], "draft": [], "picture": ["-o", tmp_path / "map.svg"]}.get(command, [])
    done = run(command, asked, *place, *(options if command in ("explain", "fill", "peek") else []))
    assert done.code in (0, 2, 4), (done.code, done.err)
    assert "Traceback" not in done.err and "fault in weltigen" not in done.err
    if done.code:
        # a map is drawn of what cannot be filled too
        left = sorted(path.name for path in tmp_path.iterdir() if path.name != "map.svg")
        assert (done.err + done.out).strip() and left == before
