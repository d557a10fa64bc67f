"""Plan in, record batches and single rows out."""

from .batches import BATCH, batches, made, make_batch, make_rows, schema_of
from .digests import block_digest, entity_digest
from .row import Row

__all__ = ["BATCH", "Row", "batches", "block_digest", "entity_digest", "made", "make_batch", "make_rows", "schema_of"]
