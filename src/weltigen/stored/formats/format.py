"""A format of files in a folder: how rows are written to a file, read back, counted, and asked by SQL. Formats register here."""

from __future__ import annotations

import zlib
from abc import ABC, abstractmethod
from binascii import b2a_base64
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from copy import copy
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar, Protocol

import pyarrow as pa

from ...model.problems import UnreadableError, UsageError, nearest
from ..file_names import file_stem, files_told

Batch = Any  # pyarrow.RecordBatch
Schema = Any  # pyarrow.Schema
Table = Any  # pyarrow.Table


class Writer(Protocol):
    """One file while it is written."""

    def write(self, encoded: Any, /) -> object:
        """Add a batch, encoded by the format."""

    def close(self) -> None: ...


@dataclass(frozen=True, slots=True)
class Scan:
    """What stands after FROM where DuckDB reads a file; with `as_text` all columns are texts, as they are written."""

    sql: str
    as_text: bool = False


BYTES = ("base64", "hex")  # how bytes are spelled in texts


def bytes_column(column: Any, spelling: str) -> Any:
    """Bytes as texts: in base64 (RFC 4648), which every language reads, or `\\x0a1b`, which PostgreSQL takes as they are."""
    if spelling == "hex":
        return pa.array([None if value is None else rf"\x{value.hex()}" for value in column.to_pylist()], pa.string())
    return pa.array(
        [None if value is None else b2a_base64(value, newline=False).decode() for value in column.to_pylist()], pa.string()
    )


class Format(ABC):
    """One file for each entity, its name and then `.name`. `typed`: values keep their types, so such a file is read first."""

    name: ClassVar[str]
    typed: ClassVar[bool] = False
    appendable: ClassVar[bool] = False  # a file is a head and then the encoded batches, byte by byte
    bytes: str = "base64"  # see BYTES

    def file(self, folder: Path, stem: str) -> Path:
        """The file of an entity by the name that `file_names` makes of the entity's."""
        return folder / f"{stem}.{self.name}"

    @abstractmethod
    def encode(self, batch: Batch) -> Any:
        """A batch as its writer takes it. Runs beside the making of the next batch."""

    @abstractmethod
    def open(self, file: Path, schema: Schema, earlier: Path | None = None) -> Writer:
        """A new file, which begins with the rows of the `earlier` one."""

    @abstractmethod
    def read(self, file: Path, schema: Schema) -> Table:
        """All rows, in the types of the schema; OSError or pyarrow.ArrowException where that cannot be."""

    @abstractmethod
    def count(self, file: Path, schema: Schema) -> int:
        """How many rows a file holds."""

    @abstractmethod
    def scan(self, file: Path, names: Sequence[str]) -> Scan:
        """How DuckDB reads a file; `names` are the columns that it should hold, for formats that do not name them."""


_FORMATS: dict[str, Format] = {}


def register(format: Format) -> None:
    """Make a format known."""
    _FORMATS[format.name] = format


def format_names() -> tuple[str, ...]:
    return tuple(sorted(_FORMATS))


def get_format(name: str) -> Format:
    """The format of a name; UsageError with the nearest right word without one."""
    if name not in _FORMATS:
        raise UsageError(f"there is no format '{name}'", hint=nearest(name, format_names()))
    return _FORMATS[name]


def spelling(format: Format, bytes: str) -> Format:
    """The format with bytes spelled otherwise; UsageError where there is no such way."""
    if bytes not in BYTES:
        raise UsageError(f"bytes are spelled as {' or '.join(BYTES)}, not '{bytes}'")
    if format.typed:
        raise UsageError(f"{format.name} holds bytes as they are", hint="leave out --bytes")
    spelled = copy(format)
    spelled.bytes = bytes
    return spelled


def format_of_folder(folder: Path) -> Format | None:
    """The format of the files that lie in a folder, typed ones first; None where there are none."""
    return next((format for format in _in_order() if any(folder.glob(f"*.{format.name}"))), None)


def stored_file(folder: Path, entity: str) -> tuple[Format, Path] | None:
    """The file that holds an entity's rows, as the receipt tells or by its name; None where there is none."""
    told = files_told(folder).get(entity)
    if told is not None:
        by_ending = (format for format in _in_order() if told.endswith(f".{format.name}"))
        return next(((format, folder / told) for format in by_ending if (folder / told).is_file()), None)
    found = ((format, format.file(folder, file_stem(entity))) for format in _in_order())
    return next(((format, file) for format, file in found if file.is_file()), None)


@contextmanager
def reading(file: Path) -> Iterator[None]:
    """UnreadableError for whatever a format raises over a file that is broken, cut off, or of another format."""
    try:
        yield
    except (OSError, EOFError, ValueError, zlib.error, pa.ArrowException) as error:
        said = str(error).splitlines()[0].strip() if str(error) else type(error).__name__
        raise UnreadableError(f"{file}: {said}", hint="the file is broken, or was not written as its ending says") from None


def _in_order() -> list[Format]:
    return sorted(_FORMATS.values(), key=lambda format: (not format.typed, format.name))
