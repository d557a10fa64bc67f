"""weltigen picture"""

from __future__ import annotations

import click

from ..api.opening import open_world
from ..model.problems import ImpossibleError
from . import options
from .show import good, named, out


@click.command()
@click.argument("world")
@click.option("-o", "--into", "into", required=True, metavar="FILE", help="A .png or .svg file.")
@options.dialect
def picture(world: str, into: str, dialect: str | None) -> None:
    """Draw the relationship map of WORLD: entities in fill order, their keys, and how they refer to each other."""
    from ..figures import draw_map

    plan = open_world(world, dialect=dialect).plan()
    drawn = draw_map(plan, into)
    references = len(drawn.lines) + len(drawn.loops)
    cycles = f"{len(plan.cycles)} cycle{'s' * (len(plan.cycles) != 1)}"
    out(good(f"{into}: {len(drawn.boxes)} entities, {references} references, {cycles}"))
    if plan.problems:
        raise ImpossibleError(plan.problems)
    out(f"Next: weltigen explain {named(world)}")
