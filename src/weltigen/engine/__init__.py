"""Plan in, record batches and single rows out."""

from .batches import BATCH, batches, made, make_batch, make_rows, schema_of
from .families import Family, families
from .needed import needed
from .row import Row

__all__ = ["BATCH", "Family", "Row", "batches", "families", "made", "make_batch", "make_rows", "needed", "schema_of"]
