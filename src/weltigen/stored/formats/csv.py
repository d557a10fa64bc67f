"""CSV (RFC 4180): texts in quotes, an empty cell for null, so that an empty text shows its quotes."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ...model.literals import write_array
from ...model.written_moments import in_seconds
from ..names import literal
from .format import Batch, Format, Scan, Schema, Table, Writer, bytes_column, register

_OPTIONS = "all_varchar = true, header = true, quote = '\"', escape = '\"', delim = ',', allow_quoted_nulls = false"


class Csv(Format):
    name = "csv"
    appendable = True

    def encode(self, batch: Batch) -> Any:
        import pyarrow.csv as arrow_csv

        out = pa.BufferOutputStream()
        arrow_csv.write_csv(_plain(batch, self.bytes), out, arrow_csv.WriteOptions(include_header=False))
        return out.getvalue()

    def open(self, file: Path, schema: Schema, earlier: Path | None = None) -> Writer:
        if earlier is not None:
            shutil.copyfile(earlier, file)
            return file.open("ab")
        stream = file.open("wb")
        names = (name.replace('"', '""') for name in schema.names)
        stream.write((",".join(f'"{name}"' for name in names) + "\n").encode())
        return stream

    def read(self, file: Path, schema: Schema) -> Table:
        import pyarrow.csv as arrow_csv

        odd = {f.name for f in schema if pa.types.is_binary(f.type) or pa.types.is_list(f.type)}
        types = {f.name: pa.string() if f.name in odd else f.type for f in schema}
        options = arrow_csv.ConvertOptions(
            column_types=types, strings_can_be_null=True, quoted_strings_can_be_null=False, null_values=[""]
        )
        # a null alone in its row is an empty line
        lines = arrow_csv.ParseOptions(newlines_in_values=True, ignore_empty_lines=False)
        return arrow_csv.read_csv(file, parse_options=lines, convert_options=options)

    def count(self, file: Path, schema: Schema) -> int:
        return int(self.read(file, schema).num_rows)

    def scan(self, file: Path, names: Sequence[str]) -> Scan:
        return Scan(f"read_csv({literal(str(file))}, {_OPTIONS})", as_text=True)


def _plain(batch: Batch, bytes: str) -> Batch:
    """The batch with columns that CSV can hold: zoned times in UTC with a Z, bytes and lists as texts.

    Arrow writes zoned times thirty times slower than naive ones, so they are made naive first.
    """
    columns, names = [], batch.schema.names
    for column in batch.columns:
        arrow = column.type
        if pa.types.is_timestamp(arrow) and arrow.tz is not None:
            column = pc.binary_join_element_wise(in_seconds(column.cast(pa.timestamp("us"))).cast(pa.string()), "Z", "")
        elif pa.types.is_timestamp(arrow) or pa.types.is_time64(arrow):
            column = in_seconds(column)
        elif pa.types.is_binary(arrow):
            column = bytes_column(column, bytes)
        elif pa.types.is_list(arrow):
            column = pa.array([None if value is None else write_array(value) for value in column.to_pylist()], pa.string())
        columns.append(column)
    return pa.RecordBatch.from_arrays(columns, names=names)


register(Csv())
