"""Field types, named as SQL names them, and the Arrow type that holds each."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache
from typing import Any, assert_never


class TypeName(StrEnum):
    SMALLINT = "smallint"
    INTEGER = "integer"
    BIGINT = "bigint"
    NUMERIC = "numeric"
    REAL = "real"
    DOUBLE = "double precision"
    BOOLEAN = "boolean"
    TEXT = "text"
    VARCHAR = "varchar"
    CHAR = "char"
    DATE = "date"
    TIME = "time"
    TIMESTAMP = "timestamp"
    TIMESTAMPTZ = "timestamptz"
    INTERVAL = "interval"
    UUID = "uuid"
    JSON = "json"
    BYTEA = "bytea"
    BIT = "bit"
    INET = "inet"
    MACADDR = "macaddr"
    ENUM = "enum"
    ARRAY = "array"
    OTHER = "other"


INTEGERS = frozenset({TypeName.SMALLINT, TypeName.INTEGER, TypeName.BIGINT})
FLOATS = frozenset({TypeName.REAL, TypeName.DOUBLE})
NUMBERS = INTEGERS | FLOATS | {TypeName.NUMERIC}
TEXTS = frozenset({TypeName.TEXT, TypeName.VARCHAR, TypeName.CHAR})
ORDERED = NUMBERS | {TypeName.DATE, TypeName.TIME, TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ}  # values that lie on an axis
MOMENTS = frozenset({TypeName.DATE, TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ})

INTEGER_BITS = {TypeName.SMALLINT: 16, TypeName.INTEGER: 32, TypeName.BIGINT: 64}
BARE_NUMERIC = (18, 4)  # `numeric` alone is unbounded in SQL; this is what we make for it


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldType:
    """An SQL type with its parameters; `declared` keeps the spelling of a type that we do not model.

    `spelled` is how the source wrote it, for tables that are created in a database of the same kind; it makes no type another.
    A moment may be kept as a text: `written` is the type of its column then, and what comes out are texts (ISO 8601).

    The `precision` of a moment is the bits of its seconds since 1970, where these are few (MySQL's TIMESTAMP). A number lies
    between `least` and `most` where its type says more than its name does (MySQL's unsigned ones, its tinyint and its year).
    """

    name: TypeName
    length: int | None = None
    precision: int | None = None
    scale: int | None = None
    values: tuple[str, ...] = ()
    element: FieldType | None = None
    declared: str | None = None
    least: int | None = None
    most: int | None = None
    spelled: str | None = field(default=None, compare=False)
    written: FieldType | None = None

    @property
    def stored(self) -> FieldType:
        """The type of the column in which a database keeps the values."""
        return self.written or self

    def __str__(self) -> str:
        if self.written is not None:
            return str(self.written)
        match self.name:
            case TypeName.NUMERIC if self.precision is not None:
                return f"numeric({self.precision},{self.scale or 0})"
            case TypeName.VARCHAR | TypeName.CHAR | TypeName.BYTEA | TypeName.BIT if self.length is not None:
                return f"{self.name}({self.length})"
            case TypeName.ARRAY if self.element:
                return f"{self.element}[]"
            case _ if self.declared:
                return self.declared
            case _:
                return str(self.name)

    @property
    def digits(self) -> tuple[int, int]:
        """Precision and scale of a numeric type."""
        if self.precision is None:
            return BARE_NUMERIC
        precision = min(max(self.precision, self.scale or 0, 1), 38)  # some databases allow more decimals than digits
        return precision, min(self.scale or 0, precision)

    @property
    def counts(self) -> bool:
        """Whether a key of this type may count up: it holds whole numbers alone, `numeric(10)` among them."""
        return self.name in INTEGERS or (
            self.name is TypeName.NUMERIC and self.precision is not None and self.digits[1] == 0 and not self.wide
        )

    @property
    def wide(self) -> bool:
        """Whether it holds decimals that do not fit 64 bits."""
        return self.name is TypeName.NUMERIC and self.digits[0] > 18 and self.precision is not None

    def arrow(self) -> Any:
        """The `pyarrow.DataType` of a column of this type."""
        return _arrow(self)


@lru_cache(maxsize=1024)
def _arrow(field_type: FieldType) -> Any:
    import pyarrow as pa

    match field_type.name:
        case TypeName.SMALLINT:
            return pa.int16()
        case TypeName.INTEGER:
            return pa.int32()
        case TypeName.BIGINT:
            return pa.int64()
        case TypeName.NUMERIC:
            return pa.decimal128(*field_type.digits)
        case TypeName.REAL:
            return pa.float32()
        case TypeName.DOUBLE:
            return pa.float64()
        case TypeName.BOOLEAN:
            return pa.bool_()
        case TypeName.DATE:
            return pa.date32()
        case TypeName.TIME:
            return pa.time64("us")
        case TypeName.TIMESTAMP:
            return pa.timestamp("us")
        case TypeName.TIMESTAMPTZ:
            return pa.timestamp("us", tz="UTC")
        case TypeName.BYTEA:
            return pa.binary()
        case TypeName.ARRAY:
            return pa.list_(_arrow(field_type.element) if field_type.element else pa.string())
        case TypeName.TEXT | TypeName.VARCHAR | TypeName.CHAR | TypeName.UUID | TypeName.JSON | TypeName.ENUM:
            return pa.string()
        case TypeName.INTERVAL | TypeName.BIT | TypeName.INET | TypeName.MACADDR | TypeName.OTHER:
            return pa.string()  # as the database writes them
        case _:
            assert_never(field_type.name)
