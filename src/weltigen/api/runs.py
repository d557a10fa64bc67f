"""Runs: what `fill` wrote, opened by its receipt, and gone on with."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..model import Place, Problem
from ..model.literals import read_moment
from ..model.phrases import listed
from ..model.problems import UnreadableError, UsageError
from ..plan import Plan
from ..planning import declared_apart
from ..readers.overrides import with_overrides
from ..readers.sources import read_text
from ..readers.world_json import world_from_receipt
from ..stored.locations import Database, DuckdbFile, SqliteFile, is_url, location_of, named_by_environment, shown_location
from ..stored.receipts import Receipt, receipt_at, receipt_path
from ..targets.databases import is_there, ledger_of, place_at
from .dataset import Dataset
from .opening import open_world
from .world import World


def plan_of_run(source: str | Path, dialect: str | None = None, **asked: Any) -> Plan:
    """The plan behind a folder or file that `fill` wrote, as its receipt tells; of any other source, what is asked for now."""
    if not receipt_path(source).is_file():
        return open_world(source, dialect=dialect).plan(**asked)
    return open_run(source).plan


def open_run(target: str | Path) -> Dataset:
    """The dataset that `fill` wrote to a folder or a database, in as many stages as its receipt, or its ledger, tells of.

    `open_run("out/").next_stage(rows={"passenger": 100}).write("out/", on_rows="append")` adds to it.
    Raises UsageError where there is no receipt, and UnreadableError where it tells of rows that this version does not make.
    """
    location = location_of(target)
    if not isinstance(location, Database):
        if not Path(target).exists():
            raise UsageError(f"there is no {target}", hint=f"fill it first: weltigen fill WORLD --into {target}")
        receipt = receipt_path(target)
        if receipt.is_file():
            return dataset_of(read_text(receipt), str(receipt))
    told = ledger_of(target)
    if told is None and isinstance(location, Database):
        raise UsageError(f"{shown_location(target)} has no ledger that tells how its rows were made",
                         hint="fill it with --ledger")  # fmt: skip
    if told is None:
        raise UsageError(f"{target} has no receipt, which tells how its rows were made",
                         hint=f"rows can be added to what fill wrote, with {receipt.name} beside it")  # fmt: skip
    return dataset_of(told.to_json(), shown_location(target))


def dataset_of(text: str, where: str, done: bool = True) -> Dataset:
    """The dataset that a receipt tells of; of a run that is not done it tells only how that was begun."""
    world = World(world_from_receipt(text, where))
    try:
        told = Receipt.read(text)
        first, *later = told.parts
        dataset = world.dataset(seed=told.seed, now=told.now, rows=first.asked, times=first.times, set=first.overrides)
        for part in later:
            dataset = dataset.next_stage(rows=part.asked, times=part.times, set=part.overrides)
    except (KeyError, TypeError, ValueError):
        raise _unlike(where, "does not tell how its rows were made") from None
    rows = {name: sum(part.rows.get(name, 0) for part in (first, *later)) for name in dataset.counts}
    counts = {name: total - dataset.plan.world.entity(name).there for name, total in dataset.counts.items()}
    if done and not first.only and rows != counts:
        raise _unlike(where, "tells of other rows than this version makes")
    return dataset


def beside_others(world: World, target: str) -> bool:
    """Whether rows are added beside those that are found in a database: where no receipt tells how all of them were made.

    None does where rows came or went since, where some were there before, and where the model is another one now.
    """
    location = location_of(target)
    if not isinstance(location, Database | SqliteFile | DuckdbFile) or not is_there(location):
        return False
    told = receipt_at(target) if not is_url(named_by_environment(target)) else None
    told = told or ledger_of(target)
    if told is None or any(entity.get("there") for entity in told.world.get("entities", ())):
        return True
    plan = dataset_of(told.to_json(), shown_location(target)).plan
    if not told.parts[0].only and declared_apart(plan.world, with_overrides(world.declared, plan.overrides)):
        return True
    place = place_at(location)
    with place.changing(10.0, "counting what is there"):
        return any(place.count(plan.entities[name].entity) != rows for name, rows in told.rows.items())


def same_place(source: str, target: str) -> bool:
    """Whether a source of a model is the very database that is to be filled."""
    one, other = (named_by_environment(str(name)) for name in (source, target))
    kinds = Database | SqliteFile | DuckdbFile
    if not isinstance(location_of(one), kinds) or not isinstance(location_of(other), kinds):
        return False
    return location_of(one) == location_of(other)


def _unlike(receipt: str, what: str) -> UnreadableError:
    hint = "it was changed, or is of another version: fill again, into another target"
    return UnreadableError(Problem(fact=f"this receipt {what}", place=Place(file=receipt), hint=hint))


def resume_run(world: World, target: str | Path, *, seed: int | None = None, now: str | None = None) -> Dataset:
    """The dataset at a target, to which a later stage of `world` is to be added.

    Raises UsageError where the world, the seed or the time is not the one by which the target was filled.
    """
    dataset = open_run(target)
    plan = dataset.plan
    receipt = receipt_at(target) if not isinstance(location_of(target), Database) else None
    if receipt is not None and receipt.parts[0].only:
        raise UsageError(
            f"{target} holds only some rows ({listed(receipt.parts[0].only)})", hint="rows can be added to what fill wrote whole"
        )
    if changed := declared_apart(plan.world, with_overrides(world.declared, plan.overrides)):
        raise UsageError(
            f"the world has changed since {target} was filled: {listed(changed)}",
            hint="rows can be added to what the same world made",
        )
    if seed is not None and seed != plan.seed:
        raise UsageError(f"{target} was filled with seed {plan.seed}; rows are added with the same", hint="leave out --seed")
    if now is not None and read_moment(now) != plan.now:
        raise UsageError(f"{target} was filled when now was {plan.now}; rows are added at the same", hint="leave out --now")
    return dataset
