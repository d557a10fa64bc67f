"""Weltigen: large, realistic, referentially consistent data for the model you have already declared.

import weltigen
world = weltigen.open_world("ferry.yaml")
dataset = world.dataset(seed=7, rows={"passenger": 500})
dataset.frame("booking")
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .api.completing import complete
    from .api.dataset import Dataset
    from .api.drafts import draft
    from .api.measuring import compare
    from .api.opening import audit, open_world, read_model
    from .api.runs import open_run
    from .api.withdrawing import withdraw
    from .api.world import World
    from .auditing import Finding, Report
    from .drafting import Draft
    from .engine import Row
    from .model import WeltigenError
    from .readers.grammar import json_schema
    from .stored.receipts import Receipt
    from .values.own_kinds import kind

__version__ = "0.1.0"
__all__ = [
    "Dataset", "Draft", "Finding", "Receipt", "Report", "Row", "WeltigenError", "World", "audit", "compare", "complete", "draft",
    "json_schema", "kind", "open_run", "open_world", "read_model", "withdraw",
]  # fmt: skip

# names are imported when they are first asked for: the command line's help needs none of them
_HOMES = {
    "Dataset": "api.dataset", "Draft": "drafting", "Finding": "auditing", "Receipt": "stored.receipts", "Report": "auditing",
    "Row": "engine", "WeltigenError": "model", "World": "api.world", "audit": "api.opening", "complete": "api.completing",
    "draft": "api.drafts", "withdraw": "api.withdrawing",
    "compare": "api.measuring", "kind": "values.own_kinds",
    "json_schema": "readers.grammar", "open_run": "api.runs", "open_world": "api.opening", "read_model": "api.opening",
}  # fmt: skip


def __dir__() -> list[str]:
    return [*__all__, "__version__"]


def __getattr__(name: str) -> Any:
    from importlib import import_module

    if name not in _HOMES:
        raise AttributeError(f"module 'weltigen' has no attribute '{name}'")
    value = getattr(import_module(f".{_HOMES[name]}", __name__), name)
    globals()[name] = value
    return value
