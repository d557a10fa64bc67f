"""Labels: how a row is shown where others refer to it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ..model import Entity
from .meaning import NotEvaluableError


def label_of(entity: Entity, evaluate: Callable[[str], Any], values: Mapping[str, Any]) -> str:
    """What the entity's label comes to for a row, else the row's key; empty where there is neither.

    `evaluate` works an expression out over the row, to an Arrow array of one value; where it raises NotEvaluableError or
    KeyError the key is taken.
    """
    if entity.label:
        try:
            text = evaluate(entity.label)[0].as_py()
        except (NotEvaluableError, KeyError):
            text = None
        if text is not None:
            return str(text)
    return ", ".join(str(values.get(column)) for column in entity.key)
