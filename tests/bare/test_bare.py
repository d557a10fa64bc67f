"""Models of strangers: what a database accepts with some rows in it is filled, and the database accepts what was made."""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest

import weltigen

from .. import servers
from .hostile import make_hostile
from .judges import Judge, Mariadb, Postgresql, Sqlite

MODELS = int(os.environ.get("WELTIGEN_BARE_MODELS", "12"))
FIRST = int(os.environ.get("WELTIGEN_BARE_FIRST", "0"))  # the first seed
FOUND = {
    "sqlite": (90044, 22, 26, 48, 61, 210, 222, 301, 485, 614, 747, 923, 1096, 3259, 3272, 3310, 3442, 4467, 5216, 5240, 300084),
    "postgresql": (35, 85, 95, 144, 255, 298, 501, 517, 563, 603, 786, 1397, 1632, 1819, 2076, 2430, 2440, 3143, 3178, 10000),
    "mysql": (
        90087,
        24,
        26,
        51,
        73,
        84,
        108,
        180,
        286,
        364,
        367,
        433,
        478,
        576,
        708,
        767,
        786,
        933,
        1060,
        1238,
        1326,
        1511,
        3300,
        5115,
        7067,
        10086,
        10187,
    ),
}  # seeds that found faults
JUDGES = {"sqlite": Sqlite, "postgresql": Postgresql, "mysql": Mariadb}
_TAKEN = 0.75  # of these models at least are accepted by their database, with their witness rows


@pytest.fixture
def open_folder() -> Iterator[Path]:
    """A folder that servers may read, which run as another user."""
    with TemporaryDirectory(prefix="weltigen-bare-") as name:
        Path(name).chmod(0o755)
        yield Path(name)


@contextmanager
def judging(dialect: str, request: pytest.FixtureRequest) -> Iterator[Judge]:
    match dialect:
        case "postgresql":
            yield Postgresql(servers.fresh_database(request.getfixturevalue("postgresql_server"))("bare"))
        case "mysql":
            yield Mariadb(request.getfixturevalue("mariadb_server"))
        case _:
            yield Sqlite()


@pytest.fixture(scope="module", params=list(JUDGES))
def judge(request: pytest.FixtureRequest) -> Iterator[Judge]:
    with judging(request.param, request) as found:
        yield found


def loaded_by_us(judge: Judge, definitions: str, dataset: weltigen.Dataset, file: Path) -> str | None:
    """What went wrong where a dataset is written into a database, of which every constraint is on; the audit's findings too."""
    into = judge.url or str(file)
    judge.empty()
    if judge.url:
        judge._run(definitions)
    else:
        with closing(sqlite3.connect(file)) as connection:
            connection.executescript(definitions)
    try:
        dataset.write(into)
    except weltigen.WeltigenError as error:
        return str(error)
    return "; ".join(map(str, weltigen.audit(dataset.plan.world, into))) or None


@pytest.mark.parametrize("part", range(max(1, MODELS // 18)))
def test_what_a_database_accepts_is_filled_and_accepted_by_it(judge: Judge, part: int, open_folder: Path) -> None:
    dialect, taken, broken = judge.dialect, 0, []
    first = FIRST + part * 6
    seeds = [*range(first, first + 6), *(FOUND[dialect] if not first else ())]
    for seed in seeds:
        made = make_hostile(seed, dialect)
        if judge.accepts(made.sql + made.witnesses) is not None:
            continue
        taken += 1
        try:
            world = weltigen.read_model(made.sql, dialect=dialect)
            dataset = world.dataset(seed=seed)
            dataset.write(open_folder / str(seed), format="csv")
        except weltigen.WeltigenError as error:
            broken.append(f"{dialect} {seed}: {error}")
            continue
        empty = [name for name in made.tables if not dataset.counts[name]]
        told = json.loads((open_folder / str(seed) / "receipt.json").read_text("utf-8"))["files"]
        files = {name: open_folder / str(seed) / file for name, file in told.items()}
        for file in files.values():
            file.chmod(0o644)
        refused = judge.loads(made.sql, [(world.declared.entity(name), files[name]) for name in dataset.plan.order])
        if seed % 10 == 0 or MODELS > 18:  # and by our own way, into tables that the database's client made
            refused = refused or loaded_by_us(judge, made.sql, dataset, open_folder / f"{seed}.sqlite")
        if empty or refused:
            broken.append(f"{dialect} {seed}: {empty or refused}")
    assert taken >= _TAKEN * len(seeds)
    assert not broken, "\n".join(broken)
