"""JSON Lines: one JSON object (RFC 8259) a row and line, plain or compressed by gzip (RFC 1952).

Numbers have all their digits, dates and times are ISO 8601, a null is written as null. Bytes are hexadecimal texts; what the
model calls JSON is part of the object, not a text within it.
"""

from __future__ import annotations

import gzip
import json
import shutil
from collections.abc import Sequence
from itertools import chain
from pathlib import Path
from typing import IO, Any

import pyarrow as pa
import pyarrow.compute as pc

from ..names import literal, quoted
from .format import Batch, Format, Scan, Schema, Table, Writer, bytes_column, register

_ESCAPED = {"\\": "\\\\", '"': '\\"', "\n": "\\n", "\r": "\\r", "\t": "\\t"}
_CONTROLS = {chr(code): f"\\u{code:04x}" for code in range(0x20) if chr(code) not in _ESCAPED}
_MOST_BYTES = 1 << 28  # of one object


class JsonLines(Format):
    name = "jsonl"
    compression = "uncompressed"
    appendable = True

    def encode(self, batch: Batch) -> Any:
        if not batch.num_rows:
            return b""
        keys = [f"{',' if at else '{'}{json.dumps(field.name, ensure_ascii=False)}:" for at, field in enumerate(batch.schema)]
        values = [_as_json(column, field, self.bytes) for column, field in zip(batch.columns, batch.schema, strict=True)]
        parts = chain.from_iterable(zip(map(pa.scalar, keys), values, strict=True))
        lines = pc.binary_join_element_wise(*parts, "}\n", "", null_handling="replace", null_replacement="null")
        texts = lines.buffers()[2]
        assert texts is not None
        return memoryview(texts)[: pc.sum(pc.binary_length(lines)).as_py()]

    def open(self, file: Path, schema: Schema, earlier: Path | None = None) -> Writer:
        if earlier is None:
            return file.open("wb")
        shutil.copyfile(earlier, file)
        return file.open("ab")

    def read(self, file: Path, schema: Schema) -> Table:
        import duckdb

        with duckdb.connect(":memory:") as connection:
            scan = self.scan(file, schema.names)
            try:
                found = connection.sql(f"SELECT * FROM {scan.sql}").to_arrow_table()
            except duckdb.Error as error:
                raise pa.ArrowInvalid(str(error)) from None
        return pa.table([_read(found[field.name], field.type) for field in schema], names=schema.names)

    def count(self, file: Path, schema: Schema) -> int:
        with self._reading(file) as lines:
            return sum(1 for _ in lines)

    def _reading(self, file: Path) -> IO[bytes] | gzip.GzipFile:
        return file.open("rb")

    def scan(self, file: Path, names: Sequence[str]) -> Scan:
        with self._reading(file) as lines:
            first = lines.readline()
        try:
            held = [name for name in names if name in json.loads(first)] if first.strip() else list(names)
        except (ValueError, TypeError):
            raise pa.ArrowInvalid("the first line is not a JSON object") from None
        options = f"format = 'newline_delimited', compression = '{self.compression}', maximum_object_size = {_MOST_BYTES}"
        columns = ", ".join(f"{_value_of(name)} AS {quoted(name)}" for name in held) or "NULL AS nothing"
        return Scan(f"(SELECT {columns} FROM read_json_objects({literal(str(file))}, {options}))", as_text=True)


class CompressedJsonLines(JsonLines):
    name = "jsonl.gz"
    compression = "gzip"
    appendable = False

    def encode(self, batch: Batch) -> Any:
        return gzip.compress(super().encode(batch), compresslevel=6, mtime=0)  # members one after the other are one file

    def open(self, file: Path, schema: Schema, earlier: Path | None = None) -> Writer:
        return _Compressed(super().open(file, schema, earlier), bare=earlier is None)

    def _reading(self, file: Path) -> gzip.GzipFile:
        return gzip.open(file, "rb")


