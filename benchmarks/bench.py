"""`make bench`: the figures that Weltigen is held to, as ratios measured in one run on this machine."""

from __future__ import annotations

import gc
import os
import platform
import random
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from importlib.resources import files
from pathlib import Path
from statistics import median
from tempfile import TemporaryDirectory

import plain_loop
import pyarrow as pa
import pyarrow.csv as arrow_csv
import wide_model
from databases import databases

import weltigen
from weltigen.api.dataset import Dataset
from weltigen.engine import Row, families, made
from weltigen.infer import infer
from weltigen.model import CasesSource, ComputeSource, ConstSource, Field, World
from weltigen.planning import make_plan
from weltigen.readers.sql import read_ddl
from weltigen.values.people import names_of

FERRY = str(files("weltigen.demo") / "ferry.yaml")
MEASURED = ("passenger", "booking")
SMALL = """
CREATE TABLE pier (pier_id integer PRIMARY KEY, name varchar(40) NOT NULL UNIQUE, length_m numeric(5, 1) CHECK (length_m > 10));
CREATE TABLE mooring (mooring_id integer PRIMARY KEY, pier_id integer NOT NULL REFERENCES pier, number integer NOT NULL,
                      UNIQUE (pier_id, number));
CREATE TABLE keeper (keeper_id integer PRIMARY KEY, mooring_id integer UNIQUE REFERENCES mooring, email varchar(120) UNIQUE);
"""


def timed(work: Callable[[], object]) -> float:
    gc.collect()
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def say(name: str, figure: str, wanted: str) -> None:
    print(f"  {name:<68} {figure:>16}   {wanted}", flush=True)


def make_all(dataset: weltigen.Dataset, workers: int) -> int:
    return sum(batch.num_rows for name in MEASURED for batch in dataset.batches(name, workers=workers))


def loop_rate() -> float:
    """How many rows a second the plain loop makes."""
    given, family = names_of("en", "given"), names_of("en", "family")
    start = datetime(2024, 1, 1)
    random.seed(1)
    sailings = [(n, start + timedelta(minutes=random.randrange(1_200_000))) for n in range(1, 3_000)]
    gc.collect()
    began = time.perf_counter()
    made = plain_loop.make_passengers(20_000, given, family), plain_loop.make_bookings(sailings, 20_000)
    return sum(map(len, made)) / (time.perf_counter() - began)


def speed() -> None:
    """Interleaved, so that a slower moment of the machine meets all of them."""
    dataset = weltigen.open_world(FERRY).dataset(times=150)  # large enough that the last batches of a table do not count
    rows = make_all(dataset, 1)
    loop_rates, ratios, scaling = [], [], []
    cells = sum(dataset.counts[name] * len(dataset.plan.entities[name].columns) for name in MEASURED)
    for _ in range(5):
        loop_rates.append(loop_rate())
        one, two = timed(lambda: make_all(dataset, 1)), timed(lambda: make_all(dataset, 2))
        ratios.append((rows / two / loop_rates[-1], rows / one, rows / two))
        scaling.append(one / two)
    say("the plain loop", f"{median(loop_rates):,.0f} rows/s", "")
    say("one worker", f"{median(r[1] for r in ratios):,.0f} rows/s", "")
    say("two workers", f"{median(r[2] for r in ratios):,.0f} rows/s", "")
    say("two workers to the plain loop", f"{median(r[0] for r in ratios):.1f} times", "at least 25")
    say("two workers to one", f"{median(scaling):.2f} times", "at least 1.6")
    say(
        "cells of both, two workers, the best run",
        f"{max(r[2] for r in ratios) / rows * cells:,.0f} a second",
        "at least 3,000,000",
    )


def looking_ahead() -> None:
    """Bookings that know what their tickets come to, to bookings that do not and the tickets once more."""
    world = weltigen.open_world(FERRY).declared
    knowing = weltigen.World(world).dataset(times=40)
    booking = world.entity("booking")
    fields = tuple(
        replace(f, source=ConstSource(value="1")) if isinstance(f.source, ComputeSource) else f for f in booking.fields
    )
    bare = replace(world, entities=tuple(replace(e, fields=fields) if e is booking else e for e in world.entities))
    without = Dataset(make_plan(bare, times=40).check())

    def rows_of(dataset: Dataset, *names: str) -> object:
        return [batch.num_rows for name in names for batch in dataset.batches(name)]

    ratios = [timed(lambda: rows_of(knowing, "booking")) / timed(lambda: rows_of(without, "booking", "ticket")) for _ in range(4)]
    say("bookings with the sums of their tickets, to both apart", f"{median(ratios):.2f}", "at most 1")


