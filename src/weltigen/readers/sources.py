"""Opening a source: what a path or a text is, and which reader takes it."""

from __future__ import annotations

from pathlib import Path

from ..model import Place, Problem, World
from ..model.problems import UnreadableError, UsageError
from .ddl import read_ddl
from .world_file import read_world_file

WORLD_ENDINGS = (".yaml", ".yml")
SQLITE_ENDINGS = (".sqlite", ".sqlite3", ".db")
_SQLITE_MAGIC = b"SQLite format 3\x00"


def read_source(source: str | Path, dialect: str | None = None, through: tuple[Path, ...] = ()) -> World:
    """The world of a path: a world file, SQL definitions, an SQLite file, or a folder with a receipt.

    `through` are the world files on the way here; none of them can be its own model.
    """
    path = Path(source)
    if path.resolve() in through:
        raise UnreadableError(
            Problem(fact="this world file is its own model", place=Place(file=str(path)), hint="model: names an SQL file")
        )
    if path.is_dir():
        return read_folder(path)
    if path.suffix.lower() in SQLITE_ENDINGS or _begins_as_sqlite(path):
        return read_sqlite(path)
    text = read_text(path)
    if path.suffix.lower() in WORLD_ENDINGS:
        return read_world_file(
            text, path, lambda name, own: read_source(path.parent / name, own or dialect, (*through, path.resolve()))
        )
    return read_ddl(text, str(path), dialect)


def read_text(path: Path) -> str:
    """The text of a file; UnreadableError says why it cannot be had."""
    try:
        return path.read_text("utf-8")
    except UnicodeDecodeError:
        raise UnreadableError(Problem(fact="this is no text in UTF-8", place=Place(file=str(path)))) from None
    except OSError as error:
        siblings = [p.name for p in path.parent.glob("*") if p.suffix in (*WORLD_ENDINGS, ".sql")] if path.parent.is_dir() else []
        from ..model.problems import nearest

        hint = nearest(path.name, siblings)
        raise UnreadableError(
            Problem(fact=f"cannot be read: {(error.strerror or str(error)).lower()}", place=Place(file=str(path)), hint=hint)
        ) from None


def _begins_as_sqlite(path: Path) -> bool:
    try:
        with path.open("rb") as data:
            return data.read(16) == _SQLITE_MAGIC
    except OSError:
        return False


def read_sqlite(path: Path) -> World:
    """The world that an SQLite file's own definitions declare."""
    import sqlite3

    if not path.is_file():
        raise UnreadableError(Problem(fact="no such file", place=Place(file=str(path))))
    connection = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
    try:
        rows = connection.execute("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite_%'").fetchall()
    except sqlite3.DatabaseError as error:
        raise UnreadableError(Problem(fact=f"this is no SQLite database ({error})", place=Place(file=str(path)))) from None
    finally:
        connection.close()
    return read_ddl(";\n".join(sql for (sql,) in rows), str(path), "sqlite")


def read_folder(path: Path) -> World:
    """The world that a folder's receipt holds."""
    from .stored import world_from_receipt

    receipt = path / "receipt.json"
    if not receipt.is_file():
        raise UsageError(
            f"{path} is a folder without a receipt.json, so its model is not known",
            hint="name the world: weltigen audit WORLD FOLDER",
        )
    return world_from_receipt(read_text(receipt), str(receipt))
