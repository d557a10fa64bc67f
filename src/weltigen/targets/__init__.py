"""Record batches into files and databases: all or nothing, and never over what is there."""

from .receipt import Receipt
from .run import fill
from .target import Target, open_target, table_reader

__all__ = ["Receipt", "Target", "fill", "open_target", "table_reader"]
