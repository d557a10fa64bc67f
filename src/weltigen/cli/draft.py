"""weltigen draft"""

from __future__ import annotations

from pathlib import Path

import click

from ..api.drafts import draft as draft_source
from . import options
from .show import bad, dim, good, out, warn


@click.command()
@click.argument("source")
@click.option(
    "-o", "--into", "into", metavar="WORLD", help="The world file; one that is there is brought up to date, its edits kept."
)
@options.dialect
def draft(source: str, into: str | None, dialect: str | None) -> None:
    """Write a world file for the model that SOURCE declares, with every guess spelled out and its reason.

    SOURCE is an SQL file, a database's URL or env:NAME, an SQLite file, or package.module:NAME of SQLAlchemy's MetaData.
    """
    drafted = draft_source(source, into, dialect=dialect)
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
        named = ", ".join(note.what[:40] for note in over[:3])
        out(dim(f"stepped over    {len(over)} that shape no row: {named}{' …' if len(over) > 3 else ''}"))
    for problem in drafted.plan.problems:
        out(f"{bad('impossible')}  {problem}")
    out(f"Next: weltigen explain {into}")
    out(f"      weltigen fill {into} --into FOLDER|{Path(into).with_suffix('.sqlite').name}")
