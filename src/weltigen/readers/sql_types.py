"""SQL types as sqlglot reads them, turned into field types."""

from __future__ import annotations

from typing import Any

from sqlglot import exp

from ..model.types import FieldType, TypeName

_T = exp.DataType.Type
# by name, since older releases of sqlglot lack a few of them
_SIMPLE = {
    TypeName.SMALLINT: "SMALLINT TINYINT UTINYINT SMALLSERIAL",
    TypeName.INTEGER: "INT MEDIUMINT USMALLINT UMEDIUMINT SERIAL YEAR",
    TypeName.BIGINT: "BIGINT UINT UBIGINT BIGSERIAL",
    TypeName.REAL: "FLOAT",
    TypeName.DOUBLE: "DOUBLE",
    TypeName.BOOLEAN: "BOOLEAN",
    TypeName.TEXT: "TEXT TINYTEXT MEDIUMTEXT LONGTEXT NAME",
    TypeName.DATE: "DATE DATE32",
    TypeName.TIME: "TIME",
    TypeName.TIMESTAMP: "TIMESTAMP DATETIME TIMESTAMPNTZ DATETIME2 SMALLDATETIME",
    TypeName.TIMESTAMPTZ: "TIMESTAMPTZ TIMESTAMPLTZ",
    TypeName.UUID: "UUID",
    TypeName.JSON: "JSON JSONB",
    TypeName.BYTEA: "VARBINARY BINARY BLOB TINYBLOB MEDIUMBLOB LONGBLOB",
}
_BY_TOKEN = {getattr(_T, token): name for name, tokens in _SIMPLE.items() for token in tokens.split() if hasattr(_T, token)}
SERIALS = frozenset({_T.SMALLSERIAL, _T.SERIAL, _T.BIGSERIAL})


def field_type(data_type: Any, enums: dict[str, tuple[str, ...]], dialect: str = "postgresql") -> FieldType:
    """The field type of a sqlglot DataType; `enums` are the enumerated types created so far, by folded name."""
    token = data_type.this
    if dialect == "sqlite" and token is _T.INT:
        return FieldType(name=TypeName.BIGINT)  # SQLite's integers have up to 64 bits
    numbers = [int(p.this.this) for p in data_type.expressions if isinstance(p, exp.DataTypeParam) and p.this.is_int]
    if token in (_T.VARCHAR, _T.NVARCHAR):
        return FieldType(name=TypeName.VARCHAR, length=numbers[0]) if numbers else FieldType(name=TypeName.TEXT)
    if token in (_T.CHAR, _T.NCHAR, _T.BPCHAR):
        return FieldType(name=TypeName.CHAR, length=numbers[0] if numbers else 1)
    if token in (_T.DECIMAL, _T.MONEY, _T.UDECIMAL):
        precision, scale = (*numbers, None, None)[:2]
        return FieldType(name=TypeName.NUMERIC, precision=precision, scale=(scale or 0) if precision else None)
    if token is _T.ARRAY:
        inner = data_type.expressions[0] if data_type.expressions else None
        return FieldType(name=TypeName.ARRAY, element=field_type(inner, enums) if inner is not None else None)
    if token is _T.ENUM:
        return FieldType(name=TypeName.ENUM, values=tuple(part.name for part in data_type.expressions))
    if token is _T.USERDEFINED:
        named = data_type.args.get("kind")
        name = named if isinstance(named, str) else named.name if named is not None else "unknown"
        if name.lower() in enums:
            return FieldType(name=TypeName.ENUM, values=enums[name.lower()])
        return FieldType(name=TypeName.OTHER, declared=name)
    if token in _BY_TOKEN:
        return FieldType(name=_BY_TOKEN[token])
    return FieldType(name=TypeName.OTHER, declared=data_type.sql())


def parse_type(text: str) -> FieldType:
    """The type that `text` names, as in `numeric(10,2)`; ValueError when it names none."""
    try:
        parsed = exp.DataType.build(text, dialect="postgres", udt=False)
    except Exception as error:  # sqlglot raises several classes for a type it does not know
        raise ValueError(f"'{text}' is no SQL type") from error
    kind = field_type(parsed, {})
    if kind.name is TypeName.OTHER:
        raise ValueError(f"'{text}' is no SQL type that is known here")
    return kind
