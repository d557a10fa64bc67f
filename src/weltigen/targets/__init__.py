"""Record batches into files and databases: all or nothing, and never over what is there."""

from .receipt import Part, Receipt, joined_digest, parts_told
from .run import fill
from .target import Target, open_target, table_reader

__all__ = [
    "Part",
    "Receipt",
    "Target",
    "fill",
    "joined_digest",
    "open_target",
    "parts_told",
    "table_reader",
]
