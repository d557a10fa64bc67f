"""A folder with one file for each entity, in one format, and the receipt beside them."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import pyarrow as pa

from ..engine import schema_of
from ..model import Entity
from ..model.phrases import listed
from ..model.problems import RefusedError, TargetError, UsageError
from ..plan import EntityPlan, Plan
from ..stored.formats import Format, Writer, format_of_folder, reading
from ..stored.receipts import Receipt
from .append_guard import refuse_changed_rows

RECEIPT = "receipt.json"


class FolderTarget:
    """Files are written in a hidden folder beside the final place and moved there, the receipt last, once all are whole."""

    def __init__(self, path: Path, format: Format) -> None:
        self.path, self.format, self.name = path, format, f"{path}/"
        self._draft: Path | None = None
        self._open: dict[str, Writer] = {}
        self._plan: Plan | None = None
        self._adds = False  # behind the rows that are there

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        self._plan, self._adds = plan, there is not None
        if there is not None:
            stored = format_of_folder(self.path)
            if stored is not None and stored is not self.format:
                said = f"the files in {self.path} are {stored.name}, not {self.format.name}"
                raise UsageError(said, hint="leave out the format")
            refuse_changed_rows(str(self.path), there, {name: self._rows_there(plan.world.entity(name)) for name in there})
        elif self.path.is_dir():
            wanted = {RECEIPT, *(self.format.file(self.path, name).name for name in plan.order)}
            held = sorted(p.name for p in self.path.iterdir() if p.name in wanted)
            if held:
                said = f"{self.path} holds files that would be written over; nothing was changed: {listed(held, 4)}"
                raise RefusedError(said, hint="choose another folder, or remove these files first; --on-rows append adds rows")
        parent = self.path.parent
        try:
            parent.mkdir(parents=True, exist_ok=True)
            self._draft = Path(tempfile.mkdtemp(prefix=f".{self.path.name}.", suffix=".partial", dir=parent))
            self._draft.chmod(0o755)
        except OSError as error:
            raise TargetError(f"cannot write beside {self.path}: {(error.strerror or str(error)).lower()}") from None
        for name in plan.order if there is None else ():  # an entity without rows gets its file too
            self._writer(name)
            self.complete(name)

    def _rows_there(self, entity: Entity) -> int:
        file = self.format.file(self.path, entity.name)
        if not file.is_file():
            return 0
        with reading(file):
            return self.format.count(file, schema_of(self._planned(entity.name)))

    def _planned(self, entity: str) -> EntityPlan:
        assert self._plan is not None
        return self._plan.entities[entity]

    def convert(self, entity: str, batch: Any) -> Any:
        return self.format.encode(batch)

    def write(self, entity: str, converted: Any) -> None:
        self._writer(entity).write(converted)

    def _writer(self, entity: str) -> Writer:
        if entity not in self._open:
            assert self._draft is not None
            earlier = self.format.file(self.path, entity) if self._adds else None
            file = self.format.file(self._draft, entity)
            self._open[entity] = self.format.open(file, schema_of(self._planned(entity)), earlier)
        return self._open[entity]

    def complete(self, entity: str) -> None:
        if entity in self._open:
            self._open.pop(entity).close()

    def finish(self, receipt: Receipt) -> None:
        assert self._draft is not None
        (self._draft / RECEIPT).write_text(receipt.to_json(), "utf-8")
        if not self.path.exists():
            self._draft.rename(self.path)
        else:
            files = sorted(self._draft.iterdir(), key=lambda file: file.name == RECEIPT)
            for file in files:
                file.rename(self.path / file.name)
            self._draft.rmdir()
        self._draft = None

    def abandon(self) -> None:
        for name in list(self._open):
            with suppress(OSError, pa.ArrowException):  # a full disk cannot take the last bytes either; the file goes anyway
                self.complete(name)
        if self._draft is not None:
            shutil.rmtree(self._draft, ignore_errors=True)
            self._draft = None
