"""weltigen fill"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import click

from ..api.dataset import Dataset
from ..api.opening import open_world
from ..api.records import look
from ..api.runs import beside_others, resume_run, same_place
from ..api.world import World
from ..model.problems import RefusedError, UsageError
from ..stored.floats import widened_rows
from ..stored.formats import BYTES, format_names
from ..stored.locations import shown_location
from ..stored.receipts import Receipt, without_others
from ..targets import COMPLETE, ON_ROWS, WITHDRAW
from ..targets.run import Progress
from ..targets.script import SCRIPTS, is_script
from . import options
from .overview import heading, passwords_in_words
from .row_words import row_of
from .rows_there import complete_fields, show_intent, withdraw_rows
from .show import columns, dim, good, masked, named, out, out_json, strong, table, warn, wrapped

_PREVIEWED = 3


@click.command()
@click.argument("world")
@click.option(
    "--into",
    metavar="TARGET",
    help="A folder, a .sqlite, .duckdb or .sql file, a database's URL, env:NAME, or - for a script on stdout. Without it: a few "
    "rows are shown.",
)
@click.option(
    "--on-rows",
    type=click.Choice((*ON_ROWS, COMPLETE, WITHDRAW)),
    help="What becomes of rows that are there: keep them and fill what is empty; append others (--rows, or --times as many); "
    "replace them, which needs --confirm; complete fields (--only ENTITY.FIELD) where they are null; withdraw those of the last "
    "run in the ledger, or of --receipt.",
)
@click.option("--create", is_flag=True, help="Make missing tables in a database that holds others.")
@click.option("--confirm", metavar="NAME", help="The name of the database whose rows are to be replaced.")
@click.option("--remote", is_flag=True, help="Replace rows also where the server is not this machine.")
@click.option("--wait", type=click.FloatRange(0), default=10.0, metavar="SECONDS", help="How long to wait for a lock.")
@click.option("--ledger", is_flag=True, help="Keep a small table in the database that tells of its runs: rows can be added to "
              "them, and taken away again.")  # fmt: skip
@click.option(
    "--commit-every",
    type=click.IntRange(1),
    metavar="ROWS",
    help="Several transactions of about so many rows, with the ledger: cut off, the same command goes on.",
)
@click.option("--connections", type=click.IntRange(1, 64), default=1, metavar="N", help="With --commit-every: so many load side "
              "by side.")  # fmt: skip
@click.option("--indexes-last", is_flag=True, help="Build indexes and constraints of tables that are there anew, when the rows "
              "are in (PostgreSQL, SQLite).")  # fmt: skip
@click.option("--script", metavar="FILE", help="With --on-rows complete: write UPDATE statements there, and change nothing.")
@click.option("--receipt", metavar="FILE", help="Also write the receipt there; with --on-rows withdraw, the receipt of the run.")
@click.option("--run-triggers", is_flag=True, help="Let triggers run on the rows; else they rest, where the database allows it.")
@click.option("--dry-run", is_flag=True, help="Say what would be made, written and deleted, and do nothing.")
@click.option("--no-tables", is_flag=True, help="An SQL script without definitions: rows alone.")
@click.option(
    "--format",
    "format_",
    metavar="FORMAT",
    help=f"Of files in a folder: {', '.join(format_names())}; when not given what is there, or csv. Of a script its dialect: "
    f"{', '.join(SCRIPTS)}.",
)
@click.option(
    "--only",
    multiple=True,
    metavar="ENTITY[/ROW]",
    help="Only these rows, and what they refer to: `booking`, `booking/41`, `booking/reference=VGW5-6291`.",
)
@click.option(
    "--bytes",
    "bytes_",
    type=click.Choice(BYTES),
    help="How csv and jsonl spell bytes: base64 when not given; hex is \\x0a1b, as PostgreSQL reads it.",
)
@click.option(
    "--workers",
    type=click.IntRange(1, 256),
    help="Threads that make rows; as many as there are processors when not given.",
)
@options.making
@options.dialect
@options.as_json
@options.reveal
def fill(
    world: str, into: str | None, on_rows: str | None, create: bool, confirm: str | None, remote: bool, wait: float,
    ledger: bool, script: str | None, receipt: str | None, commit_every: int | None, connections: int, indexes_last: bool,
    run_triggers: bool, dry_run: bool, no_tables: bool, format_: str | None, only: tuple[str, ...], bytes_: str | None,
    workers: int | None,
    seed: int | None, now: str | None, rows: dict[str, int], set_: dict[str, str], times: float, dialect: str | None,
    json_: bool, reveal: bool,
) -> None:  # fmt: skip
    """Make the rows of WORLD (a world file, or a model in SQL) and put them into a target, all or nothing.

    A database that holds rows is left alone unless --on-rows says what becomes of them; one that is both WORLD and target keeps
    its rows, and what is empty is filled.
    """
    opened = open_world(world, dialect=dialect)
    for option, value in (("--on-rows", on_rows), ("--dry-run", dry_run), ("--create", create), ("--confirm", confirm)):
        if value and into is None:
            raise UsageError(f"{option} is about a target", hint=f"weltigen fill {named(world)} --into TARGET {option} …")
    if script is not None and on_rows != COMPLETE:
        raise UsageError("--script is for --on-rows complete", hint="a script of all rows: --into NAME.sql")
    if (confirm is not None or remote) and on_rows != "replace":
        raise UsageError("--confirm and --remote are for --on-rows replace", hint="leave them out")
    if on_rows in (WITHDRAW, COMPLETE) and into is not None:
        if rows or set_ or options.given("times"):
            raise UsageError(f"--on-rows {on_rows} makes no rows", hint="leave out --rows, --set and --times")
        if on_rows == WITHDRAW:
            withdraw_rows(into, receipt, wait, dry_run, json_)
        else:
            complete_fields(opened, into, only, script, seed, now, wait, dry_run, json_)
        return
    if receipt is not None and Path(receipt).exists():
        raise RefusedError(f"{receipt} is there already; nothing was changed", hint="choose another name, or remove it first")
    if into is not None and on_rows is None and same_place(world, into):
        on_rows = "keep"
    making = Making(seed=seed, now=now, rows=rows, set=set_, times=times if options.given("times") else None)
    dataset = _dataset(opened, into, on_rows, making)
    if only and (into is None or on_rows is not None):
        raise UsageError("--only writes some rows into a new target", hint="name it with --into, and leave out --on-rows")
    if into is None:
        _preview(world, dataset, json_, reveal)
        return
    if dry_run:
        show_intent(dataset.intend(into, format=format_, on_rows=on_rows, bytes=bytes_, create=create, confirm=confirm,
                                   remote=remote, wait=wait, ddl=not no_tables), into, json_)  # fmt: skip
        return
    began = time.perf_counter()
    with progress_bar(dataset) as progress:
        told = dataset.write(
            into, format=format_, on_rows=on_rows, workers=workers or options.cpus(), progress=progress, bytes=bytes_,
            only=_only(dataset, world, only) if only else None, create=create, confirm=confirm, remote=remote, wait=wait,
            ddl=not no_tables, run_triggers=run_triggers, ledger=ledger, commit_every=commit_every, connections=connections,
            indexes_last=indexes_last,
        )  # fmt: skip
    if receipt is not None:
        Path(receipt).write_text(without_others(told).to_json(), "utf-8")
    if into != "-":
        _say(world, dataset, told, into, time.perf_counter() - began, json_)


@dataclass(frozen=True, slots=True, kw_only=True)
class Making:
    """What rows are asked for; `times` None: it was not given."""

    seed: int | None
    now: str | None
    rows: dict[str, int]
    set: dict[str, str]
    times: float | None


def _dataset(opened: World, into: str | None, on_rows: str | None, making: Making) -> Dataset:
    """The rows to write: all of a world's, or those of a later stage beside rows that are there."""

    def more(first: Dataset) -> Dataset:
        return first.next_stage(rows=making.rows, times=making.times or 0.0, set=making.set)

    if on_rows == "append" and into is not None:
        if not beside_others(opened, into):
            return more(resume_run(opened, into, seed=making.seed, now=making.now))
        beside = opened.beside(into)
        none = {entity.name: 0 for entity in beside.entities if not entity.there}  # they get those of the next stage
        return more(beside.dataset(seed=making.seed, now=making.now, rows=none))
    opened = opened.beside(into) if on_rows == "keep" else opened
    times = making.times if making.times is not None else 1.0
    return opened.dataset(seed=making.seed, now=making.now, rows=making.rows, times=times, set=making.set)


