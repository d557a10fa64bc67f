"""weltigen demo"""

from __future__ import annotations

import time
from importlib.resources import files
from pathlib import Path

import click

from ..api.dataset import Dataset
from ..api.opening import audit, open_world
from ..api.records import look
from ..model.problems import RefusedError
from ..stored.locations import shown_location
from . import options
from .audit import EXIT_FINDINGS
from .fill import progress_bar
from .show import cell, columns, good, out, strong, table


@click.command()
@click.argument("folder", required=False, default="weltigen-demo")
@click.option("--into", metavar="URL", help="Fill an empty database there, instead of an SQLite file.")
@click.option("--times", type=float, default=1.0, metavar="X", help="So many times the rows.")
def demo(folder: str, into: str | None, times: float) -> None:
    """A ferry company among made-up islands: read its model, fill a database, look at it, audit it. Offline.

    Everything is put into FOLDER (weltigen-demo when not given), which must not be there yet; the rows into another database with
    --into.
    """
    path = Path(folder)
    if path.exists():
        raise RefusedError(f"{path} is there already; nothing was changed", hint=f"name another folder: weltigen demo {path}-2")
    path.mkdir(parents=True)
    for name in ("ferry.sql", "ferry.yaml"):
        (path / name).write_text((files("weltigen.demo") / name).read_text("utf-8"), "utf-8")
    world_file, database = path / "ferry.yaml", into or str(path / "ferry.sqlite")
    shown = shown_location(database)
    out(f"A ferry company among made-up islands, in {path if path.is_absolute() else f'./{path}'}")
    world = open_world(world_file)
    dataset = world.dataset(times=times)
    references = sum(len(entity.relations) for entity in world.entities)
    cycles = len(dataset.plan.cycles)
    _step(
        1,
        "read",
        f"ferry.sql: {len(world.entities)} entities, {references} references, {cycles} cycle{'' if cycles == 1 else 's'}",
    )
    began = time.perf_counter()
    with progress_bar(dataset) as progress:
        receipt = dataset.write(database, workers=options.cpus(), progress=progress)
    _step(2, "fill", f"{shown}: {receipt.total:,} rows in {time.perf_counter() - began:.1f} s")
    _look(dataset, database)
    report = audit(world, database)
    _step(4, "audit", good(f"{report.rules} rules, no findings") if not report else f"{len(report)} findings")
    again = {seed: world.dataset(seed=seed, times=times).digest("booking")[:8] for seed in (world.seed, world.seed + 1)}
    same = again[world.seed] == receipt.digests["booking"][:8]
    _step(5, "again", f"seed {world.seed}, {'the same' if same else 'ANOTHER'} digest of booking {again[world.seed]}…; "
                      f"seed {world.seed + 1}, another: {again[world.seed + 1]}…")  # fmt: skip
    out("Your turn:")
    out("\n".join(columns([
        [f"weltigen peek {shown} booking", "more of these rows"],
        [f"weltigen explain {world_file}", "how they came about"],
        ["weltigen fill YOUR.sql --into try.sqlite", "the same for a model of yours"],
    ])))  # fmt: skip
    if report or not same:
        raise click.exceptions.Exit(EXIT_FINDINGS)


def _look(dataset: Dataset, database: str) -> None:
    """One booking with both ends of its relationships, and its tickets as the database holds them."""
    stored = look(database)
    record = stored.record("booking", 41)
    row = dataset.row("booking", 41)
    sailing, passenger = row.parent("sailing"), row.parent("passenger")
    assert sailing is not None and passenger is not None
    route, vessel = sailing.parent("route"), sailing.parent("vessel")
    assert route is not None and vessel is not None
    reference = strong(str(record.values["reference"]))
    _step(
        3,
        "look",
        f"booking {reference}  {passenger.label()} · {route.label()}, {cell(sailing['departs_at'])}, on {vessel.label()}",
    )
    others = len(passenger.children("booking")) - 1
    more = f"{others or 'no'} other booking{'' if others == 1 else 's'}"
    _rest([f"{row['status']}; the passenger has {more}, the sailing {len(sailing.children('booking'))} in all"])
    tickets = row.child_ordinals("ticket")
    names = ["ticket_id", "booking_id", "sailing_id", "route_id", "fare_class", "seat", "price"]
    _rest(table(stored.page("ticket", tickets[0], len(tickets)), names))


def _step(number: int, name: str, text: str) -> None:
    out(f"{number} {strong(f'{name:<6}')} {text}")


def _rest(lines: list[str]) -> None:
    for line in lines:
        out(f"{'':<9}{line}")
