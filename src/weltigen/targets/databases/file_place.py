"""What database files share: one run at a time, a draft that is renamed when whole, and the receipt beside."""

from __future__ import annotations

import os
from abc import abstractmethod
from pathlib import Path

from ...model.problems import RefusedError, UsageError
from ...stored.receipts import Receipt, receipt_path
from ..locks import Lock
from .place import Place


class FilePlace(Place):
    """A file that is not there yet is written under another name; one that is there is changed in one transaction."""

    def __init__(self, path: Path) -> None:
        self.path, self.name, self.database = path, str(path), path.name
        self._lock = Lock(path)
        self._draft: Path | None = None
        self._replaces = False  # the draft is a copy of what is there

    def take(self) -> Path:
        """Hold the place; the file to work in."""
        if self.path.is_dir():
            raise RefusedError(f"{self.path} is a folder; a file was meant", hint="nothing was changed")
        if not self.path.parent.is_dir():
            said = f"there is no folder {self.path.parent} to make {self.path.name} in"
            raise UsageError(said, hint=f"mkdir -p {self.path.parent}")
        self._lock.take()
        if not self.path.exists() and not self.in_steps:
            self._draft = self.draft_path()
            self._draft.unlink(missing_ok=True)
        return self._draft or self.path

    def draft_path(self) -> Path:
        return self.path.with_name(f".{self.path.name}.{os.getpid()}.partial")

    @abstractmethod
    def commit_rows(self) -> None:
        """End the transaction, and let go of a draft."""

    def commit(self, receipt: Receipt) -> None:
        """Rows, file and receipt appear together; rows of others go into no receipt."""
        told = self._plan is None or not any(entity.there for entity in self._plan.world.entities)
        beside = receipt_path(self.path)
        written = beside.with_name(f".{beside.name}.{os.getpid()}.partial")
        try:
            written.write_text(receipt.to_json() if told else "", "utf-8")
            self.commit_rows()
            if self._draft is not None:
                if self.path.exists() and not self._replaces:
                    raise RefusedError(f"{self.path} appeared while it was being written; it was left alone")
                self._draft.replace(self.path)
                self._draft = None
        except BaseException:
            written.unlink(missing_ok=True)
            raise
        written.rename(beside) if told else written.unlink()

    def let_go(self) -> None:
        """Remove a draft that was not finished, and let others work in the place."""
        if self._draft is not None:
            for left in (self._draft, self._draft.with_name(f"{self._draft.name}.wal")):
                left.unlink(missing_ok=True)
            self._draft = None
        self._lock.release()
