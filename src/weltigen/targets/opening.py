"""Which target a word on the command line, a URL or a connection means."""

from __future__ import annotations

from difflib import get_close_matches
from pathlib import Path
from typing import Any

from ..model.problems import RefusedError, UsageError
from ..stored.formats import format_names, format_of_folder, get_format, spelling
from ..stored.locations import (
    DUCKDB_ENDING,
    SQLITE_ENDINGS,
    Database,
    DuckdbFile,
    Folder,
    OtherFile,
    SqliteFile,
    location_of,
)
from .databases import DatabaseTarget, SqlitePlace, place_at, place_of, refuse_some
from .files import FolderTarget
from .handling import ASKED_NOTHING, Handling
from .script import ScriptTarget, is_script
from .target import Target

# endings by which somebody means a file
_FILES = frozenset(
    ".xlsx .xls .ods .json .xml .yaml .yml .zip .tar .txt .tsv .arrow .feather .avro .orc .html .pdf .dump".split()
)


def open_target(
    into: Any, format: str | None = None, bytes: str | None = None, handling: Handling = ASKED_NOTHING, ddl: bool = True
) -> Target:
    """The target that `into` names: a database by its URL, `env:NAME`, an SQLAlchemy engine or connection; an SQLite or a DuckDB
    file; an SQL script (`.sql`, `.sql.gz`, `-` for stdout); else a folder of files in `format` (see `stored.format_names`).

    Where no format is given it is that of the files that are there, else csv. `bytes`: how it spells them, base64 or hex.
    A script is written in the dialect that `format` names, and with the definitions of tables where `ddl` is true.
    """
    if not isinstance(into, str | Path):
        _refuse_format("a database", format, bytes)
        return DatabaseTarget(place_of(into), handling)
    if is_script(into):
        refuse_some(handling, "a script")
        if bytes is not None:
            raise UsageError("--bytes is for folders; a script writes bytes as its dialect does")
        return ScriptTarget(into, format, ddl)
    location = location_of(into)
    match location:
        case Database() | SqliteFile() | DuckdbFile():
            _refuse_format(
                {SqliteFile: "an SQLite file", DuckdbFile: "a DuckDB file"}.get(type(location), "a database"), format, bytes
            )
            return DatabaseTarget(place_at(location), handling)
        case OtherFile(path=path):
            said = f"{path} is a file; a folder was meant, or a file that ends in .sqlite, .duckdb or .sql"
            raise RefusedError(said, hint="nothing was changed")
        case Folder(path=path):
            if path.suffix.lower() in (*SQLITE_ENDINGS, DUCKDB_ENDING):
                return DatabaseTarget(SqlitePlace(path), handling)  # which says that a file was meant
            refuse_some(handling, "a folder of files")
            named = next((name for name in format_names() if path.name.lower().endswith(f".{name}")), None)
            if named is not None:
                raise UsageError(f"{path} would be a folder: each entity gets a file of its own",
                                 hint=f"write --into {str(path)[: -len(named) - 1]} --format {named}")  # fmt: skip
            meant = get_close_matches(path.suffix.lower(), (*SQLITE_ENDINGS, DUCKDB_ENDING, ".sql"), n=1, cutoff=0.75)
            if meant and not path.is_dir():
                said = f"no file ends in {path.suffix}, and {path} would be a folder"
                raise UsageError(
                    said, hint=f"did you mean '{path.with_suffix(meant[0])}'? A folder: --into {path.with_suffix('')}"
                )
            if path.suffix.lower() in _FILES and not path.is_dir():
                known = f"of {', '.join(format_names())}; or a file that ends in .sqlite, .duckdb or .sql"
                raise UsageError(f"{path.suffix} is no format that can be written",
                                 hint=f"a folder: --into {path.with_suffix('')}/ --format …, {known}")  # fmt: skip
            chosen = get_format(format) if format else format_of_folder(path) or get_format("csv")
            return FolderTarget(path, chosen if bytes is None else spelling(chosen, bytes))


def _refuse_format(what: str, format: str | None, bytes: str | None) -> None:
    if format is not None:
        raise UsageError(f"--format is for folders and scripts; this is {what}")
    if bytes is not None:
        raise UsageError(f"--bytes is for folders; {what} holds bytes as they are")
