"""A folder with one file for each entity, in one format, and the receipt beside them."""

from __future__ import annotations

import os
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
from .making import Journal, begun_in, journal_name
from .target import Begun, Intent, rows_to_write


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
        self._journal: Journal | None = None
        self._begun: Mapping[str, Begun] = {}
        self._last: Any = None  # what was written last

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
        name = journal_name(plan, self.format.name, self.format.bytes) if there is None else ""
        try:
            self._lock.take(lambda left: bool(name) and self._adopts(left, name))
            if self._draft is None:
                self._draft = Path(tempfile.mkdtemp(prefix=f".{self.path.name}.", suffix=".partial", dir=parent))
                self._draft.chmod(0o755)
            if name:
                self._journal = Journal(self._draft, name)
                self._journal.begin(self._begun)
        except OSError as error:
            self._lock.release()
            raise TargetError(f"cannot write beside {self.path}: {(error.strerror or str(error)).lower()}") from None
        for entity in plan.order if there is None else ():  # an entity without rows gets its file too
            if entity not in self._begun or not self._begun[entity].rows:
                self._writer(entity)
                self._open.pop(entity).close()

    def _adopts(self, left: Path, name: str) -> bool:
        """Whether what a killed run left is of the same command, so that this one goes on with it."""
        assert self._plan is not None
        if self._draft is not None or not left.is_dir():
            return False
        files = {entity: self._file(left, entity) for entity in self._plan.order}
        found = begun_in(left, name, files, self.format.appendable)
        if found is None:
            return False
        self._draft, self._begun = left, found
        return True

    def begun(self) -> Mapping[str, Begun]:
        return self._begun

    def note(self, entity: str, rows: int, digest: bytes) -> None:
        if self._journal is not None:
            writer = self._open[entity]
            content, end = (self._last, writer.tell()) if self.format.appendable else (None, 0)  # type: ignore[attr-defined]
            if self.format.appendable:
                writer.flush()  # type: ignore[attr-defined]
            self._journal.block(entity, rows, digest, content, end)

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
        self._last = converted
        self._writer(entity).write(converted)

    def _writer(self, entity: str) -> Writer:
        if entity not in self._open:
            assert self._draft is not None
            earlier = self._file(self.path, entity) if self._adds else None
            file = self._file(self._draft, entity)
            one = self._begun.get(entity)
            if one is not None and one.rows and self.format.appendable:
                os.truncate(file, one.end)
                self._open[entity] = file.open("ab")
            else:
                self._open[entity] = self.format.open(file, schema_of(self._planned(entity)), earlier)
        return self._open[entity]

    def complete(self, entity: str) -> None:
        if entity in self._open:
            self._open.pop(entity).close()
            if self._journal is not None and self._draft is not None:
                self._journal.whole(entity, self._file(self._draft, entity))

    def finish(self, receipt: Receipt) -> None:
        assert self._draft is not None
        if self._journal is not None:
            self._journal.end()
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
        if self._journal is not None:
            self._journal.close()
        if self._draft is not None:
            shutil.rmtree(self._draft, ignore_errors=True)
            self._draft = None
        self._lock.release()
