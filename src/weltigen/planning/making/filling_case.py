"""Texts in one case."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pyarrow.compute as pc

from ...model.fields import Casing


def in_case(casing: Casing) -> Callable[[Any], Any]:
    """A column's texts in lower, or in upper case."""
    return pc.utf8_lower if casing == "lower" else pc.utf8_upper  # type: ignore[no-any-return]
