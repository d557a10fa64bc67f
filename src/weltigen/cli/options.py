"""Options that several commands share."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

import click

from ..readers.sql import DIALECTS


def _rows(context: click.Context, parameter: click.Parameter, values: tuple[str, ...]) -> dict[str, int]:
    out = {}
    for value in values:
        name, sign, number = value.partition("=")
        if not sign or not name:
            raise click.BadParameter(f"'{value}' names no entity: write --rows ENTITY={value if value.isdigit() else 'N'}")
        try:
            out[name] = int(number.replace("_", "").replace(",", ""))
        except ValueError:
            raise click.BadParameter(f"'{number}' is not a whole number, in --rows {value}") from None
        if out[name] < 0:
            raise click.BadParameter(f"{name}: the row count must not be negative, but {number} was requested")
    return out


def _set(context: click.Context, parameter: click.Parameter, values: tuple[str, ...]) -> dict[str, str]:
    out = {}
    for value in values:
        path, sign, text = value.partition("=")
        if not sign or "." not in path:
            raise click.BadParameter(f"'{value}' sets no field: write --set ENTITY.FIELD=VALUE")
        out[path] = text
    return out


def _several(*options: Callable[[Any], Any]) -> Callable[[Any], Any]:
    def decorate(function: Any) -> Any:
        for option in reversed(options):
            function = option(function)
        return function

    return decorate


dialect = click.option("--dialect", type=click.Choice(DIALECTS), help="The dialect of an SQL model; guessed when not given.")
reveal = click.option("--reveal", is_flag=True, help="Show what secret fields hold.")
as_json = click.option("--json", "json_", is_flag=True, help="Print JSON for machines.")
making = _several(
    click.option("--seed", type=int, help="Another seed than the world file's."),
    click.option("--now", help="The time that `now` stands for: a date or a time."),
    click.option(
        "--rows",
        multiple=True,
        callback=_rows,
        metavar="ENTITY=N",
        help="Generated rows of an entity; may be repeated.",
    ),
    click.option(
        "--set",
        "set_",
        multiple=True,
        callback=_set,
        metavar="ENTITY.FIELD=VALUE",
        help="One value in all generated rows, for this run; may be repeated.",
    ),
    click.option("--times", type=float, default=1.0, metavar="X", help="Multiply the rows of roots, and what follows from them."),
)


def given(name: str) -> bool:
    """Whether an option of the running command was written on the command line."""
    context = click.get_current_context()
    return context.get_parameter_source(name) is not click.core.ParameterSource.DEFAULT


def cpus() -> int:
    """The processors that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
