"""Loads that are cut off at any moment: started again they end with the same rows, none twice and none missing."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pytest

import weltigen
from weltigen.model import Entity, World
from weltigen.stored.tables import table_reader
from weltigen.targets.databases.mariadb import MariadbPlace

from ..conftest import FERRY
from ..starting import Started, ended
from .databases import KINDS, Place, make_place

__all__ = ["make_place"]
FAULTS = int(os.environ.get("WELTIGEN_FAULTS", "1"))  # random moments for each kind of place
ROWS = ("tide_gauge=70000", "passenger=800", "sailing=120")
LOAD = ["fill", str(FERRY), *(word for rows in ROWS for word in ("--rows", rows))]
Make = Callable[..., Place]


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> tuple[str, float]:
    """The digest of an undisturbed run, and how long one takes."""
    began = time.monotonic()
    into = tmp_path_factory.mktemp("whole") / "ferry.sqlite"
    done = ended(*LOAD, "--into", str(into), "--commit-every", "1", "--json")
    return json.loads(done.stdout)["digest"], time.monotonic() - began


def cut_off(command: list[str], after: float, cut: Callable[[], object] | None = None) -> None:
    """Start a command, and end it at a moment: by a kill, or by what cuts its connection."""
    running = Started(*command)
    try:
        running.wait(after)
    except subprocess.TimeoutExpired:
        running.kill() if cut is None else cut()
    done = running.end(timeout=120)
    assert done.returncode in (0, -signal.SIGKILL, 5), done.stderr
    assert "Traceback" not in done.stderr


@pytest.mark.parametrize("number", range(FAULTS))
@pytest.mark.parametrize("kind", [*KINDS, "a cut connection"])
def test_a_load_in_steps_goes_on_where_it_was_cut_off(kind: str, number: int, make_place: Make, whole: tuple[str, float]) -> None:
    place = make_place("postgresql" if kind == "a cut connection" else kind)
    command = [*LOAD, "--into", place.into, "--commit-every", "1"]
    if kind not in ("sqlite", "duckdb") and (kind == "postgresql") == bool(number % 2):
        command += ["--connections", "3"]
    digest, seconds = whole
    after = random.Random(f"{kind} {number}").uniform(0.25, 1.2) * seconds
    others = (
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
    )
    cut_off(command, after, (lambda: place.ask(others)) if kind == "a cut connection" else None)
    done = ended(*command, "--json")
    if "holds rows" not in done.stderr:  # it had ended before it was cut off
        assert done.returncode == 0, done.stderr
        assert json.loads(done.stdout)["digest"] == digest
    run = weltigen.open_run(place.into)
    assert {name: place.count(name) for name in run.counts} == dict(run.counts) and place.count("tide_gauge") == 70_000
    read = table_reader(place.into, run.plan.world)
    for name in ("port", "crew_member", "booking", "ticket"):  # circles and references among them
        made = run.table(name)
        key = [(column, "ascending") for column in run.plan.entity(name).entity.key]
        stored = read(name).select(made.schema.names).cast(made.schema)
        assert stored.sort_by(key).to_pylist() == made.sort_by(key).to_pylist()
    if kind in ("sqlite", "duckdb"):
        left = {path.name for path in Path(place.into).parent.iterdir()}
        assert left <= {Path(place.into).name, f"{Path(place.into).name}.receipt.json"}


@pytest.mark.parametrize("kept", [0, 1, 20])
def test_a_load_that_was_cut_off_in_its_definitions_begins_again(kept: int, make_place: Make, whole: tuple[str, float]) -> None:
    """Where no transaction takes definitions back: so many tables are there, and the ledger says whose they are."""
    place = make_place("mariadb")
    command = [*LOAD, "--into", place.into, "--commit-every", "1", "--json"]
    ran = weltigen.open_world(FERRY).dataset(rows={"tide_gauge": 70_000, "passenger": 800, "sailing": 120})

    def stop(self: MariadbPlace, world: World, entities: list[Entity]) -> list[str]:
        define(self, world, entities[:kept])
        os._exit(9)  # as a kill would

    define = MariadbPlace.create
    child = os.fork()
    if child == 0:
        MariadbPlace.create = stop  # type: ignore[method-assign, assignment]
        ran.write(place.into, commit_every=1)
        os._exit(0)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9 and len(place.tables()) == kept + 1
    done = ended(*command)
    assert done.returncode == 0 and json.loads(done.stdout)["digest"] == whole[0], done.stderr
    assert place.count("tide_gauge") == 70_000


FOLDER = [*LOAD, "--rows", "tide_gauge=140000"]


@pytest.fixture(scope="module")
def undisturbed(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str], tuple[dict[str, bytes], float]]:
    """The bytes of each file of an undisturbed run in a format, and how long that took."""
    made: dict[str, tuple[dict[str, bytes], float]] = {}

    def of(format: str) -> tuple[dict[str, bytes], float]:
        if format not in made:
            into, began = tmp_path_factory.mktemp("undisturbed") / "out", time.monotonic()
            assert ended(*FOLDER, "--into", str(into), "--format", format).returncode == 0
            made[format] = {path.name: path.read_bytes() for path in into.iterdir()}, time.monotonic() - began
        return made[format]

    return of


@pytest.mark.parametrize("number", range(FAULTS))
@pytest.mark.parametrize("format", ["csv", "jsonl", "parquet"])
def test_a_folder_goes_on_from_what_a_killed_run_left(
    format: str, number: int, tmp_path: Path, undisturbed: Callable[[str], tuple[dict[str, bytes], float]]
) -> None:
    whole, seconds = undisturbed(format)
    command = [*FOLDER, "--into", str(tmp_path / "out"), "--format", format]
    for again in range(2):  # killed twice
        cut_off(command, random.Random(f"{format} {number} {again}").uniform(0.3, 0.9) * seconds)
    journals = list(tmp_path.glob(".out.*.partial/making.jsonl"))
    if number % 2 and journals:  # what was changed meanwhile is made again
        largest = max(journals[0].parent.iterdir(), key=lambda path: path.stat().st_size)
        largest.write_bytes(largest.read_bytes()[:-9] + b"123456789")
    done = ended(*command)
    assert done.returncode == 0 or "would be written over" in done.stderr
    assert {path.name: path.read_bytes() for path in (tmp_path / "out").iterdir()} == whole
    assert {path.name for path in tmp_path.iterdir()} == {"out"}


def test_what_a_place_beside_it_is_writing_stays(tmp_path: Path, ferry: weltigen.World) -> None:
    """`out` and `out.new` are two places: a run into the one takes nothing of what a run into the other has not finished."""
    (other := tmp_path / ".out.new.abcd_123.partial").mkdir()
    (left := tmp_path / ".out.wxyz_987.partial").mkdir()
    ferry.dataset().write(tmp_path / "out")
    assert other.is_dir() and not left.exists()