def beside_csv() -> None:
    """A part of its own, since whole tables in memory slow everything else that is measured in the process."""
    dataset = weltigen.open_world(FERRY).dataset(times=30)
    make_all(dataset, 1)
    ratios = []
    for _ in range(5):
        one = timed(lambda: make_all(dataset, 1))
        tables = [dataset.table(name) for name in MEASURED]
        ratios.append(
            one / sum(timed(lambda table=table: arrow_csv.write_csv(table, pa.BufferOutputStream())) for table in tables)
        )
    say("making both (one worker), tickets summed up, to their writing as CSV", f"{median(ratios):.2f} times", "")


def with_children_beside_csv() -> None:
    """Bookings, whose totals are sums over their tickets, and these tickets, to the writing of both."""
    dataset = weltigen.open_world(FERRY).dataset(times=30)
    (family,) = families(dataset.plan, ("booking", "ticket"))
    tables = [dataset.table(name) for name in family.names]
    ratios = [
        timed(lambda: [rows for _, rows in made(dataset.runtime, family, lambda _, batch: batch.num_rows)])
        / sum(timed(lambda table=table: arrow_csv.write_csv(table, pa.BufferOutputStream())) for table in tables)
        for _ in range(5)
    ]
    say("making bookings and their tickets to writing both", f"{median(ratios):.2f} times", "at most 1")


def beside_unruled() -> None:
    """All entities of the world, and the same fields without any relation and rule, all of them columns of their own."""
    ruled = weltigen.open_world(FERRY).dataset(times=100)
    counts = {name: plan.generated for name, plan in ruled.plan.entities.items()}
    unruled = Dataset(make_plan(without_rules(ruled.plan.world), rows=counts).check())
    ratios = []
    for _ in range(4):
        with_rules, without = (timed(lambda d=d: [batch.num_rows for _, batch in d.all_batches()]) for d in (ruled, unruled))
        ratios.append(without / with_rules)
    say("the rate with all rules and relations to that without", f"{median(ratios[1:]):.2f}", "at least 0.6")


def without_rules(world: World) -> World:
    def alone(field: Field) -> Field:
        bounds = tuple(bound for bound in field.limits.bounds if not bound.path)
        present = (
            field.present if field.present is None or not field.present.when else replace(field.present, when=None, share=0.5)
        )
        alone = isinstance(field.source, ComputeSource | CasesSource)
        source = None if alone else field.source
        return replace(field, limits=replace(field.limits, bounds=bounds), present=present, source=source, follows=())

    return infer(replace(world, entities=tuple(
        replace(
            entity, relations=(), uniques=(), checks=(), key=(), rows=None, cohorts=(), fields=tuple(map(alone, entity.fields))
        )
        for entity in world.entities
    )))  # fmt: skip


# VmHWM is this process's own: the resident size that getrusage tells is at least the parent's at the time of the fork
PEAK = """
import re, sys, tempfile, weltigen
from pathlib import Path
world = weltigen.open_world(sys.argv[1])
dataset = world.dataset(times=float(sys.argv[2]))
with tempfile.TemporaryDirectory() as folder:
    dataset.write(Path(folder) / "out", format="parquet", workers=2)
print(dataset.counts["booking"], re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text())[1])
"""


def memory() -> None:
    """The first batches settle the memory; from then on it must not grow with the rows."""
    peaks = {}
    for times in (6, 60, 566):
        done = subprocess.run([sys.executable, "-c", PEAK, FERRY, str(times)], capture_output=True, text=True, check=True)
        rows, peak = map(int, done.stdout.split())
        peaks[times] = peak / 1024
        say(f"peak memory, {rows:,} bookings to Parquet", f"{peak / 1024:,.0f} MB", "less than 700" if times > 100 else "")
    say("ten million to one million", f"{peaks[566] / peaks[60]:.2f} times", "less than 1.1")


LINK = """
CREATE TABLE sail (sail_id integer PRIMARY KEY);
CREATE TABLE mast (mast_id integer PRIMARY KEY);
CREATE TABLE rig (
    sail_id integer NOT NULL REFERENCES sail, mast_id integer NOT NULL REFERENCES mast, PRIMARY KEY (sail_id, mast_id)
);
"""
PEAK_OF_LINK = """
import re, sys, weltigen
from pathlib import Path
dataset = weltigen.read_model(sys.argv[1]).dataset(rows={"sail": 100_000, "mast": 100_000, "rig": int(sys.argv[2])})
rows = sum(batch.num_rows for batch in dataset.batches("rig", workers=2))
print(rows, re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text())[1])
"""


SIX = """
CREATE TABLE sail (sail_id integer PRIMARY KEY);
CREATE TABLE mast (mast_id integer PRIMARY KEY);
CREATE TABLE rig (
    sail_id integer NOT NULL REFERENCES sail, mast_id integer NOT NULL REFERENCES mast, side boolean NOT NULL,
    turn smallint NOT NULL CHECK (turn BETWEEN 1 AND 90), hung_on date NOT NULL,
    mark char(3) NOT NULL CHECK (mark ~ '^[A-Z]{3}$'),
    UNIQUE (sail_id, mast_id, side, turn, hung_on, mark)
);
"""


