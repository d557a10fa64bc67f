"""One run at a time into one place: the second is refused, and what a killed run left beside it goes."""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from ..model.problems import RefusedError

try:
    import fcntl
except ImportError:  # Windows knows no such locks; there the second run fails when it moves its files
    fcntl = None  # type: ignore[assignment]


class Lock:
    """Held from before the first byte until all is in its place. The system lets go of it when a process dies."""

    def __init__(self, place: Path) -> None:
        self.file = place.with_name(f".{place.name}.lock")
        self._place, self._held = place, -1

    def take(self, keep: Callable[[Path], bool] = lambda left: False) -> None:
        """RefusedError where another run writes there; else what killed runs left goes, but for what somebody keeps."""
        if fcntl is not None:
            while True:
                self._held = os.open(self.file, os.O_RDWR | os.O_CREAT, 0o644)
                try:
                    fcntl.flock(self._held, fcntl.LOCK_EX | fcntl.LOCK_NB)
                except OSError:
                    os.close(self._held)
                    self._held = -1
                    said = f"another run is writing to {self._place}; nothing was changed"
                    raise RefusedError(said, hint="wait until it ends, or choose another place") from None
                with suppress(OSError):
                    if os.fstat(self._held).st_ino == self.file.stat().st_ino:
                        break  # nobody has removed it meanwhile
                os.close(self._held)
        ours = re.compile(
            rf"\.{re.escape(self._place.name)}\.(\w+|\d+\.\d+)\.partial"
        )  # not those of a place beside it: name.new
        for left in sorted(self._place.parent.glob(".*.partial")):
            if keep(left) or not ours.fullmatch(left.name):
                continue
            shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)

    def release(self) -> None:
        if self._held >= 0:
            self.file.unlink(missing_ok=True)
            os.close(self._held)
            self._held = -1
