"""Commands in processes of their own, that can be killed or run out of room: forked from one which has loaded the package, since
loading it takes longer than most of what they do."""

from __future__ import annotations

import os
import resource
import signal
import subprocess
import sys
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from tempfile import mkdtemp

_CONTEXT = get_context("forkserver")
_CONTEXT.set_forkserver_preload(
    ["weltigen.cli.fill", "weltigen.engine", "weltigen.planning", "weltigen.targets", "pyarrow.csv", "pyarrow.parquet", "sqlite3"]
)


@dataclass(frozen=True)
class Ended:
    """What became of a command: its exit code, and what it said."""

    returncode: int
    stdout: str
    stderr: str


class Started:
    """`weltigen` with some arguments, at work; `room`: how large a file it may write."""

    def __init__(self, *arguments: str, room: int | None = None) -> None:
        self._said = Path(mkdtemp(prefix="weltigen-said-"))
        self._process = _CONTEXT.Process(target=_begin, args=(arguments, str(self._said), room))
        self._process.start()

    def wait(self, timeout: float | None = None) -> int:
        """Its exit code; subprocess.TimeoutExpired where it is not done by then."""
        self._process.join(timeout)
        if self._process.exitcode is None:
            raise subprocess.TimeoutExpired("weltigen", timeout or 0)
        return self._process.exitcode

    def poll(self) -> int | None:
        return self._process.exitcode

    def send_signal(self, sent: signal.Signals) -> None:
        if self._process.exitcode is None and self._process.pid is not None:
            os.kill(self._process.pid, sent)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)

    def end(self, timeout: float | None = None) -> Ended:
        code = self.wait(timeout)
        told = [(self._said / name).read_text("utf-8") for name in ("out", "err")]
        for name in ("out", "err"):
            (self._said / name).unlink()
        self._said.rmdir()
        return Ended(code, *told)


def ended(*arguments: str, room: int | None = None) -> Ended:
    """What became of `weltigen` with some arguments."""
    return Started(*arguments, room=room).end()


def _begin(arguments: tuple[str, ...], said: str, room: int | None) -> None:
    from weltigen.cli.main import main

    for number, name in ((1, "out"), (2, "err")):
        os.dup2(os.open(f"{said}/{name}", os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), number)
    signal.signal(signal.SIGINT, signal.default_int_handler)  # which a shell lets what it starts in the background ignore
    if room is not None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (room, room))
    sys.argv = ["weltigen", *arguments]
    main(list(arguments))
