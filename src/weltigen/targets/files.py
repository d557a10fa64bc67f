"""A folder with one file for each entity, as CSV or Parquet, and the receipt beside them."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ..engine import schema_of
from ..model import Entity
from ..model.phrases import listed
from ..model.problems import RefusedError, TargetError, UnreadableError, UsageError, nearest
from ..plan import Plan
from .receipt import Receipt
from .there import refuse_others

FORMATS = ("csv", "parquet")
RECEIPT = "receipt.json"


def stored_format(path: Path) -> str | None:
    """The format of the files in a folder that `fill` wrote; None where there are none."""
    return next((format for format in FORMATS if any(path.glob(f"*.{format}"))), None)


class FolderTarget:
    """Files are written in a hidden folder beside the final place and moved there, the receipt last, once all are whole."""

    def __init__(self, path: Path, format: str) -> None:
        if format not in FORMATS:
            raise UsageError(f"there is no format '{format}'", hint=nearest(format, FORMATS))
        self.path, self.format, self.name = path, format, f"{path}/"
        self._draft: Path | None = None
        self._open: tuple[str, Any] | None = None
        self._plan: Plan | None = None
        self._adds = False  # behind the rows that are there

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        self._plan, self._adds = plan, there is not None
        if there is not None:
            if (stored := stored_format(self.path)) not in (self.format, None):
                raise UsageError(f"the files in {self.path} are {stored}, not {self.format}", hint="leave out the format")
            refuse_others(str(self.path), there, {name: self._rows_there(plan.world.entity(name)) for name in there})
        elif self.path.is_dir():
            wanted = {RECEIPT, *(f"{name}.{self.format}" for name in plan.order)}
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
            self._start(name)
            self._close()

    def _rows_there(self, entity: Entity) -> int:
        file = self.path / f"{entity.name}.{self.format}"
        if not file.is_file():
            return 0
        if self.format == "parquet":
            import pyarrow.parquet as parquet

            return int(parquet.read_metadata(file).num_rows)
        return int(read_folder_table(self.path, entity).num_rows)

    def convert(self, entity: str, batch: Any) -> Any:
        if self.format == "parquet":
            return batch
        import pyarrow.csv as arrow_csv

        out = pa.BufferOutputStream()
        arrow_csv.write_csv(plain_columns(batch), out, arrow_csv.WriteOptions(include_header=False))
        return out.getvalue()

    def write(self, entity: str, converted: Any) -> None:
        if self._open is None or self._open[0] != entity:
            self._close()
            self._start(entity)
        assert self._open is not None
        writer = self._open[1]
        if self.format == "parquet":
            writer.write_batch(converted)
        else:
            writer.write(converted)

    def _start(self, entity: str) -> None:
        assert self._draft is not None and self._plan is not None
        file = self._draft / f"{entity}.{self.format}"
        schema, there = schema_of(self._plan.entities[entity]), self.path / file.name
        if self.format == "parquet":
            import pyarrow.parquet as parquet

            writer = parquet.ParquetWriter(file, schema, compression="zstd")
            self._open = (entity, writer)
            if self._adds:
                with parquet.ParquetFile(there) as earlier:
                    for batch in earlier.iter_batches(65_536):
                        writer.write_batch(batch.cast(schema))
            return
        if self._adds:
            shutil.copyfile(there, file)
            self._open = (entity, file.open("ab"))
            return
        stream = file.open("wb")
        stream.write((",".join(f'"{name}"' for name in schema.names) + "\n").encode())
        self._open = (entity, stream)

    def _close(self) -> None:
        if self._open is not None:
            writer, self._open = self._open[1], None
            writer.close()

    def finish(self, receipt: Receipt) -> None:
        self._close()
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
        try:
            self._close()
        except (OSError, pa.ArrowException):
            self._open = None  # a full disk cannot take the last bytes either; the file goes anyway
        if self._draft is not None:
            shutil.rmtree(self._draft, ignore_errors=True)
            self._draft = None


def plain_columns(batch: Any) -> Any:
    """The batch with columns that CSV can write: zoned times in UTC with a Z, bytes as hexadecimal, lists as text.

    Arrow writes zoned times thirty times slower than naive ones, so they are made naive first.
    """
    columns, names = [], batch.schema.names
    for column in batch.columns:
        kind = column.type
        if pa.types.is_timestamp(kind) and kind.tz is not None:
            text = column.cast(pa.timestamp("us")).cast(pa.string())
            column = pc.binary_join_element_wise(text, "Z", "")
        elif pa.types.is_binary(kind):
            column = pa.array([None if value is None else value.hex() for value in column.to_pylist()], pa.string())
        elif pa.types.is_list(kind):
            column = pa.array([None if value is None else str(value) for value in column.to_pylist()], pa.string())
        columns.append(column)
    return pa.RecordBatch.from_arrays(columns, names=names)


def read_folder_table(path: Path, entity: Entity) -> Any:
    """One entity's file as an Arrow table; UnreadableError where it is not there or does not parse."""
    schema = pa.schema([(f.name, f.type.arrow()) for f in entity.fields if f.generated is None])
    try:
        if (file := path / f"{entity.name}.parquet").is_file():
            import pyarrow.parquet as parquet

            return parquet.read_table(file, columns=schema.names).cast(schema)
        import pyarrow.csv as arrow_csv

        file = path / f"{entity.name}.csv"
        odd = {f.name for f in schema if pa.types.is_binary(f.type) or pa.types.is_list(f.type)}
        types = {f.name: pa.string() if f.name in odd else f.type for f in schema}
        options = arrow_csv.ConvertOptions(
            column_types=types, strings_can_be_null=True, quoted_strings_can_be_null=False, null_values=[""]
        )
        return arrow_csv.read_csv(file, convert_options=options)
    except (OSError, pa.ArrowException) as error:
        raise UnreadableError(f"{path / entity.name}.*: {str(error).splitlines()[0]}") from None
