"""Formats of files in a folder, one file each; importing one registers it."""

from . import csv, jsonl, parquet
from .format import (
    BYTES,
    Batch,
    Format,
    Scan,
    Schema,
    Table,
    Writer,
    format_names,
    format_of_folder,
    get_format,
    reading,
    spelling,
    stored_file,
)

__all__ = [
    "BYTES", "Batch", "Format", "Scan", "Schema", "Table", "Writer", "format_names", "format_of_folder", "get_format", "reading",
    "spelling", "stored_file",
]  # fmt: skip
