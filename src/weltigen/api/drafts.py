"""Drafting a world file for a source, anew or over what is there."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..drafting import ENDING, Draft, draft_world
from ..infer import moments_as_texts
from ..model import Place, Problem, World
from ..model.problems import UnreadableError, UsageError
from ..readers.python_model import names_python
from ..readers.sources import WORLD_ENDINGS, check_world_text, read_source, read_text
from ..readers.yaml_tree import read_yaml
from ..stored.locations import is_url

if TYPE_CHECKING:
    from .measuring import Measuring


def draft(source: Any, into: str | Path | None = None, *, dialect: str | None = None, measure: str | Path | None = None) -> Draft:
    """A world file for the model that `source` declares; written to `into` where that is given.

    A file that is there is brought up to date: what somebody edited or wrote beside it stays, what is new is added, what is
    gone from the model is commented out. Nothing is written that could not be read again.

    `measure` names data that exists (a folder of CSV or Parquet files, a database file, a database by its URL): shares of nulls,
    weights, quantiles, forms of codes, rhythms and rows for each owner are those of its rows then, without a value that tells of
    somebody; `left_out` of the draft says of what nothing is told and why.
    """
    path = None if into is None else Path(into)
    if isinstance(source, str | Path) and Path(source).suffix.lower() in WORLD_ENDINGS:
        raise UsageError(
            f"{source} is a world file already", hint="draft from the model that it names, over it: weltigen draft MODEL -o WORLD"
        )
    if path is not None and path.suffix.lower() not in WORLD_ENDINGS:
        raise UsageError(f"a world file ends in .yaml, not as {path.name}", hint=f"-o {path.stem}.yaml")
    if path is not None and not path.parent.is_dir():
        raise UsageError(f"there is no folder {path.parent} to write {path.name} into")
    declared = read_source(source, dialect, moments_as_texts)
    over = read_text(path) if path is not None and path.exists() else None
    beside = _beside(path) if path is not None else None
    before = read_text(beside) if beside is not None and over is not None and beside.is_file() else None
    if over is not None:
        read_yaml(over, str(path))  # what cannot be read is told with its place
    edited = _edited(over, path, declared) if over is not None and path is not None else None
    measuring = None if measure is None else _measuring(measure)
    drafted = draft_world(
        declared, _named_from(source, path), dialect=dialect, over=over, before=before, edited=edited, measured=measuring
    )
    if measuring is not None:
        drafted = replace(drafted, left_out=measuring.left_out)
    if path is not None:
        _write(drafted, path, declared)
    return drafted


def _measuring(place: str | Path) -> Measuring:
    from .measuring import Measuring

    return Measuring(place)


def _edited(text: str, path: Path, declared: World) -> World | None:
    """The declared world with what a file says of it; None where the model has changed so that the file no longer fits."""
    try:
        return check_world_text(text, path, declared)
    except UnreadableError:
        return None


def _beside(path: Path) -> Path:
    """The file beside a world file that tells what the model was."""
    return path.with_name(path.name + ENDING)


def _named_from(source: Any, path: Path | None) -> str:
    """How the file names its model: relative to the file's own folder; a URL without its password."""
    if not isinstance(source, str | Path):
        return "package.module:NAME"
    text = str(source)
    if text.startswith("env:") or names_python(text):
        return text
    if is_url(text):
        from sqlalchemy.engine import make_url

        return "env:DATABASE_URL" if make_url(text).password else text
    return os.path.relpath(text, path.parent if path is not None else Path.cwd())


def _write(drafted: Draft, path: Path, declared: Any) -> None:
    """All or nothing: the text is put beside the file, tried, and takes its place only then."""
    check_world_text(drafted.text, path, declared)
    news = [(path.with_name(f".{path.name}.new"), path, drafted.text)]
    known = _beside(path)
    news.append((known.with_name(f".{known.name}.new"), known, drafted.snapshot))
    try:
        for new, _, text in news:
            new.write_text(text, "utf-8")
        for new, place, _ in news:
            new.replace(place)
    except OSError as error:
        for new, _, _ in news:
            new.unlink(missing_ok=True)
        fact = f"cannot be written: {(error.strerror or str(error)).lower()}"
        raise UnreadableError(Problem(fact=fact, place=Place(file=str(path)))) from None
