"""Apache Parquet, compressed with zstd; columns keep their types."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ..names import literal
from .format import Batch, Format, Scan, Schema, Table, Writer, register

_ROWS = 65_536  # rows of an earlier file that are copied at a time


class Parquet(Format):
    name = "parquet"
    typed = True

    def encode(self, batch: Batch) -> Batch:
        return batch

    def open(self, file: Path, schema: Schema, earlier: Path | None = None) -> Writer:
        import pyarrow.parquet as parquet

        writer: Writer = parquet.ParquetWriter(file, schema, compression="zstd")
        if earlier is not None:
            with parquet.ParquetFile(earlier) as before:
                for batch in before.iter_batches(_ROWS):
                    writer.write(batch.cast(schema))
        return writer

    def read(self, file: Path, schema: Schema) -> Table:
        import pyarrow.parquet as parquet

        return parquet.read_table(file, columns=schema.names).cast(schema)

    def count(self, file: Path, schema: Schema) -> int:
        import pyarrow.parquet as parquet

        return int(parquet.read_metadata(file).num_rows)

    def scan(self, file: Path, names: Sequence[str]) -> Scan:
        return Scan(f"read_parquet({literal(str(file))})")


register(Parquet())
