"""Kinds of value that a world file brings: functions in Python, and lists of values."""

from __future__ import annotations

import csv
from pathlib import Path

from ..model import Problem
from ..model.problems import UnreadableError, UsageError
from ..values import know
from .grammar import KindSection, WorldSection
from .yaml_tree import Tree

Weighted = tuple[tuple[str, float], ...]


def own_kinds(part: WorldSection, tree: Tree, folder: Path) -> tuple[tuple[tuple[str, str], ...], dict[str, Weighted]]:
    """Names with their functions, which are known from now on, and names with their values; UnreadableError with the place."""
    functions: list[tuple[str, str]] = []
    lists: dict[str, Weighted] = {}
    for name, told in part.kinds.items():
        place = tree.value_place(("kinds", name))
        try:
            if isinstance(told, KindSection):
                lists[name] = _listed(name, told)
            elif told.endswith(".csv"):
                lists[name] = _of_file(name, folder / told)
            else:
                path, colon, function = told.rpartition(":")
                functions.append((name, f"{(folder / path).resolve()}{colon}{function}" if colon else told))
                know(tuple(functions[-1:]))
        except UsageError as error:
            raise UnreadableError(Problem(fact=error.problems[0].fact, place=place, hint=error.problems[0].hint)) from None
    return tuple(functions), lists


def _listed(name: str, told: KindSection) -> Weighted:
    if (told.values is None) == (told.weights is None):
        raise UsageError(f"kind '{name}' has either values or weights")
    weighted = tuple((told.weights or dict.fromkeys(told.values or (), 1.0)).items())
    if not any(weight > 0 for _, weight in weighted):
        raise UsageError(f"kind '{name}' has no value that can be drawn")
    return weighted


def _of_file(name: str, path: Path) -> Weighted:
    """The first column of a CSV file, weighed by its column `weight` where it has one."""
    try:
        with path.open(newline="", encoding="utf-8") as lines:
            rows = list(csv.DictReader(lines))
    except (OSError, UnicodeDecodeError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise UsageError(f"kind '{name}': {path.name} cannot be read: {reason.lower()}") from None
    weights: dict[str, float] = {}
    for number, row in enumerate(rows, 2):
        value, weight = next(iter(row.values())), row.get("weight") or "1"
        try:
            weights[value or ""] = weights.get(value or "", 0.0) + float(weight)
        except ValueError:
            raise UsageError(f"kind '{name}': {path.name}, line {number}: '{weight}' is no weight") from None
    return _listed(name, KindSection(values=None, weights=weights or {"": 0.0}))
