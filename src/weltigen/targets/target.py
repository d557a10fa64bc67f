"""What a target does, and which one a word on the command line means."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, Protocol

from ..model.problems import RefusedError, UsageError
from ..plan import Plan
from ..stored.formats import format_names, format_of_folder, get_format, spelling
from ..stored.locations import SQLITE_ENDINGS, Database, Folder, OtherFile, SqliteFile, location_of
from ..stored.receipts import Receipt


class Target(Protocol):
    """Where rows go. Calls come in this order; `abandon` may come after any of them and leaves nothing behind."""

    name: str

    notes: tuple[str, ...]  # after `prepare`: what of the model the place cannot express; rows keep it all the same

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        """Look at what is there; RefusedError where writing could lose something. Nothing is changed yet.

        `there`: rows by entity that earlier stages wrote, behind which the others are added; RefusedError where it holds others.
        """

    def convert(self, entity: str, batch: Any) -> Any:
        """The part of writing that may run beside the making of the next batch."""

    def write(self, entity: str, converted: Any) -> None:
        """Add one batch of an entity, in row order. Rows come after those that own them; of what else they refer to, all come
        earlier, but where references go in a circle."""

    def complete(self, entity: str) -> None:
        """All rows of an entity are written."""

    def finish(self, receipt: Receipt) -> None:
        """Let everything appear under its final name."""

    def abandon(self) -> None:
        """Take back whatever was written."""


# endings by which somebody means a file
_FILES = frozenset(
    ".xlsx .xls .ods .sql .json .xml .yaml .yml .zip .gz .tar .txt .tsv .arrow .feather .avro .orc .html .pdf .dump".split()
)


def open_target(into: str | Path, format: str | None = None, bytes: str | None = None) -> Target:
    """The target that `into` names: an SQLite file, else a folder of files in `format` (see `stored.format_names`).

    Where no format is given it is that of the files that are there, else csv. `bytes`: how it spells them, base64 or hex.
    """
    from .files import FolderTarget
    from .sqlite import SqliteTarget

    location = location_of(into)
    match location:
        case Database():
            raise UsageError(
                "writing to a database server is not supported yet", hint="write to a file: --into NAME.sqlite, or a folder"
            )
        case SqliteFile(path=path):
            if format is not None:
                raise UsageError(f"--format is for folders; {path} is an SQLite file")
            if bytes is not None:
                raise UsageError("--bytes is for folders; SQLite holds bytes as they are")
            return SqliteTarget(path)
        case OtherFile(path=path):
            said = f"{path} is a file; a folder was meant, or a file that ends in .sqlite"
            raise RefusedError(said, hint="nothing was changed")
        case Folder(path=path):
            if path.suffix.lower() in SQLITE_ENDINGS:
                return SqliteTarget(path)  # which says that a file was meant
            named = next((name for name in format_names() if path.name.lower().endswith(f".{name}")), None)
            if named is not None:
                raise UsageError(f"{path} would be a folder: each entity gets a file of its own",
                                 hint=f"write --into {str(path)[: -len(named) - 1]} --format {named}")  # fmt: skip
            if path.suffix.lower() in _FILES and not path.is_dir():
                known = f"of {', '.join(format_names())}; or a file that ends in .sqlite"
                raise UsageError(f"{path.suffix} is no format that can be written",
                                 hint=f"a folder: --into {path.with_suffix('')}/ --format …, {known}")  # fmt: skip
            chosen = get_format(format) if format else format_of_folder(path) or get_format("csv")
            return FolderTarget(path, chosen if bytes is None else spelling(chosen, bytes))
