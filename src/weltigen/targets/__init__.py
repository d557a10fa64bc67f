"""Record batches into files and databases: all or nothing, and never over what is there."""

from .receipt import Receipt, StageReceipt, joined_digest, stage_receipts
from .run import fill
from .target import Target, open_target, table_reader

__all__ = [
    "Receipt",
    "StageReceipt",
    "Target",
    "fill",
    "joined_digest",
    "open_target",
    "stage_receipts",
    "table_reader",
]
