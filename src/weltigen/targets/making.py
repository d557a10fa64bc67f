"""A folder in the making: a journal beside the files tells which blocks of which are whole, so that the same command goes on."""

from __future__ import annotations

import json
from collections.abc import Mapping
from hashlib import blake2b
from pathlib import Path
from typing import Any, BinaryIO

from ..model import FORMAT
from ..plan import Plan
from ..stored.receipts import Receipt
from .databases.ledger import run_name
from .target import Begun

JOURNAL = "making.jsonl"
_READ = 1 << 22  # bytes of a file that are looked at at once


class Journal:
    """One line for each block that is written, with a hash of its bytes; another for each file that is closed."""

    def __init__(self, folder: Path, name: str) -> None:
        self.path = folder / JOURNAL
        self._out: BinaryIO | None = None
        self._name = name

    def begin(self, begun: Mapping[str, Begun]) -> None:
        """A new journal, which tells first of what is gone on with."""
        self._out = self.path.open("wb", buffering=0)
        self._say({"run": self._name})
        for one in begun.values():
            self._out.write(b"".join(one.told))

    def block(self, entity: str, rows: int, digest: bytes, content: Any, end: int) -> None:
        mark = blake2b(content, digest_size=16).hexdigest() if content is not None else ""
        start = end - memoryview(content).nbytes if content is not None else 0
        self._say({"entity": entity, "rows": rows, "digest": digest.hex(), "bytes": mark, "start": start, "end": end})

    def whole(self, entity: str, file: Path) -> None:
        self._say({"entity": entity, "whole": _hashed(file, 0, file.stat().st_size)})

    def _say(self, what: dict[str, object]) -> None:
        if self._out is not None:
            self._out.write(json.dumps(what).encode() + b"\n")

    def end(self) -> None:
        if self._out is not None:
            self._out.close()
            self._out = None
        self.path.unlink(missing_ok=True)

    def close(self) -> None:
        if self._out is not None:
            self._out.close()
            self._out = None


def journal_name(plan: Plan, format: str, spelling: str) -> str:
    """By what a run into a folder is known: the same command with the same versions makes the same bytes."""
    versions = Receipt(world={}, seed=0, now="", parts=()).versions
    return json.dumps([FORMAT, run_name(plan), format, spelling, sorted(versions.items())])


def begun_in(folder: Path, name: str, files: dict[str, Path], appendable: bool) -> dict[str, Begun] | None:
    """What a run of that name left in a folder, as far as its files still are what the journal tells; None where another run left
    it."""
    try:
        lines = [json.loads(line) for line in (folder / JOURNAL).read_text("utf-8").splitlines() if line.endswith("}")]
    except (OSError, ValueError):
        return None
    if not lines or lines[0] != {"run": name}:
        return None
    begun: dict[str, Begun] = {}
    marks: dict[str, list[tuple[int, int, str]]] = {}
    for line in lines[1:]:
        entity = str(line.get("entity"))
        if entity not in files:
            return None
        one = begun.setdefault(entity, Begun())
        one.told.append(json.dumps(line).encode() + b"\n")
        if "whole" in line:
            file = files[entity]
            one.whole = file.is_file() and _hashed(file, 0, file.stat().st_size) == line["whole"]
            continue
        marks.setdefault(entity, []).append((line["start"], line["end"], line["bytes"]))
        one.rows, one.end = one.rows + line["rows"], line["end"]
        one.digests.append(bytes.fromhex(line["digest"]))
    for entity, one in begun.items():
        if one.whole:
            continue
        file = files[entity]
        if not appendable or not file.is_file() or not _as_told(file, marks.get(entity, [])):
            begun[entity] = Begun()
    return begun


def _as_told(file: Path, marks: list[tuple[int, int, str]]) -> bool:
    """Whether a file still begins with the blocks that were written."""
    if not marks or file.stat().st_size < marks[-1][1]:
        return False
    return all(_hashed(file, start, end) == mark for start, end, mark in marks)


def _hashed(file: Path, start: int, end: int) -> str:
    whole = blake2b(digest_size=16)
    with file.open("rb") as data:
        data.seek(start)
        left = end - start
        while left > 0 and (piece := data.read(min(_READ, left))):
            whole.update(piece)
            left -= len(piece)
    return whole.hexdigest()