def _say(world: str, dataset: Dataset, told: Receipt, into: str, seconds: float, json_: bool) -> None:
    """What was written, what is to be said of it, and what comes next."""
    shown = shown_location(into)
    if json_:
        out_json({**told.summary(), "into": shown})
        return
    out(heading(dataset.plan))
    kept = {entity.name: entity.there for entity in dataset.plan.world.entities if entity.there}
    print_receipt(told, shown, seconds, kept)
    for text in passwords_in_words(told.passwords):
        out(text)
    for note in told.notes[:_NOTES]:
        out(f"{warn(' !')} {note}")
    if len(told.notes) > _NOTES:
        out(f"   and {len(told.notes) - _NOTES:,} more")
    if not is_script(into):
        out(f"Next: weltigen audit {named(world)} {named(shown)}")
        out(f"      weltigen peek {named(shown)}")


def _only(dataset: Dataset, world: str, words: tuple[str, ...]) -> dict[str, list[int] | None]:
    """The rows that are meant, by entity; None for all of them."""
    records = look(dataset)
    out: dict[str, list[int] | None] = {}
    for word in words:
        entity, _, row = (word, "", "") if records.world.has(word) or "/" not in word else word.rpartition("/")
        records.world.entity(entity)
        held = out.setdefault(entity, [] if row else None)
        if not row or held is None:
            out[entity] = None
        else:
            held.append(row_of(records, world, entity, row))
    return out


