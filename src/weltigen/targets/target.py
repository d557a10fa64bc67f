"""What a target does, and which one a word on the command line means."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, Protocol

from ..model import World
from ..model.problems import RefusedError, UsageError
from ..plan import Plan
from .receipt import Receipt

SQLITE_ENDINGS = (".sqlite", ".sqlite3", ".db")


class Target(Protocol):
    """Where rows go. Calls come in this order; `abandon` may come after any of them and leaves nothing behind."""

    name: str

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        """Look at what is there; RefusedError where writing could lose something. Nothing is changed yet.

        `there`: rows by entity that earlier stages wrote, behind which the others are added; RefusedError where it holds others.
        """

    def convert(self, entity: str, batch: Any) -> Any:
        """The part of writing that may run beside the making of the next batch."""

    def write(self, entity: str, converted: Any) -> None:
        """Add one batch of an entity; entities come in fill order, batches in row order."""

    def finish(self, receipt: Receipt) -> None:
        """Let everything appear under its final name."""

    def abandon(self) -> None:
        """Take back whatever was written."""


def open_target(into: str | Path, format: str | None = None) -> Target:
    """The target that `into` names: an SQLite file by its ending, else a folder of files in `format` (csv, parquet).

    Where no format is given it is that of the files that are there, else csv.
    """
    from .files import FORMATS, FolderTarget, stored_format
    from .sqlite import SqliteTarget

    text = str(into)
    if re.match(r"[a-z][a-z0-9+]*://|env:", text):
        raise UsageError(
            "writing to a database server is not supported yet", hint="write to a file: --into NAME.sqlite, or a folder"
        )
    path = Path(into)
    if path.suffix.lower() in SQLITE_ENDINGS:
        if format is not None:
            raise UsageError(f"--format is for folders; {path} is an SQLite file")
        return SqliteTarget(path)
    if path.is_file():
        raise RefusedError(f"{path} is a file; a folder was meant, or a file that ends in .sqlite", hint="nothing was changed")
    if path.suffix.lower().lstrip(".") in FORMATS:
        raise UsageError(f"{path} would be a folder: each entity gets a file of its own",
                         hint=f"write --into {path.with_suffix('')} --format {path.suffix.lstrip('.')}")  # fmt: skip
    return FolderTarget(path, format or stored_format(path) or "csv")


TableReader = Callable[[str], Any]


def table_reader(target: str | Path, world: World) -> TableReader:
    """A function from an entity's name to what is stored there, as an Arrow table of its fields' types."""
    path = Path(target)
    if path.is_dir():
        from .files import read_folder_table

        return lambda entity: read_folder_table(path, world.entity(entity))
    from .sqlite import read_sqlite_table

    return lambda entity: read_sqlite_table(path, world.entity(entity))
