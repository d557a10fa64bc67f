"""How data lies: locations, connections, receipts, names by dialect, formats, and stores that answer SQL."""

from .connections import connected, shown_url
from .digests import block_digest, entity_digest
from .formats import Format, format_names, format_of_folder, get_format
from .locations import Database, Folder, Location, OtherFile, SqliteFile, is_url, location_of, named_by_environment
from .names import literal, quoted
from .receipts import Receipt, StageReceipt, joined_digest, receipt_path
from .stores import NotAnswered, Store, open_store
from .tables import table_reader

__all__ = [
    "Database", "Folder", "Format", "Location", "NotAnswered", "OtherFile", "Receipt", "SqliteFile", "StageReceipt", "Store",
    "block_digest", "connected", "entity_digest", "format_names", "format_of_folder", "get_format", "is_url", "joined_digest",
    "literal", "location_of", "named_by_environment", "open_store", "quoted", "receipt_path", "shown_url", "table_reader",
]  # fmt: skip
