"""weltigen peek"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import click

from ..api.opening import open_world
from ..api.records import Choice, Record, Records, look
from ..model.problems import UsageError
from ..stored.locations import Database, DuckdbFile, Folder, SqliteFile, location_of
from . import options
from .row_words import row_of
from .show import cell, columns, dim, masked, out, out_csv, out_json, strong, table


@click.command()
@click.argument("where", metavar="WORLD|TARGET")
@click.argument("what", required=False, metavar="[ENTITY[/ROW]|ENTITY.FIELD]")
@click.option("--from", "start", type=click.IntRange(0), default=0, help="The ordinal of the first row shown.")
@click.option("--cohort", multiple=True, metavar="NAME", help="Only rows of a cohort; of several, rows that are in all of them.")
@click.option("--where", "condition", metavar="SQL", help="Only rows that keep a condition.")
@click.option("--columns", metavar="FIELD,…", help="Only these fields.")
@click.option("--order", metavar="FIELD", help="In the order of a field.")
@click.option("--limit", type=click.IntRange(1), default=10, help="How many rows are shown.")
@click.option("--csv", "csv_", is_flag=True, help="Print the rows as CSV (RFC 4180).")
@options.making
@options.dialect
@options.as_json
@options.reveal
def peek(
    where: str, what: str | None, start: int, limit: int, cohort: tuple[str, ...], condition: str | None, columns: str | None,
    order: str | None, seed: int | None, now: str | None,
    rows: dict[str, int],     set_: dict[str, str], times: float, dialect: str | None, json_: bool, csv_: bool, reveal: bool,
) -> None:  # fmt: skip
    """Look at the rows of a world, which are computed at once, or at what is stored in a folder, a database file or a database.

    Alone: counts. With an ENTITY: some of its rows; with ENTITY.FIELD: one column. With ENTITY/ROW: one row, what it refers to
    and what refers to it; ROW is its ordinal, counted from 0, or its key: visit/id=6.
    """
    if _is_stored(where):
        if seed is not None or now or rows or set_ or cohort or times != 1.0:
            raise UsageError("--seed, --now, --rows, --set, --times and --cohort are for worlds; what is stored stays as it is")
        records = look(where, dialect=dialect)
    else:
        opened = open_world(where, dialect=dialect)
        records = look(opened.dataset(seed=seed, now=now, rows=rows, times=times, set=set_))
    world = records.world
    if what is None:
        _counts(where, records, json_)
    elif "/" in what and not world.has(what):
        entity, _, row = what.rpartition("/")
        world.entity(entity)
        record = records.record(entity, row_of(records, where, entity, row))
        record = replace(record, values=masked([record.values], records.world.entity(entity), reveal)[0])
        if json_:
            out_json(
                {
                    "values": record.values,
                    "labels": record.labels,
                    "children": [
                        {
                            "entity": r.entity,
                            "relation": r.relation,
                            "rows": r.count,
                            **({"ends": list(r.ends)} if r.other else {}),
                        }
                        for r in record.children
                    ],
                }
            )
        else:
            print_record(record, records)
    else:
        names = tuple(name.strip() for name in columns.split(",")) if columns else ()
        if not world.has(what) and "." in what and world.has(what.rpartition(".")[0]):
            what, _, name = what.rpartition(".")
            names = (name,)
        world.entity(what)
        choice = Choice(cohort=cohort, where=condition, order=order, columns=names)
        if csv_:
            out_csv(masked(records.page(what, start, limit, choice), records.world.entity(what), reveal))
        else:
            _page(where, records, what, start, limit, choice, json_, reveal)


def _is_stored(where: str) -> bool:
    match location_of(where):
        case Folder(path=path):
            return path.is_dir()
        case SqliteFile() | DuckdbFile() | Database():
            return True
    return False


def _counts(where: str, records: Records, json_: bool) -> None:
    counts = records.counts()
    if json_:
        out_json(counts)
        return
    out(strong(where) if _is_stored(where) else f"{strong(where)} · {records.where}")
    lines = [
        ["entity", "rows"],
        *([name, f"{rows:,}"] for name, rows in counts.items()),
        ["", f"{sum(counts.values()):,}"],
    ]
    printed = columns(lines, right=(1,))
    out("\n".join([dim(printed[0]), *printed[1:]]))
    biggest = max(counts, key=lambda name: counts[name], default="ENTITY")
    out(f"Next: weltigen peek {where} {biggest}")


def _page(
    where: str, records: Records, entity: str, start: int, limit: int, choice: Choice, json_: bool, reveal: bool
) -> None:  # fmt: skip
    rows = masked(records.page(entity, start, limit, choice), records.world.entity(entity), reveal)
    if json_:
        out_json(rows)
        return
    total = records.size(entity, choice)
    entity_and = f"{entity}, {' and '.join(choice.cohort)}" if choice.cohort else entity
    entity_and += f" where {choice.where}" if choice.where is not None else ""
    span = f"rows {start:,} to {start + len(rows) - 1:,}" if rows else f"no rows from {start:,} on"
    if choice.where is not None and not total:
        out(f"{strong(entity_and)} · no row keeps it · {records.where}")
        return
    of = f"the {total:,} that keep it" if choice.where is not None else f"{total:,}"
    out(f"{strong(entity_and)} · {span} of {of}, counted from 0 · {records.where}")
    if rows:
        labels = [
            {} if records.world.entity(entity).relations == () else one for one in records.labels(entity, start, limit, choice)
        ]
        out("\n".join(table(rows, list(rows[0]), labels)))
        if choice.where is None and choice.order is None:
            out(f"Next: weltigen peek {where} {entity}/{start}")


def print_record(record: Record, records: Records) -> None:
    out(f"{strong(record.entity)} · row {record.ordinal:,} of {record.total:,}, counted from 0 · {records.where}")
    shown = {name: cell(value) or dim("null") for name, value in record.values.items()}
    width = max((len(shown[name]) for name in record.labels if name in shown), default=0)  # a long text moves no arrow
    lines = []
    for name, text in shown.items():
        label = record.labels.get(name)
        lines.append([name, f"{text:<{width}}  → {label}" if label is not None else text])
    out("\n".join(columns(lines)))
    if record.children:
        parts = []
        times = Counter(child.entity for child in record.children)
        by = {id(child): f" (as {child.relation})" if times[child.entity] > 1 else "" for child in record.children}
        for child in record.children:
            parts.append(f"{child.entity} {'many' if child.count is None else f'{child.count:,}'}{by[id(child)]}")
        out(f"referred to by {' · '.join(parts)}")
        for child in record.children:
            if child.ends:
                more = f" and {(child.count or 0) - len(child.ends):,} more" if (child.count or 0) > len(child.ends) else ""
                out(f"by {child.entity}{by[id(child)]} to {child.other}: {' · '.join(child.ends)}{more}")
