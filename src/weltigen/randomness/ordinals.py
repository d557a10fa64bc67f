"""Ordinals in line: most rows are asked for in the order in which they stand, and then nothing needs to be searched for."""

from __future__ import annotations

from typing import Any

from numpy.typing import NDArray


def in_line(ordinals: NDArray[Any]) -> bool:
    """Whether some ordinals, one at least, follow each other without a gap."""
    return int(ordinals[-1]) - int(ordinals[0]) == ordinals.size - 1 and bool((ordinals[1:] > ordinals[:-1]).all())