_KEPT = 6  # entities that were left as they were are listed so far
_NOTES = 8  # rules that a file cannot express are listed so far


def _preview(world: str, dataset: Dataset, json_: bool, reveal: bool) -> None:
    entities = dataset.plan.entities
    pages = {
        name: masked(widened_rows(dataset.page(name, 0, _PREVIEWED)), entities[name].entity, reveal) for name in dataset.counts
    }
    if json_:
        out_json(pages)
        return
    out(f"{heading(dataset.plan)} · a preview; nothing is stored")
    for name, total in dataset.counts.items():
        out(f"{strong(name)} {total:,}")
        if pages[name]:
            out("\n".join(table(pages[name], dataset.plan.entities[name].columns)))
    out(f"Next: weltigen fill {named(world)} --into FOLDER|FILE.sqlite")


def print_receipt(receipt: Receipt, into: str, seconds: float, kept: Mapping[str, int] | None = None) -> None:
    """What was written: all rows, or those of a later stage with what there is in all; and what was there and stayed."""
    part, there = receipt.parts[-1], kept or {}
    rows = {name: n + there.get(name, 0) for name, n in receipt.rows.items()}
    later = len(receipt.parts) > 1
    lines = [
        [name, f"{n:,}", *([f"{rows[name]:,}"] * later), part.digests[name][:12]]
        for name, n in part.rows.items()
        if n or not (part.only or kept)
    ]
    made = sum(part.rows.values())
    lines.append(["", f"{made:,}", *([f"{sum(rows.values()):,}"] * later), f"{receipt.digest}  the whole"])
    printed = columns(
        [["entity", "added" if later else "rows", *(["in all"] * later), "digest"], *lines], right=(1, 2) if later else (1,)
    )
    out("\n".join([dim(printed[0]), *printed[1:]]))
    if kept:
        shown = [f"{name} {rows:,}" for name, rows in kept.items()][:_KEPT]
        more = [f"and {len(kept) - _KEPT} more"] if len(kept) > _KEPT else []
        out(wrapped(f"left as they were: {' · '.join([*shown, *more])}"))
    out(good(f"{into}: {made:,} rows {'added ' * (later or bool(kept))}in {seconds:.1f} s"))


@contextmanager
def progress_bar(dataset: Dataset) -> Iterator[Progress | None]:
    """A bar on stderr where that is a terminal, none elsewhere."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Task, TaskID, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar
    from rich.text import Text

    class Rate(TextColumn):
        def render(self, task: Task) -> Text:
            return Text(f"{task.speed:,.0f} rows/s" if task.speed else "")

    shown = (TextColumn("{task.description:<20}"), BarColumn(30), MofNCompleteColumn(), Rate(""), TimeRemainingColumn())
    with Bar(*shown, console=Console(stderr=True), transient=True) as bar:
        whole = bar.add_task("all", total=sum(dataset.counts.values()))
        tasks: dict[str, TaskID] = {}

        def written(entity: str, rows: int) -> None:
            """Entities in the making stand above one another; those that are done go."""
            if entity not in tasks:
                tasks[entity] = bar.add_task(entity, total=dataset.counts[entity])
            bar.update(tasks[entity], advance=rows)
            bar.update(whole, advance=rows)
            if bar.tasks[bar.task_ids.index(tasks[entity])].finished:
                bar.update(tasks[entity], visible=False)

        yield written
