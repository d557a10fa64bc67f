"""A folder with one file for each entity, in one format, and the receipt beside them."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import pyarrow as pa

from ..engine import schema_of
from ..model import Entity
from ..model.phrases import listed
from ..model.problems import RefusedError, TargetError, UsageError
from ..plan import EntityPlan, Plan
from ..stored.file_names import RECEIPT, file_stems
from ..stored.formats import Format, Writer, format_of_folder, reading
from ..stored.receipts import Receipt
from .append_guard import refuse_changed_rows
from .locks import Lock
from .target import Intent, rows_to_write


class FolderTarget:
    """Files are written in a hidden folder beside the final place and moved there, the receipt last, once all are whole."""

    def __init__(self, path: Path, format: Format) -> None:
        self.path, self.format, self.name = path, format, f"{path}/"
        self._draft: Path | None = None
        self._lock = Lock(path)
        self.notes: tuple[str, ...] = ()
        self._stems: Mapping[str, str] = {}
        self._open: dict[str, Writer] = {}
        self._plan: Plan | None = None
        self._adds = False  # behind the rows that are there

    def intend(self, plan: Plan, there: Mapping[str, int] | None = None) -> Intent:
        self._look(plan, there)
        files = tuple(str(self._file(self.path, name)) for name in plan.order) if there is None else ()
        return Intent(target=self.name, creates=files, writes=rows_to_write(plan, there))

    def _look(self, plan: Plan, there: Mapping[str, int] | None) -> None:
        self._plan, self._adds = plan, there is not None
        self._stems = file_stems(plan.world.entity_names)
        if not self.path.parent.is_dir():
            raise UsageError(
                f"there is no folder {self.path.parent} to make {self.path.name} in", hint=f"mkdir -p {self.path.parent}"
            )
        if there is not None:
            stored = format_of_folder(self.path)
            if stored is not None and stored.name != self.format.name:
                said = f"the files in {self.path} are {stored.name}, not {self.format.name}"
                raise UsageError(said, hint="leave out the format")
            refuse_changed_rows(str(self.path), there, {name: self._rows_there(plan.world.entity(name)) for name in there})
        elif self.path.is_dir():
            wanted = {name.casefold() for name in (RECEIPT, *(self._file(self.path, name).name for name in plan.order))}
            held = sorted(p.name for p in self.path.iterdir() if p.name.casefold() in wanted)
            if held:
                said = f"{self.path} holds files that would be written over; nothing was changed: {listed(held, 4)}"
                raise RefusedError(said, hint="choose another folder, or remove these files first; --on-rows append adds rows")

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        self._look(plan, there)
        parent = self.path.parent
        try:
            self._lock.take()
            self._draft = Path(tempfile.mkdtemp(prefix=f".{self.path.name}.", suffix=".partial", dir=parent))
            self._draft.chmod(0o755)
        except OSError as error:
            self._lock.release()
            raise TargetError(f"cannot write beside {self.path}: {(error.strerror or str(error)).lower()}") from None
        for name in plan.order if there is None else ():  # an entity without rows gets its file too
            self._writer(name)
            self.complete(name)

    def _file(self, folder: Path, entity: str) -> Path:
        return self.format.file(folder, self._stems[entity])

    def _rows_there(self, entity: Entity) -> int:
        file = self._file(self.path, entity.name)
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
            earlier = self._file(self.path, entity) if self._adds else None
            file = self._file(self._draft, entity)
            self._open[entity] = self.format.open(file, schema_of(self._planned(entity)), earlier)
        return self._open[entity]

    def complete(self, entity: str) -> None:
        if entity in self._open:
            self._open.pop(entity).close()

    def finish(self, receipt: Receipt) -> None:
        assert self._draft is not None
        told = {name: self._file(self.path, name).name for name in receipt.rows}
        (self._draft / RECEIPT).write_text(replace(receipt, files=told).to_json(), "utf-8")
        if not self.path.exists():
            self._draft.rename(self.path)
        else:
            files = sorted(self._draft.iterdir(), key=lambda file: file.name == RECEIPT)
            for file in files:
                file.rename(self.path / file.name)
            self._draft.rmdir()
        self._draft = None
        self._lock.release()

    def abandon(self) -> None:
        for name in list(self._open):
            with suppress(OSError, pa.ArrowException):  # a full disk cannot take the last bytes either; the file goes anyway
                self.complete(name)
        if self._draft is not None:
            shutil.rmtree(self._draft, ignore_errors=True)
            self._draft = None
        self._lock.release()
