"""weltigen fill"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

import click

from ..api.dataset import Dataset
from ..api.opening import open_world
from ..api.records import look
from ..api.runs import resume_run
from ..model.problems import UsageError
from ..stored.formats import BYTES, format_names
from ..stored.receipts import Receipt
from ..targets.run import Progress
from . import options
from .overview import heading
from .row_words import row_of
from .show import columns, dim, good, masked, named, out, out_json, strong, table

_PREVIEWED = 3


@click.command()
@click.argument("world")
@click.option("--into", metavar="TARGET", help="A folder, or a file that ends in .sqlite. Without it: a few rows are shown.")
@click.option(
    "--on-rows",
    type=click.Choice(["append"]),
    help="Add to what `fill` wrote: the rows of --rows, or --times as many.",
)
@click.option(
    "--format",
    "format_",
    metavar="FORMAT",
    help=f"Of files in a folder: {', '.join(format_names())}; when not given what is there, or csv.",
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
    world: str, into: str | None, on_rows: str | None, format_: str | None, only: tuple[str, ...], bytes_: str | None,
    workers: int | None, seed: int | None, now: str | None, rows: dict[str, int], set_: dict[str, str], times: float,
    dialect: str | None, json_: bool, reveal: bool,
) -> None:  # fmt: skip
    """Make the rows of WORLD (a world file, or a model in SQL) and put them into a target, all or nothing."""
    opened = open_world(world, dialect=dialect)
    if on_rows is not None:
        if into is None:
            raise UsageError(
                "--on-rows append adds to a target", hint=f"weltigen fill {named(world)} --into TARGET --on-rows append"
            )
        earlier = resume_run(opened, into, seed=seed, now=now)
        dataset = earlier.next_stage(rows=rows, times=times if options.given("times") else 0.0, set=set_)
    else:
        dataset = opened.dataset(seed=seed, now=now, rows=rows, times=times, set=set_)
    if only and (into is None or on_rows is not None):
        raise UsageError("--only writes some rows into a new target", hint="name it with --into, and leave out --on-rows")
    if into is None:
        _preview(world, dataset, json_, reveal)
        return
    began = time.perf_counter()
    with progress_bar(dataset) as progress:
        receipt = dataset.write(
            into, format=format_, on_rows=on_rows, workers=workers or options.cpus(), progress=progress, bytes=bytes_,
            only=_only(dataset, world, only) if only else None,
        )  # fmt: skip
    if json_:
        out_json({**receipt.summary(), "into": into})
        return
    out(heading(dataset.plan))
    print_receipt(receipt, into, time.perf_counter() - began)
    for note in receipt.notes[:_NOTES]:
        out(f"not in {into}, though its rows keep it: {note}")
    if len(receipt.notes) > _NOTES:
        out(f"and {len(receipt.notes) - _NOTES:,} more")
    out(f"Next: weltigen audit {named(world)} {into}")
    out(f"      weltigen peek {into}")


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


_NOTES = 8  # rules that a file cannot express are listed so far


def _preview(world: str, dataset: Dataset, json_: bool, reveal: bool) -> None:
    entities = dataset.plan.entities
    pages = {
        name: masked(dataset.page(name, 0, _PREVIEWED).to_pylist(), entities[name].entity, reveal) for name in dataset.counts
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


def print_receipt(receipt: Receipt, into: str, seconds: float) -> None:
    """What was written: all rows, or those of a later stage with what there is in all."""
    rows, part = receipt.rows, receipt.parts[-1]
    later = len(receipt.parts) > 1
    lines = [
        [name, f"{n:,}", *([f"{rows[name]:,}"] * later), part.digests[name][:12]]
        for name, n in part.rows.items()
        if n or not part.only
    ]
    made = sum(part.rows.values())
    lines.append(["", f"{made:,}", *([f"{receipt.total:,}"] * later), f"{receipt.digest}  the whole"])
    printed = columns(
        [["entity", "added" if later else "rows", *(["in all"] * later), "digest"], *lines], right=(1, 2) if later else (1,)
    )
    out("\n".join([dim(printed[0]), *printed[1:]]))
    out(good(f"{into}: {made:,} rows {'added ' * later}in {seconds:.1f} s"))


@contextmanager
def progress_bar(dataset: Dataset) -> Iterator[Progress | None]:
    """A bar on stderr where that is a terminal, none elsewhere."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar

    shown = (TextColumn("{task.description:<20}"), BarColumn(40), MofNCompleteColumn(), TimeRemainingColumn())
    with Bar(*shown, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("", total=sum(dataset.counts.values()))
        yield lambda entity, rows: bar.update(task, advance=rows, description=entity)
