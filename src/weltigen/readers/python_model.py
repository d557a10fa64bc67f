"""`package.module:NAME`: a model declared in Python. The only place where reading a source runs code, and only for this form."""

from __future__ import annotations

import re
import sys
import traceback
from importlib import import_module
from pathlib import Path
from typing import Any

from ..model import Place, Problem, World
from ..model.problems import UnreadableError, UsageError, nearest
from .metadata import metadata_of, read_metadata

_FORM = re.compile(r"[A-Za-z_]\w*(\.[A-Za-z_]\w*)*:[A-Za-z_]\w*(\.[A-Za-z_]\w*)*")


def names_python(source: str) -> bool:
    return _FORM.fullmatch(source) is not None and not Path(source).exists()


def read_python(source: str) -> World:
    """The world of a MetaData or a declarative base in a module; its own error is shown where it fails to import."""
    name, _, attribute = source.partition(":")
    found: Any = _imported(name)
    for part in attribute.split("."):
        if not hasattr(found, part):
            known = (
                [key for key in vars(found) if metadata_of(getattr(found, key, None)) is not None]
                if hasattr(found, "__dict__")
                else []
            )
            hint = nearest(part, tuple(known)) or (
                f"it has: {', '.join(known)}" if known else "it holds no MetaData and no declarative base"
            )
            raise UsageError(f"{name} has no '{part}'", hint=hint)
        found = getattr(found, part)
    metadata = metadata_of(found)
    if metadata is None:
        raise UsageError(
            f"{source} is a {type(found).__name__}, not a MetaData or a declarative base", hint="name one: package.module:Base"
        )
    return read_metadata(metadata, source)


def _imported(name: str) -> Any:
    here = str(Path.cwd())
    added = here not in sys.path and "" not in sys.path
    if added:
        sys.path.insert(0, here)  # as `python -m` would
    try:
        return import_module(name)
    except ModuleNotFoundError as error:
        if error.name and (name == error.name or name.startswith(f"{error.name}.")):
            raise UsageError(f"there is no module {name}", hint="it is looked for here and where Python's packages are") from None
        raise _own_error(name, error) from None
    except (Exception, SystemExit) as error:
        raise _own_error(name, error) from None
    finally:
        if added:
            sys.path.remove(here)


def _own_error(name: str, error: BaseException) -> UnreadableError:
    frames = [frame for frame in traceback.extract_tb(error.__traceback__) if "importlib" not in frame.filename]
    place = Place(file=frames[-1].filename, line=frames[-1].lineno) if len(frames) > 1 else Place(file=name)
    return UnreadableError(Problem(fact=f"{name} fails to import: {type(error).__name__}: {error}", place=place))
