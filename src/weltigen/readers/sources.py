"""Opening a source: what a path or a text is, and which reader takes it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..model import Place, Problem, World
from ..model.problems import UnreadableError, UsageError, nearest
from ..stored.locations import DUCKDB_ENDING, SQLITE_ENDINGS, begins_as_sqlite, is_url, named_by_environment
from ..stored.names import LEDGER
from ..stored.sqlite_files import open_to_read
from .python_model import names_python
from .sql import read_ddl

WORLD_ENDINGS = (".yaml", ".yml")


Complete = Callable[[World], World]


def read_source(source: Any, dialect: str | None = None, complete: Complete = lambda world: world) -> World:
    """The world of a source: a path (world file, SQL definitions, SQLite file, folder with a receipt), a database URL,
    `env:NAME` for a URL kept in the environment, `package.module:NAME`, or a MetaData or declarative base itself.

    `complete` is applied to what was read, before a world file's wishes are put over it.
    """
    return _read(source, dialect, complete, ())


def _read(source: Any, dialect: str | None, complete: Complete, through: tuple[Path, ...]) -> World:
    """`through` are the world files on the way here; none of them can be its own model."""
    if not isinstance(source, str | Path):
        return complete(_read_object(source))
    if isinstance(source, str):
        source = named_by_environment(source)
        if source.startswith(("sqlite://", "duckdb://")):
            source = source.partition(":///")[2]
        elif is_url(source):
            from .live import read_database

            return complete(read_database(source))
        elif "\n" in source or ";" in source:
            raise UsageError("this is a text of definitions, not the path of a source", hint="read_model reads SQL from a text")
        elif names_python(source):
            from .python_model import read_python

            return complete(read_python(source))
    return _read_path(Path(source), dialect, complete, through)


def _read_object(source: object) -> World:
    from .metadata import metadata_of, read_metadata

    metadata = metadata_of(source)
    if metadata is None:
        raise UsageError(
            f"a {type(source).__name__} is not a source of a model", hint="give a path, a URL, a MetaData or a declarative base"
        )
    return read_metadata(metadata, getattr(source, "__name__", "MetaData"))


def _read_path(path: Path, dialect: str | None, complete: Complete, through: tuple[Path, ...]) -> World:
    if path.resolve() in through:
        raise UnreadableError(
            Problem(fact="this world file is its own model", place=Place(file=str(path)), hint="model: names an SQL file")
        )
    if path.is_dir():
        return read_folder(path)
    if path.suffix.lower() in SQLITE_ENDINGS or begins_as_sqlite(path):
        return complete(read_sqlite(path))
    if path.suffix.lower() == DUCKDB_ENDING:
        from .live.duckdb import read_duckdb

        return complete(read_duckdb(path))
    text = read_text(path)
    if path.suffix.lower() not in WORLD_ENDINGS:
        return complete(read_ddl(text, str(path), dialect))

    from .world_file import read_world_file  # the grammar takes a while to load, and most sources do without

    def read_model(name: str, own: str | None) -> World:
        elsewhere = is_url(name) or name.startswith("env:") or (names_python(name) and not (path.parent / name).exists())
        return _read(name if elsewhere else path.parent / name, own or dialect, complete, (*through, path.resolve()))

    return read_world_file(text, path, read_model)


def check_world_text(text: str, path: Path, model: World) -> World:
    """The world of a text that is to become the file at `path`, over a model that was read; UnreadableError where it is none."""
    from .world_file import read_world_file

    return read_world_file(text, path, lambda name, own: model)


# how files begin that are no text, and what would make one of them
_BINARY = (
    (b"PGDMP", "an archive of pg_dump, not SQL", "make SQL of it: pg_restore -f model.sql FILE"),
    (b"\x1f\x8b", "compressed", "unpack it first: gunzip FILE"),
    (b"PK\x03\x04", "compressed", "unpack it first: unzip FILE"),
    (b"\x28\xb5\x2f\xfd", "compressed", "unpack it first: unzstd FILE"),
    (b"PAR1", "a Parquet file: it holds rows, but no model", "name the SQL or the world file that declares it"),
)


def read_text(path: Path) -> str:
    """The text of a file; UnreadableError says why it cannot be read."""
    try:
        data = path.read_bytes()
    except OSError as error:
        siblings = [p.name for p in path.parent.glob("*") if p.suffix in (*WORLD_ENDINGS, ".sql")] if path.parent.is_dir() else []
        hint = nearest(path.name, siblings)
        raise UnreadableError(
            Problem(fact=f"cannot be read: {(error.strerror or str(error)).lower()}", place=Place(file=str(path)), hint=hint)
        ) from None
    for magic, what, hint in _BINARY:
        if data.startswith(magic):
            raise UnreadableError(Problem(fact=f"this is {what}", place=Place(file=str(path)), hint=hint))
    for encoding in ("utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig", "cp1252"):
        try:
            text = data.decode(encoding)
        except UnicodeDecodeError:
            continue
        if "\0" not in text:
            return text
    raise UnreadableError(Problem(fact="this is not text, but a binary file", place=Place(file=str(path))))


def read_sqlite(path: Path) -> World:
    """The world that an SQLite file's own definitions declare."""

    if not path.is_file():
        raise UnreadableError(Problem(fact="no such file", place=Place(file=str(path))))
    connection = open_to_read(path)
    try:
        return sqlite_world(connection, str(path))
    finally:
        connection.close()


def sqlite_world(connection: Any, name: str) -> World:
    """The world that the definitions of an open SQLite database declare."""
    import sqlite3

    try:
        rows = connection.execute("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite_%'").fetchall()
        hidden = {name for (name,) in connection.execute("SELECT name FROM pragma_table_list WHERE type = 'shadow'")}
    except sqlite3.OperationalError as error:
        if "locked" in str(error):
            raise
        raise UnreadableError(Problem(fact=f"this cannot be read ({error})", place=Place(file=name))) from None
    except sqlite3.DatabaseError as error:
        raise UnreadableError(Problem(fact=f"this is not an SQLite database ({error})", place=Place(file=name))) from None
    world = read_ddl(";\n".join(sql for (sql,) in rows), name, "sqlite", lines=False)
    # a full-text index keeps its data in tables that are not for others to write
    return replace(world, entities=tuple(entity for entity in world.entities if entity.name not in hidden | {LEDGER}))


def read_folder(path: Path) -> World:
    """The world that a folder's receipt holds."""
    from ..stored.receipts import receipt_path
    from .world_json import world_from_receipt

    receipt = receipt_path(path)
    if not receipt.is_file():
        raise UsageError(
            f"{path} is a folder without a receipt.json, so its model is not known",
            hint="name the world: weltigen audit WORLD FOLDER",
        )
    return world_from_receipt(read_text(receipt), str(receipt))
