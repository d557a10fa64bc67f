"""Kinds of value that users write in Python: a function from positions to values, named in a world file or by an entry point.

The function takes an array of positions (unsigned 64-bit numbers from 0 on) and keyword parameters, and gives as many values: an
Arrow array, a list, or a mapping of such by the parts of a row. The same position must always give the same value.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib.metadata import EntryPoint, entry_points
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa

from ..model.problems import UsageError, nearest
from ..model.types import TypeName
from ..randomness import WIDEST, Words
from .registry import Kind, KindError, Prepared, Request, Values, bring, find_kind

GROUP = "weltigen.kinds"  # of entry points
_FACTS = "weltigen_kind"  # where the decorator keeps what it was told
_TRIED = 2_048  # positions that must give different values where a field's must differ
_Function = TypeVar("_Function", bound=Callable[..., Any])


@dataclass(frozen=True, slots=True)
class _Facts:
    space: int | None
    types: tuple[str, ...]
    summary: str | None


def kind(
    *, space: int | None = None, types: tuple[str, ...] = (), summary: str | None = None
) -> Callable[[_Function], _Function]:
    """Say of a function that gives values what it is: `space`, so many positions, all of which give different values, which is
    needed where they must differ; `types`, the SQL types that it fills, all when not given; `summary`, one line."""
    if space is not None and not 1 <= space <= WIDEST:
        raise UsageError(f"space is a whole number from 1 to {WIDEST}, not {space}")
    if unknown := [name for name in types if name not in {one.value for one in TypeName}]:
        raise UsageError(f"there is no type '{unknown[0]}'", hint=nearest(unknown[0], [one.value for one in TypeName]))

    def keep(function: _Function) -> _Function:
        setattr(function, _FACTS, _Facts(space, tuple(types), summary))
        return function

    return keep


def own_kind(name: str, function: Callable[..., Any], where: str) -> Kind:
    """The kind of a function; UsageError where it cannot be one."""
    if not callable(function):
        raise UsageError(f"kind '{name}' ({where}) is {type(function).__name__}, and no function of positions")
    facts = getattr(function, _FACTS, _Facts(None, (), None))
    try:
        _, *parameters = inspect.signature(function).parameters.values()
    except ValueError:
        raise UsageError(f"kind '{name}' ({where}) takes no positions", hint="def NAME(positions): …") from None
    named = tuple(one.name for one in parameters if one.kind in (one.POSITIONAL_OR_KEYWORD, one.KEYWORD_ONLY))
    suits = frozenset(map(TypeName, facts.types)) if facts.types else frozenset(TypeName)
    said = facts.summary or (inspect.getdoc(function) or f"Values of {where}").splitlines()[0]

    def prepare(request: Request) -> Prepared:
        return _prepared(f"kind '{name}' ({where})", function, facts, request)

    return Kind(name=name, summary=said, prepare=prepare, suits=suits, parameters=(*named, "part", "row"), row=f"own {name}")


def _prepared(called: str, function: Callable[..., Any], facts: _Facts, request: Request) -> Values:
    parameters = {key: value for key, value in request.parameters.items() if key not in ("part", "row")}
    part, arrow = request.parameters.get("part"), request.type.arrow()

    def decode(positions: Words) -> Any:
        try:
            made = function(positions, **parameters)
        except Exception as error:
            raise KindError(f"{called} failed: {type(error).__name__}: {error}") from error
        return _column(called, made, part, len(positions), arrow)

    sample = decode(np.arange(min(_TRIED, facts.space or _TRIED), dtype=np.uint64))
    if request.differ:
        if facts.space is None:
            raise KindError(f"{called} does not say how many different values it has: @weltigen.kind(space=…)")
        if len(sample.unique()) < len(sample):
            raise KindError(f"{called} gives a value twice, though it says that all of its {facts.space:,} differ")

    def told(positions: Words) -> Any:  # what fails once rows are made is told as any error is
        try:
            return decode(positions)
        except KindError as error:
            raise UsageError(str(error)) from error

    return Values(space=facts.space or WIDEST, decode=told)


def _column(called: str, made: Any, part: str | None, rows: int, arrow: Any) -> Any:
    """What a function gave, as a column of the field's type; KindError with what is wrong with it."""
    if isinstance(made, pa.StructArray):
        made = dict(zip(made.type.names, made.flatten(), strict=True))
    if isinstance(made, Mapping):
        if part not in made:
            raise KindError(f"{called} has the parts {', '.join(map(str, made))}: say one of them, {{part: NAME}}")
        made = made[part]
    elif part is not None:
        raise KindError(f"{called} has no parts, so no part '{part}'")
    if len(made) != rows:
        raise KindError(f"{called} gave {len(made):,} values for {rows:,} positions")
    try:
        column = made if isinstance(made, pa.Array | pa.ChunkedArray) else pa.array(made)
        column = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
        column = column if column.type == arrow else column.cast(arrow)
    except (pa.ArrowException, TypeError) as error:
        raise KindError(f"{called} gives what is no {arrow}: {str(error).splitlines()[0]}") from None
    if column.null_count:
        raise KindError(f"{called} gives nulls; say how often a field is filled: present: 90%")
    return column


