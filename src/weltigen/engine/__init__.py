"""Plan in, record batches and single rows out."""

from .batches import BATCH, batches, made, make_batch, make_rows, schema_of
from .row import Row

__all__ = ["BATCH", "Row", "batches", "made", "make_batch", "make_rows", "schema_of"]
