"""The guard before rows are added: whether a target still holds what its receipt tells of."""

from __future__ import annotations

from collections.abc import Mapping

from ..model.phrases import listed
from ..model.problems import RefusedError


def refuse_changed_rows(name: str, there: Mapping[str, int], found: Mapping[str, int]) -> None:
    """RefusedError where a target does not hold the rows that its receipt tells of."""
    others = [
        f"{entity} {found.get(entity, 0):,}, not {rows:,}" for entity, rows in there.items() if found.get(entity, 0) != rows
    ]  # fmt: skip
    if others:
        raise RefusedError(f"{name} does not hold the rows of its receipt any more; nothing was changed: {listed(others, 4)}",
                           hint="rows can only be added to what fill wrote, as it wrote it")  # fmt: skip
