"""weltigen compare"""

from __future__ import annotations

import click

from ..api.measuring import compare as compare_data
from ..api.opening import open_world
from ..measuring import Compared
from . import options
from .show import columns, dim, out, out_json, strong

_FAR = 0.1  # from here on a line is worth a look


@click.command()
@click.argument("world")
@click.argument("data")
@click.option("--all", "every", is_flag=True, help="Every line, and not only those that lie apart.")
@options.dialect
@options.as_json
def compare(world: str, data: str, every: bool, dialect: str | None, json_: bool) -> None:
    """Measure DATA (a folder, a database file, or a database's URL) beside what WORLD makes: shares, quantiles, lengths.

    `apart` is 0 where both are alike and 1 where they have nothing in common.
    """
    lines = compare_data(open_world(world, dialect=dialect), data)
    if json_:
        out_json([{"where": one.where, "what": one.what, "measured": one.measured, "made": one.made, "apart": round(one.apart, 3)}
                  for one in lines])  # fmt: skip
        return
    print_compared(lines, every)


def print_compared(lines: list[Compared], every: bool) -> None:
    far = sorted((one for one in lines if every or one.apart >= _FAR), key=lambda one: -one.apart)
    if far:
        rows = [[one.where, one.what, one.measured, one.made, f"{one.apart:.2f}"] for one in far]
        for number, text in enumerate(columns([["", "", "measured", "made", "apart"], *rows], right=(4,))):
            out(dim(text) if number == 0 else text)
    near = len(lines) - sum(one.apart >= _FAR for one in lines)
    out(strong(f"{len(lines)} compared: {near} less than {_FAR:g} apart, {len(lines) - near} further"))
    if not every and near:
        out("Next: --all shows the others as well")
