"""Likely slips on the command line, and the right form for each."""

from __future__ import annotations

import click

_WORLD = "where WORLD is a world file, an SQL file, a database's URL or package.module:NAME"


def hint_for(error: click.ClickException, context: click.Context | None) -> str | None:
    """What to write instead, where the mistake is a known one; else how to see the command's help."""
    command = context.info_name if context is not None else None
    if isinstance(error, click.NoSuchOption):
        known = {"--replace": "a target that holds rows is never written over; choose another, or remove it first",
                 "--force": "nothing is ever overwritten; choose another target, or remove it first",
                 "--output": "the target is named with --into", "-o": "the target is named with --into",
                 "--count": "rows are set with --rows ENTITY=N", "-n": "rows are set with --rows ENTITY=N"}  # fmt: skip
        if error.option_name in known:
            return known[error.option_name]
        if error.possibilities:
            return None
    if command == "fill" and "unexpected extra argument" in error.format_message():
        extra = error.format_message().split("(", 1)[-1].rstrip(")")
        return f"the target is named with --into: weltigen fill WORLD --into {extra.split()[0]}"
    if isinstance(error, click.MissingParameter) and command in ("explain", "fill", "audit", "peek"):
        return f"weltigen {command} {'WORLD TARGET' if command == 'audit' else 'WORLD'}, {_WORLD}"
    return f"weltigen {command} --help tells more" if command and command != "weltigen" else None