def memory_of_rules() -> None:
    """Each pair of two entities at most once; and a rule over six columns, two of them references."""
    for model, named in ((LINK, "of a many-to-many"), (SIX, "under a rule of six columns")):
        for wanted in (1_000_000, 100_000_000):
            command = [sys.executable, "-c", PEAK_OF_LINK, model, str(wanted)]
            rows, peak = map(int, subprocess.run(command, capture_output=True, text=True, check=True).stdout.split())
            most = "no more than that" if wanted > 1e7 else ""
            say(f"peak memory, {rows:,} rows {named} made", f"{peak / 1024:,.0f} MB", most)


USUAL = "import weltigen; weltigen.World, weltigen.open_world, weltigen.read_model"


def latency() -> None:
    dataset = weltigen.open_world(FERRY).dataset(times=566)
    total = dataset.counts["booking"]
    one_row = lambda ordinal: dict(Row(dataset.runtime, "booking", ordinal))  # noqa: E731
    one_row(0)
    taken = []
    for number in range(100):
        began = time.perf_counter()
        one_row(number * (total // 100))
        taken.append(time.perf_counter() - began)
    say(f"dataset.row, 100 of {total:,} bookings, the median", f"{median(taken) * 1e3:.2f} ms", "under 2")
    say("the slowest of them", f"{max(taken) * 1e3:.2f} ms", "")
    command = [str(Path(sys.executable).with_name("weltigen")), "--help"]
    helps = [timed(lambda: subprocess.run(command, capture_output=True, check=True)) for _ in range(7)]
    say("weltigen --help", f"{median(helps):.3f} s", "under 0.3")

    imports = [timed(lambda: subprocess.run([sys.executable, "-c", USUAL], check=True)) for _ in range(7)]
    empty = [timed(lambda: subprocess.run([sys.executable, "-c", "pass"], check=True)) for _ in range(7)]
    say("importing what opens a world, beside an empty Python", f"{median(imports) - median(empty):.3f} s", "at most 0.25")
    with TemporaryDirectory() as folder:
        path = Path(folder) / "small.sql"
        path.write_text(SMALL)
        explain = [command[0], "explain", str(path)]
        taken = [timed(lambda: subprocess.run(explain, capture_output=True, check=True)) for _ in range(7)]
    say("weltigen explain, three tables in SQL", f"{median(taken):.2f} s", "under 0.6")

    def small() -> None:
        made = weltigen.read_model(SMALL).dataset(rows={"pier": 10, "mooring": 20, "keeper": 20})
        for name in made.counts:
            made.table(name)

    small()
    say("a 50-row world in Python: read, planned, made", f"{median(timed(small) for _ in range(9)) * 1e3:.0f} ms", "under 50")


def reading() -> None:
    """The whole command over one SQL file, start included, beside the plain loop in the same moment."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "wide.sql"
        path.write_text(wide_model.sql(tables=1000, columns=15))
        command = [str(Path(sys.executable).with_name("weltigen")), "explain", str(path)]
        taken, beside = [], []
        for _ in range(5):
            rate = loop_rate()
            taken.append(timed(lambda: subprocess.run(command, capture_output=True, check=True)))
            beside.append(taken[-1] * (rate + loop_rate()) / 2 / 180_000)
        world = infer(read_ddl(path.read_text(), str(path), None))
    say("weltigen explain, 1,000 tables of 15 columns in SQL", f"{median(taken):.2f} s", "")
    say("that, to the plain loop's time for 180,000 rows", f"{median(beside):.2f} times", "at most 1")
    slim = infer(read_ddl(wide_model.sql(tables=1000, columns=7), "slim.sql", None))
    for name, model in (("15", world), ("7", slim)):
        relations = sum(len(entity.relations) for entity in model.entities)
        planning = median(timed(lambda model=model: make_plan(model)) for _ in range(3))
        say(f"planning 1,000 entities of {name} fields, {relations:,} relationships", f"{planning:.2f} s", "under 2")


def main() -> None:
    print(f"Weltigen {weltigen.__version__} · Python {platform.python_version()} · {os.cpu_count()} processors")
    print("passenger and booking of the ferry world, medians of five interleaved runs:")
    speed()
    beside_csv()
    with_children_beside_csv()
    beside_unruled()
    looking_ahead()
    print("constant memory:")
    memory()
    memory_of_rules()
    print("latency:")
    latency()
    reading()
    print("databases:")
    databases(say, timed)


if __name__ == "__main__":
    main()
