"""Names of fields as expressions hold them."""

from __future__ import annotations

import re

from sqlglot import exp

_PLAIN = re.compile(r"[a-z_][a-z0-9_]*")
_RESERVED = frozenset({"group", "order", "table", "user"})  # common names of fields that SQL reads as its own words


def plain_name(name: str) -> str:
    """A field's name within an expression: in quotes only where SQL would read something else."""
    return name if _PLAIN.fullmatch(name) and name not in _RESERVED else exp.to_identifier(name, quoted=True).sql()
