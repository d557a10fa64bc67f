"""weltigen draft"""

from __future__ import annotations

from pathlib import Path

import click

from ..api.drafts import draft as draft_source
from ..drafting import Draft
from ..model import World
from ..model.phrases import listed, plural
from . import options
from .show import bad, dim, good, hanging, named, out, warn


@click.command()
@click.argument("source")
@click.option(
    "-o", "--into", "into", metavar="WORLD", help="The world file; one that is there is brought up to date, its edits kept."
)
@click.option(
    "--measure", metavar="DATA", help="Take shares, weights, quantiles and rhythms from rows that exist: a folder, a file, a URL."
)
@options.dialect
def draft(source: str, into: str | None, measure: str | None, dialect: str | None) -> None:
    """Write a world file for the model that SOURCE declares, with every guess spelled out and its reason.

    SOURCE is an SQL file, a database's URL or env:NAME, an SQLite file, or package.module:NAME of SQLAlchemy's MetaData.
    """
    drafted = draft_source(source, into, dialect=dialect, measure=measure)
    if into is None:
        out(drafted.text.rstrip("\n"))
        return
    world = drafted.plan.world
    guesses = [f.guess for e in world.entities for f in e.fields if f.guess]
    unsure = sum(not guess.sure for guess in guesses)
    out(good(f"{into}: {len(world.entities)} entities, {len(guesses) - unsure} sure guesses, {unsure} unsure (marked ?)"))
    for relation in drafted.proposals:
        out(f"  {relation.label} probably refers to {relation.target}: {relation.guess.reason if relation.guess else ''}")
    if drafted.changes:
        out(f"changed since it was last drafted: {len(drafted.changes)}")
        for change in drafted.changes:
            out(f"  {change.where}: {change.what}")
            if change.means:
                out(f"    {warn(change.means)}")
    elif drafted.compared:
        out("nothing has changed in the model since it was last drafted")
    elif drafted.compared is False:
        out(f"there is nothing to compare with: {into}.drafted, which tells how the model was before, is not there or broken")
    notes = [str(note) for note in world.notices if not note.stepped_over] + list(drafted.plan.notes)
    for note in notes:
        out(f"{warn('not understood')}  {note}")
    over = [note for note in world.notices if note.stepped_over]
    if over:
        shown = ", ".join(note.what[:40] for note in over[:3])
        out(dim(f"stepped over    {len(over)} that shape no row: {shown}{' …' if len(over) > 3 else ''}"))
    if measure is not None:
        _print_measured(drafted, world)
    for problem in drafted.plan.problems:
        out(f"{bad('impossible')}  {problem}")
    out(f"Next: weltigen explain {into}")
    out(f"      weltigen fill {into} --into FOLDER|{Path(into).with_suffix('.sqlite').name}")
    if measure is not None:
        out(f"      weltigen compare {into} {named(measure)}")


def _print_measured(drafted: Draft, world: World) -> None:
    """How much was measured, and of what nothing is told, by the reasons."""
    measured = [f for e in world.entities for f in e.fields if f.guess is not None and f.guess.reason.startswith("measured")]
    out(good(f"measured  the values of {plural(len(measured), 'field')}; none of them is one of a single row"))
    by_reason: dict[str, list[str]] = {}
    for where, why in drafted.left_out:
        by_reason.setdefault(why, []).append(where)
    for why, places in by_reason.items():
        out(dim(hanging(f"left out  {why}: {listed(places)}", 10)))
