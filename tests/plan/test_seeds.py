"""Whether a world is possible hangs on what it says, never on its seed: with few rows and with many."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen
from weltigen.planning.make_plan import with_runtime_problems

from .. import beacons, guild
from ..conftest import FERRY
from ..models import make_model

WORLDS = ("ferry", "beacons", "guild", *(str(seed) for seed in range(2, 50, 8)))
SEEDS = 12


def opened(name: str, folder: Path) -> weltigen.World:
    if name == "ferry":
        return weltigen.open_world(FERRY)
    if name.isdigit():
        made = make_model(int(name))
        sql, yaml = made.sql + made.special, made.yaml
    else:
        module = {"beacons": beacons, "guild": guild}[name]
        sql, yaml = module.SQL, module.YAML.replace(f"{name}.sql", "model.sql")
    (folder / "model.sql").write_text(sql)
    (folder / "world.yaml").write_text(yaml)
    return weltigen.open_world(folder / "world.yaml")


@pytest.mark.parametrize("name", WORLDS)
def test_a_world_is_possible_with_every_seed_or_with_none(name: str, tmp_path: Path) -> None:
    world = opened(name, tmp_path)
    roots = [e.name for e in world.entities if not e.fixed and all(r.target == e.name for r in e.relations)]
    for rows in (None, 1, 3, 10, 1000):
        said = set()
        for seed in range(SEEDS if rows is None else SEEDS // 4):
            plan = world.plan(seed=seed, rows=None if rows is None else dict.fromkeys(roots, rows))
            said.add(tuple(sorted(problem.fact for problem in with_runtime_problems(plan).problems)))
        assert len(said) == 1, (rows, said)
        assert rows is not None or said == {()}
