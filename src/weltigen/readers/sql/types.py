"""SQL types as the three databases spell them, turned into field types."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache

from ...model.types import NUMBERS, FieldType, TypeName
from .cursor import Cursor
from .dialects import dialect_named
from .tokens import Script

_NAMES = {
    TypeName.SMALLINT: "smallint int2 tinyint int1 smallserial serial2 year",
    TypeName.INTEGER: "integer int int4 mediumint int3 middleint serial serial4",
    TypeName.BIGINT: "bigint int8 bigserial serial8 identity oid xid xid8",
    TypeName.REAL: "real float4",
    TypeName.DOUBLE: "double float8 float",
    TypeName.NUMERIC: "numeric decimal dec fixed money number smallmoney",
    TypeName.BOOLEAN: "boolean bool",
    TypeName.CHAR: "char character nchar bpchar",
    TypeName.VARCHAR: "varchar varchar2 nvarchar string varcharacter",
    TypeName.TEXT: "text citext tinytext mediumtext longtext clob ntext long name",
    TypeName.DATE: "date",
    TypeName.TIME: "time timetz",
    TypeName.TIMESTAMP: "timestamp datetime datetime2 smalldatetime",
    TypeName.TIMESTAMPTZ: "timestamptz datetimeoffset",
    TypeName.INTERVAL: "interval",
    TypeName.UUID: "uuid uniqueidentifier",
    TypeName.JSON: "json jsonb",
    TypeName.BYTEA: "bytea blob tinyblob mediumblob longblob binary varbinary image",
    TypeName.BIT: "bit varbit",
    TypeName.INET: "inet cidr inet4 inet6",
    TypeName.MACADDR: "macaddr macaddr8",
    TypeName.ENUM: "enum",
}
_BY_NAME = {name: type_name for type_name, names in _NAMES.items() for name in names.split()}
# types that a database has and we can write a value of, but do not model further
_WRITTEN = frozenset(
    "tsvector tsquery xml point line lseg box path polygon circle geometry geography linestring multipoint multilinestring "
    "multipolygon geometrycollection int4range int8range numrange daterange tsrange tstzrange int4multirange int8multirange "
    "nummultirange datemultirange tsmultirange tstzmultirange hstore ltree lquery jsonpath pg_lsn regclass regtype regproc "
    "vector set".split()
)  # fmt: skip
_SERIALS = frozenset("smallserial serial2 serial serial4 bigserial serial8 identity".split())
# what stands behind a type's first word and belongs to it
_SECOND = {
    "DOUBLE": ("PRECISION",), "CHARACTER": ("VARYING", "LARGE"), "CHAR": ("VARYING", "BYTE"), "BIT": ("VARYING",),
    "BINARY": ("VARYING", "LARGE"), "NATIONAL": ("CHARACTER", "CHAR", "VARCHAR"), "LONG": ("VARCHAR", "VARBINARY"),
}  # fmt: skip
_INTERVAL_FIELDS = frozenset("YEAR MONTH DAY HOUR MINUTE SECOND TO".split())
_SIGNED = {"tinyint": (-128, 127), "int1": (-128, 127), "mediumint": (-8_388_608, 8_388_607), "int3": (-8_388_608, 8_388_607)}
_UNSIGNED = {
    "tinyint": (TypeName.SMALLINT, 255), "smallint": (TypeName.INTEGER, 65_535), "mediumint": (TypeName.INTEGER, 16_777_215),
    "int": (TypeName.BIGINT, 4_294_967_295), "integer": (TypeName.BIGINT, 4_294_967_295), "bigint": (TypeName.BIGINT, None),
}  # fmt: skip
YEARS = 1901, 2155  # of MySQL's YEAR
_TEXT_ROOM = {"tinytext": 255, "name": 63}
NOT_A_TYPE = frozenset(
    "CONSTRAINT PRIMARY UNIQUE NOT NULL CHECK DEFAULT COLLATE REFERENCES GENERATED AS AUTO_INCREMENT AUTOINCREMENT "
    "COMMENT ON".split()
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Domain:
    """A type under a name of its own; in `checks` the value is called VALUE."""

    type: FieldType
    nullable: bool = True
    default: str | None = None
    checks: tuple[tuple[str | None, str], ...] = ()


@dataclass(slots=True)
class NamedTypes:
    """Types that the source made, by folded name, with and without their schema."""

    enums: dict[str, tuple[str, ...]] = field(default_factory=dict)
    domains: dict[str, Domain] = field(default_factory=dict)
    others: set[str] = field(default_factory=set)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spelled:
    """A type as it stood in a declaration; `note` says what is not understood of it, `unknown` whether its name says nothing."""

    type: FieldType
    counts_up: bool = False
    domain: Domain | None = None
    note: str | None = None
    unknown: bool = False


def read_type(cursor: Cursor, named: NamedTypes) -> Spelled:
    """The type that stands here, with everything that belongs to it; any word is a type, at worst one that is not known."""
    start = cursor.at
    found = _read_type(cursor, named)
    if found.domain is not None:
        return found  # a column that we create has the type under it, and the domain's rules as checks
    return replace(found, type=replace(found.type, spelled=cursor.text(start, cursor.at)))


def _read_type(cursor: Cursor, named: NamedTypes) -> Spelled:
    if cursor.script.dialect.name == "sqlite":
        return _sqlite_type(cursor)
    own = _own_type(cursor, named)
    if own is not None:
        return _arrays(cursor, own)
    schema, name = cursor.qualified()
    words = [name.lower()]
    second = _SECOND.get(words[0].upper(), ())
    while cursor.word() in second:
        words.append(cursor.word().lower())
        second = ("VARYING",) if words[-1] in ("character", "char") and words[0] == "national" else ()
        cursor.next()
    while words[0] == "interval" and cursor.word() in _INTERVAL_FIELDS:
        cursor.next()
    arguments = _arguments(cursor)
    zoned = cursor.take("WITH", "TIME", "ZONE") or cursor.take("WITH", "LOCAL", "TIME", "ZONE")
    cursor.take("WITHOUT", "TIME", "ZONE")
    unsigned, mysql = _modifiers(cursor), cursor.script.dialect.backslashes
    return _arrays(cursor, _spelled(tuple(words), tuple(arguments), zoned, schema, unsigned, mysql))


def _own_type(cursor: Cursor, named: NamedTypes) -> Spelled | None:
    if not (named.enums or named.domains or named.others):
        return None
    start = cursor.at
    schema, name = cursor.qualified()
    for key in (f"{schema}.{name}" if schema else name, name):
        if key in named.enums:
            return Spelled(type=FieldType(name=TypeName.ENUM, values=named.enums[key]))
        if key in named.domains:
            domain = named.domains[key]
            return Spelled(type=domain.type, domain=domain)
        if key in named.others:
            return Spelled(type=FieldType(name=TypeName.OTHER, declared=name), note=f"type {name} has parts of its own")
    cursor.at = start
    return None


def _arguments(cursor: Cursor) -> list[str]:
    if not cursor.sees("("):
        return []
    return ["".join(token.value for token in item.tokens[item.at : item.stop]) for item in cursor.group().items()]


@lru_cache(maxsize=4096)
def _spelled(
    words: tuple[str, ...], arguments: tuple[str, ...], zoned: bool, schema: str | None, unsigned: bool, mysql: bool
) -> Spelled:
    name = words[0]
    if name == "national" or words[-1] == "varying" or words == ("long", "varchar"):
        name = "varbit" if name == "bit" else "varbinary" if name == "binary" else "varchar" if words[-1] != "char" else "char"
    if words[-1] == "large":
        name = "text" if name == "character" else "blob"
    type_name = _BY_NAME.get(name)
    numbers = [int(a) for a in arguments if a.lstrip("-").isdigit()]
    if type_name is None or (schema not in (None, "pg_catalog", "public", "extensions") and type_name is None):
        if name == "set" and arguments:
            return Spelled(type=FieldType(name=TypeName.OTHER, declared="set", values=arguments))
        note = None if name in _WRITTEN else f"type {' '.join(words)} is not known: filled as text"
        return Spelled(
            type=FieldType(name=TypeName.OTHER, declared=" ".join(words), length=numbers[0] if numbers else None),
            note=note,
            unknown=note is not None,
        )
    if mysql and ((name == "tinyint" and numbers == [1]) or (name == "bit" and numbers in ([], [1]))) and not unsigned:
        return Spelled(type=FieldType(name=TypeName.BOOLEAN))
    spelled = Spelled(type=_plain(type_name, name, numbers, arguments, zoned, mysql), counts_up=name in _SERIALS)
    if name == "serial" and mysql:
        return replace(spelled, type=FieldType(name=TypeName.BIGINT))
    if unsigned and name in _UNSIGNED:
        wider, most = _UNSIGNED[name]
        return replace(spelled, type=FieldType(name=wider, least=0, most=most))
    if unsigned:
        return replace(spelled, type=replace(spelled.type, least=0))
    if name in _SIGNED:
        least, most = _SIGNED[name]
        return replace(spelled, type=replace(spelled.type, least=least, most=most))
    if mysql and type_name in (TypeName.DOUBLE, TypeName.REAL) and len(numbers) == 2:
        most = 10 ** (numbers[0] - numbers[1]) - 1
        return replace(spelled, type=replace(spelled.type, least=-most, most=most))
    if mysql and name == "timestamp":
        return replace(spelled, type=replace(spelled.type, precision=32))
    if name == "year":
        return replace(spelled, type=replace(spelled.type, least=YEARS[0], most=YEARS[1]))
    return spelled


def _modifiers(cursor: Cursor) -> bool:
    """Steps over what MySQL writes behind a type; true for an unsigned one."""
    unsigned = False
    while word := cursor.take_any(
        "UNSIGNED", "ZEROFILL", "SIGNED", "ASCII", "UNICODE", "CHARSET", "CHARACTER", "COMPRESSED", "BINARY"
    ):
        unsigned |= word in ("UNSIGNED", "ZEROFILL")
        if word in ("CHARSET", "CHARACTER"):
            cursor.take("SET")
            cursor.next()
    return unsigned


def _plain(type_name: TypeName, name: str, numbers: list[int], arguments: tuple[str, ...], zoned: bool, mysql: bool) -> FieldType:
    length = numbers[0] if numbers else None
    match type_name:
        case TypeName.VARCHAR if length is None:
            return FieldType(name=TypeName.TEXT)
        case TypeName.VARCHAR:
            return FieldType(name=type_name, length=length)
        case TypeName.CHAR:
            # bpchar alone has no length at all; char alone has one character
            return FieldType(name=type_name, length=length or 1) if name != "bpchar" or length else FieldType(name=TypeName.TEXT)
        case TypeName.TEXT:
            return FieldType(name=type_name, length=_TEXT_ROOM.get(name))
        case TypeName.NUMERIC if name in ("money", "smallmoney"):
            return FieldType(name=type_name, precision=15, scale=2)
        case TypeName.NUMERIC:
            precision = max(1, length) if length is not None else 10 if mysql else None
            scale = max(0, numbers[1]) if len(numbers) > 1 else 0 if precision is not None else None
            return FieldType(name=type_name, precision=precision, scale=scale)
        case TypeName.DOUBLE if name == "float" and (mysql if length is None else length <= 24):
            return FieldType(name=TypeName.REAL)
        case TypeName.REAL if name == "real" and mysql:
            return FieldType(name=TypeName.DOUBLE)
        case TypeName.TIMESTAMP if zoned:
            return FieldType(name=TypeName.TIMESTAMPTZ)
        case TypeName.BYTEA:
            return FieldType(name=type_name, length=length or (1 if name == "binary" else 255 if name == "tinyblob" else None))
        case TypeName.BIT:
            return FieldType(name=type_name, length=length or (1 if name == "bit" else None))
        case TypeName.INET if name == "inet6":
            return FieldType(name=type_name, declared="inet6")
        case TypeName.ENUM:
            return FieldType(name=type_name, values=arguments)
        case TypeName.UUID | TypeName.JSON | TypeName.MACADDR | TypeName.INET:
            return FieldType(name=type_name, declared=name if name in ("cidr", "macaddr8") else None)
        case _:
            return FieldType(name=type_name)


def _arrays(cursor: Cursor, spelled: Spelled) -> Spelled:
    dimensions = 0
    while cursor.sees("["):
        cursor.next()
        while cursor and not cursor.take("]"):
            cursor.next()
        dimensions += 1
    if cursor.take("ARRAY"):
        dimensions += 1
        if cursor.take("["):
            cursor.next()
            cursor.take("]")
    if not dimensions:
        return spelled
    return replace(spelled, type=FieldType(name=TypeName.ARRAY, element=spelled.type), domain=None)


def _sqlite_type(cursor: Cursor) -> Spelled:
    """SQLite takes any words for a type; what they hold decides (its rules of affinity) where they are no known name."""
    words = []
    while cursor.is_name() and cursor.word() not in NOT_A_TYPE:
        words.append(cursor.next().value.lower())
    arguments = _arguments(cursor)
    if not words:
        return Spelled(type=FieldType(name=TypeName.TEXT))
    unsigned, words = "unsigned" in words, [word for word in words if word not in ("unsigned", "signed")] or ["integer"]
    zoned, words = words[-4:] == ["with", "time", "zone"], [w for w in words if w not in ("with", "without", "zone")]
    words = words or ["text"]
    text = " ".join(words)
    numbers = [int(a) for a in arguments if a.lstrip("-").isdigit()]
    name = "varchar" if text in ("character varying", "native character", "varying character") else words[0]
    type_name = _BY_NAME.get(name)
    if type_name is None or type_name in (TypeName.BIT, TypeName.ENUM):
        type_name = _affinity(text)
    found = _plain(type_name, name, numbers, tuple(arguments), zoned, mysql=False)
    if found.name in (TypeName.INTEGER, TypeName.SMALLINT) and name in ("integer", "int", "tinyint", "year", "mediumint"):
        found = FieldType(name=TypeName.BIGINT if name in ("integer", "int") else found.name)
    if found.name is TypeName.REAL:  # of eight bytes, as all that SQLite keeps with a point
        found = FieldType(name=TypeName.DOUBLE)
    bare = type_name is TypeName.NUMERIC and name not in _BY_NAME and not any(part in text for part, _ in _AFFINITIES)
    return Spelled(type=replace(found, least=0) if unsigned and found.name in NUMBERS else found, unknown=bare)


_AFFINITIES = (
    ("int", TypeName.BIGINT), ("char", TypeName.VARCHAR), ("clob", TypeName.TEXT), ("text", TypeName.TEXT),
    ("enum", TypeName.TEXT), ("blob", TypeName.BYTEA), ("real", TypeName.DOUBLE), ("floa", TypeName.DOUBLE),
    ("doub", TypeName.DOUBLE),
)  # fmt: skip


def _affinity(text: str) -> TypeName:
    return next((type_name for part, type_name in _AFFINITIES if part in text), TypeName.NUMERIC)


def spelled_type(text: str, dialect: str = "postgresql") -> Spelled:
    """The type that `text` names in a dialect; at worst one that is not known. UnreadableError for what is not a type at all."""
    script = Script(text, "type", dialect_named(dialect))
    cursor = Cursor(script, list(script.tokens()))
    spelled = read_type(cursor, NamedTypes())
    if cursor and dialect == "postgresql":
        return replace(spelled, note=spelled.note or f"'{cursor.text()}' is not understood")
    return spelled


def parse_type(text: str) -> FieldType:
    """The type that `text` names, as in `numeric(10,2)`; ValueError when it names none."""
    from ...model.problems import UnreadableError

    try:
        spelled = spelled_type(text)
    except UnreadableError as error:
        raise ValueError(f"'{text}' is not an SQL type") from error
    if spelled.note:
        raise ValueError(f"'{text}' is not an SQL type that is known here")
    return spelled.type
