"""Files in a folder, asked through DuckDB."""

from __future__ import annotations

from ...model import Entity
from ..formats import reading, stored_file
from .duck_store import DuckStore, Stored
from .store import NotAnswered

_KEPT = 100_000_000  # bytes up to which a file of texts is parsed once and kept


class FolderStore(DuckStore):
    """CSV, JSON Lines and Parquet files."""

    def _view(self, entity: Entity) -> dict[str, str] | None:
        found = stored_file(self.path, entity.name)
        if found is None:
            return None
        with reading(found[1]):
            try:
                return super()._view(entity)
            except NotAnswered as error:  # while nothing is asked of it yet, it is the file that cannot be read
                raise ValueError(str(error)) from None

    def stored(self, entity: Entity) -> Stored | None:
        found = stored_file(self.path, entity.name)
        if found is None:
            return None
        format, file = found
        scan = format.scan(file, [field.name for field in entity.fields if field.generated is None])
        return Stored(scan.sql, keep=scan.as_text and file.stat().st_size < _KEPT)
