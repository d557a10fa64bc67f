"""Random models with random world files: what is said is kept, or it is told why it cannot be."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

import weltigen

from ..bare.hostile import make_hostile
from ..models import make_model
from ..wishes import random_wishes

WISHES = int(os.environ.get("WELTIGEN_WISHES", "40"))
FIRST = int(os.environ.get("WELTIGEN_WISHES_FIRST", "0"))
FOUND = (20, 32, 51, 121, 130, 162, 178, 184, 233, 422, 425, 678, 1274)  # seeds that found faults
_DIALECTS = ("postgresql", "sqlite", "mysql")
_KEPT = 0.15  # of the world files at least are no nonsense as a whole


@pytest.mark.parametrize("part", range(max(1, WISHES // 30)))
def test_what_is_said_is_kept_or_told(part: int, tmp_path: Path) -> None:
    start, kept, broken = FIRST + part * 30, 0, []
    seeds = {*range(start, start + 30), *(FOUND if not start else ())}
    for seed in sorted(seeds):
        dialect, folder = _DIALECTS[seed % 3], tmp_path / str(seed)
        sql = make_model(seed).sql if seed % 2 and dialect == "postgresql" else make_hostile(seed, dialect).sql
        folder.mkdir()
        (folder / "model.sql").write_text(sql)
        (folder / "world.yaml").write_text(random_wishes(seed, sql, dialect))
        try:
            world = weltigen.open_world(folder / "world.yaml")
            world.dataset().write(folder / "out", format="parquet")
        except weltigen.WeltigenError as error:
            assert all(problem.fact and problem.place is not None for problem in error.problems), (seed, str(error))
            continue
        kept += 1
        broken += [f"{seed}: {finding}" for finding in weltigen.audit(world, folder / "out")]
    assert not broken
    assert kept >= _KEPT * len(seeds)
