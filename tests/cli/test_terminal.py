"""In a terminal: what is wrong is broken between words, tables fit, and a command that is there to be copied stays whole."""

from __future__ import annotations

import os
import pty
import re
import struct
import sys
from fcntl import ioctl
from pathlib import Path
from select import select
from subprocess import Popen
from termios import TIOCSWINSZ

import pytest

LONG = "".join(
    f"CREATE TABLE lighthouse_number_{at} (id integer PRIMARY KEY, keeper_{at} integer REFERENCES keeper_of_the_north);"
    for at in range(9)
)


def shown(arguments: list[str], folder: Path, columns: int) -> list[str]:
    """The lines that a command shows in a terminal of so many columns, without colours."""
    own, theirs = pty.openpty()
    ioctl(theirs, TIOCSWINSZ, struct.pack("HHHH", 40, columns, 0, 0))
    env = {**os.environ, "TERM": "xterm", "COLUMNS": str(columns)}
    with Popen(
        [sys.executable, "-m", "weltigen", *arguments], stdout=theirs, stderr=theirs, stdin=theirs, cwd=folder, env=env
    ) as process:
        os.close(theirs)
        said = b""
        while select([own], [], [], 60)[0]:
            try:
                more = os.read(own, 65_536)
            except OSError:  # Linux says so at the end
                break
            if not more:
                break
            said += more
        process.wait()
    os.close(own)
    plain = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", said.decode()).replace("\r\n", "\n").rstrip("\n")
    return [line.rpartition("\r")[2] for line in plain.split("\n")]  # what shows progress is written over


@pytest.mark.parametrize("columns", [72, 100, 140])
def test_what_is_wrong_is_broken_between_words(columns: int, tmp_path: Path) -> None:
    (tmp_path / "model.sql").write_text(LONG)
    lines = shown(["explain", "model.sql"], tmp_path, columns)
    assert all(len(line) <= columns for line in lines), max(lines, key=len)
    whole = re.sub(r"\s+", " ", " ".join(lines))
    for at in range(9):
        assert f"lighthouse_number_{at}.keeper_{at} refers to 'keeper_of_the_north', which is declared nowhere" in whole


@pytest.mark.parametrize("columns", [72, 120])
def test_tables_fit_and_commands_stay_whole(columns: int, tmp_path: Path) -> None:
    (tmp_path / "model.sql").write_text(LONG.replace("keeper_of_the_north", "lighthouse_number_0"))
    for arguments in (
        ["explain", "model.sql"],
        ["explain", "model.sql", "lighthouse_number_3"],
        ["fill", "model.sql", "--into", "rows.sqlite"],
    ):
        lines = shown(arguments, tmp_path, columns)
        assert all(len(line) <= columns or "weltigen " in line for line in lines), max(lines, key=len)
    again = shown(["fill", "model.sql", "--into", "rows.sqlite"], tmp_path, columns)
    hint = [line for line in again if "--on-rows" in line]
    assert len(hint) == 1 and "replace --confirm rows.sqlite" in hint[0]  # one line, however long