def from_file(name: str, where: str) -> Kind:
    """The kind of FILE.py:FUNCTION; UsageError where there is none. A file is read again when it has changed."""
    path, _, function = where.rpartition(":")
    if not path or not function.isidentifier():
        raise UsageError(f"kind '{name}': '{where}' names no function", hint="FILE.py:FUNCTION")
    try:
        changed = Path(path).stat().st_mtime_ns
    except OSError as error:
        fact = f"kind '{name}': {path} cannot be read: {(error.strerror or str(error)).lower()}"
        raise UsageError(fact, hint="a path is one from the folder of the world file") from None
    module = _module(str(Path(path).resolve()), changed)
    if not hasattr(module, function):
        raise UsageError(
            f"kind '{name}': {path} has no '{function}'", hint=nearest(function, [n for n in vars(module) if n[0] != "_"])
        )
    return own_kind(name, getattr(module, function), f"{Path(path).name}:{function}")


@lru_cache(maxsize=64)
def _module(path: str, changed: int) -> Any:
    title = f"weltigen_kinds_{Path(path).stem}_{abs(hash(path))}"
    spec = spec_from_file_location(title, path)
    if spec is None or spec.loader is None:
        raise UsageError(f"{path} is no Python file")
    module = module_from_spec(spec)
    sys.modules[title] = module  # dataclasses in it look their module up
    try:
        spec.loader.exec_module(module)
    except Exception as error:
        fact = f"{path} cannot be loaded: {type(error).__name__}: {error}"
        raise UsageError(fact, hint=f"python {Path(path).name} shows all of it") from error
    return module


@lru_cache(maxsize=1)
def installed() -> dict[str, EntryPoint]:
    """The kinds that installed packages bring, not loaded yet."""
    return {one.name: one for one in entry_points(group=GROUP)}


@lru_cache(maxsize=256)
def from_package(name: str) -> Kind:
    """A kind that an installed package brings; UsageError where it cannot be loaded."""
    point = installed()[name]
    try:
        function = point.load()
    except Exception as error:
        raise UsageError(f"kind '{name}' ({point.value}) cannot be loaded: {type(error).__name__}: {error}") from error
    return function if isinstance(function, Kind) else own_kind(name, function, point.value)


_OF_FILES: dict[str, Kind] = {}


def know(kinds: tuple[tuple[str, str], ...]) -> None:
    """Make the kinds of a world file known, by name and FILE.py:FUNCTION; UsageError where one is not what it should be. A kind
    of another world with the same name gives way."""
    for name, where in kinds:
        if name not in _OF_FILES and find_kind(name) is not None:
            raise UsageError(f"there is a kind '{name}' already", hint="give yours another name")
        _OF_FILES[name] = from_file(name, where)


bring("world files", lambda: _OF_FILES, _OF_FILES.__getitem__)
bring("packages", installed, from_package)