class _Compressed:
    """A file without rows holds an empty member: nothing at all would be no compressed file."""

    def __init__(self, writer: Writer, bare: bool) -> None:
        self._writer, self._bare = writer, bare

    def write(self, encoded: Any, /) -> object:
        self._bare = False
        return self._writer.write(encoded)

    def close(self) -> None:
        if self._bare:
            self._writer.write(gzip.compress(b"", mtime=0))
        self._writer.close()


def _value_of(name: str) -> str:
    """A member as a text. A number is cut out of the line, since DuckDB knows it by 17 digits only."""
    member = literal(json.dumps(name, ensure_ascii=False)[1:-1])
    path = literal(f"$.{json.dumps(name, ensure_ascii=False)}")
    key = "".join(f"\\{c}" if not c.isalnum() and c.isascii() else c for c in json.dumps(name, ensure_ascii=False))
    number = literal(f"[{{,]\\s*{key}\\s*:\\s*(-?[0-9.]+(?:[eE][-+]?[0-9]+)?)")
    kinds = "('BIGINT', 'UBIGINT', 'HUGEINT', 'DOUBLE')"
    plain = f"json_extract_string(json, {path})" if not name.isidentifier() else f"(json ->> {member})"
    return f"CASE WHEN json_type(json, {path}) IN {kinds} THEN regexp_extract(json, {number}, 1) ELSE {plain} END"


def _read(texts: Any, arrow: Any) -> Any:
    """Texts in a type; bytes and lists stay texts, as they do in CSV."""
    if pa.types.is_binary(arrow) or pa.types.is_list(arrow):
        return texts
    if pa.types.is_time(arrow):  # Arrow reads moments, but no times of day
        return pc.binary_join_element_wise("1970-01-01T", texts, "").cast(pa.timestamp("us")).cast(arrow)
    return texts.cast(arrow)


def _as_json(column: Any, field: Any, bytes: str) -> Any:
    """A column as the JSON texts of its values; nulls stay nulls."""
    arrow = column.type
    if pa.types.is_timestamp(arrow):
        text = pc.replace_substring(_whole_seconds(column.cast(pa.timestamp("us"))), " ", "T")
        return _in_quotes(pc.binary_join_element_wise(text, "Z", "") if arrow.tz is not None else text)
    if pa.types.is_temporal(arrow):
        return _in_quotes(_whole_seconds(column))
    if pa.types.is_binary(arrow):
        return _in_quotes(_escaped(bytes_column(column, bytes)))
    if pa.types.is_nested(arrow):
        texts = [None if value is None else json.dumps(value, ensure_ascii=False, default=str) for value in column.to_pylist()]
        return pa.array(texts, pa.string())
    if not pa.types.is_string(arrow):
        return column.cast(pa.string())
    if field.metadata and field.metadata.get(b"sql") == b"json" and _all_json(column):
        return pc.replace_substring_regex(column, r"[\r\n]", " ")  # outside of texts, where these are escaped
    return _in_quotes(_escaped(column))


def _whole_seconds(moments: Any) -> Any:
    """Moments as texts, with decimals only where there are any."""
    return pc.replace_substring_regex(moments.cast(pa.string()), r"\.0+$", "")


def _all_json(column: Any) -> bool:
    try:
        return all(json.loads(text) is not Ellipsis for text in column.drop_null().unique().to_pylist())
    except ValueError:
        return False


def _escaped(column: Any) -> Any:
    if not pc.any(pc.match_substring_regex(column, r'[\x00-\x1f"\\]')).as_py():
        return column
    controls = _CONTROLS if pc.any(pc.match_substring_regex(column, r"[\x00-\x08\x0b\x0c\x0e-\x1f]")).as_py() else {}
    for character, text in (_ESCAPED | controls).items():
        column = pc.replace_substring(column, character, text)
    return column


def _in_quotes(column: Any) -> Any:
    return pc.binary_join_element_wise('"', column, '"', "")


register(JsonLines())
register(CompressedJsonLines())
