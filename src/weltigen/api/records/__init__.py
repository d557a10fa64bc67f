"""Rows to look at, computed or stored, with both ends of their relationships."""

from __future__ import annotations

from pathlib import Path

from ..dataset import Dataset
from .computed import ComputedRecords
from .record import Choice, Record, Records, Referring
from .stored import StoredRecords, stored_world


def look(rows: Dataset | str | Path, *, dialect: str | None = None) -> Records:
    """The rows of a dataset, or those stored in a folder or an SQLite file; UnreadableError where these cannot be read."""
    return ComputedRecords(rows) if isinstance(rows, Dataset) else StoredRecords(stored_world(rows, dialect), rows)


__all__ = ["Choice", "Record", "Records", "Referring", "look"]
