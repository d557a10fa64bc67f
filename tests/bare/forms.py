"""Types of columns as three databases write them, with values of each, and checks that given values keep."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from random import Random
from typing import Any

Checks = Callable[[Random, str, list[Any], str], list[str]]


def sql_text(value: Any) -> str:
    return "'" + str(value).replace("'", "''") + "'"


def _no_checks(chance: Random, name: str, known: list[Any], dialect: str) -> list[str]:
    return []


@dataclass
class Form:
    """A type in a dialect's words; `keyed` where columns of it can be keys."""

    type: str
    family: str
    value: Callable[[Random], Any]
    literal: Callable[[Any], str] = sql_text
    checks: Checks = _no_checks
    keyed: bool = True
    ordered: bool = False
    defaults: bool = False
    declared: str = ""

    def default(self, chance: Random) -> str:
        return self.literal(self.value(chance))


def _range(chance: Random, name: str, known: list[Any], dialect: str, show: Callable[[Any], str] = str) -> list[str]:
    if not known:
        return []
    low, high = show(min(known)), show(max(known))
    return [f"{name} >= {low}", f"{name} BETWEEN {low} AND {high}", f"{name} <= {high}", f"({low} <= {name})",
            f"{name} IS NULL OR {name} >= {low}", f"NOT ({name} < {low})",
            f"{name} IN ({', '.join(dict.fromkeys(map(show, known)))})"]  # fmt: skip


def _integer_checks(chance: Random, name: str, known: list[int], dialect: str) -> list[str]:
    out = _range(chance, name, known, dialect)
    other = chance.randint(-5, 300)
    if known and other not in known:
        out.append(f"{name} <> {other}")
    if known and len({value % 2 for value in known}) == 1:
        out.append(f"{name} % 2 = {known[0] % 2}" if known[0] >= 0 else f"{name} < {max(known) + 1}")
    return out


def _text_checks(chance: Random, name: str, known: list[str], dialect: str) -> list[str]:
    if not known:
        return []
    lengths = {len(value) for value in known}
    length = "char_length" if dialect == "mysql" else "length"
    out = [f"{length}({name}) >= {min(lengths)}", f"{length}({name}) <= {max(lengths)}",
           f"{name} IN ({', '.join(dict.fromkeys(map(sql_text, known)))})"]  # fmt: skip
    if len(lengths) == 1:
        out += [f"{length}({name}) = {min(lengths)}"] * 2
    if all(known):
        out += [f"{name} <> ''", f"trim({name}) <> ''"]
    if all(value == value.lower() for value in known):
        out.append(f"{name} = lower({name})")
    if all(value == value.upper() for value in known):
        out.append(f"{name} = upper({name})")
    if not any(" " in value for value in known):
        out += [f"{name} NOT LIKE '% %'"] * 2
    if all("@" not in value for value in known):
        out.append(f"{name} NOT LIKE '%@%'")
    begin = known[0][:1]
    if begin.isalnum() and all(value.startswith(begin) for value in known):
        out.append(f"{name} LIKE '{begin}%'")
    if all(value.isalpha() and value.islower() and value.isascii() for value in known):
        match dialect:
            case "postgresql":
                out += [f"{name} ~ '^[a-z]+$'", f"{name} ~ '^[a-z]{{1,40}}$'"]
            case "mysql":
                out.append(f"{name} REGEXP '^[a-z]+$'")
            case _:
                out.append(f"{name} NOT GLOB '*[^a-z]*'")
    if dialect == "postgresql":
        out.append(f"octet_length({name}) <= {max(len(value.encode()) for value in known)}")
    return out


def _bytes_checks(chance: Random, name: str, known: list[bytes], dialect: str) -> list[str]:
    if not known:
        return []
    lengths = {len(value) for value in known}
    function = "octet_length" if dialect == "postgresql" else "length"
    return [f"{function}({name}) = {len(known[0])}"] * (len(lengths) == 1) + [f"{function}({name}) <= {max(lengths, default=9)}"]


_WORDS = "amber bell cove drift ebb ferry gull harbour inlet jetty keel lamp mast north oar pier quay reef sail tide".split()


def _text(length: int | None, chance: Random) -> str:
    style = chance.random()
    text = chance.choice(_WORDS)
    if style < 0.2:
        text = f"{text.title()} {chance.choice(_WORDS)}"
    elif style < 0.35:
        text = text.upper()[: chance.randint(2, 5)]
    elif style < 0.45:
        text = f"{text}-{chance.randint(1, 99)}"
    elif style < 0.5:
        text = "".join(chance.choice("0123456789abcdef") for _ in range(40))
    elif style < 0.55:
        text = f"{text}@{chance.choice(_WORDS)}.example"
    return text[:length] if length is not None else text


def _texts(type: str, length: int | None = None, *, keyed: bool = True, defaults: bool = True) -> Callable[[Random], Form]:
    return lambda chance: Form(
        type, "text", lambda c: _text(length, c).strip() or "a", checks=_text_checks, keyed=keyed, defaults=defaults
    )


def _varying(template: str, *, defaults: bool = True) -> Callable[[Random], Form]:
    def form(chance: Random) -> Form:
        length = chance.choice([1, 2, 3, 5, 8, 10, 12, 20, 32, 40, 60, 100, 255])
        return _texts(template.format(length), length, defaults=defaults)(chance)

    return form


def _integers(type: str, low: int, high: int) -> Callable[[Random], Form]:
    def form(chance: Random) -> Form:
        near = chance.random() < 0.85 and low <= 0
        least, most = (max(low, -5), min(high, 300)) if near else (low, high)
        if near and chance.random() < 0.4:
            least, most = max(low, 0), min(high, chance.choice([1, 3, 12]))
        return Form(type, "integer", lambda c: c.randint(least, most), str, _integer_checks, ordered=True, defaults=True)

    return form


def _numbers(type: str, digits: int, scale: int) -> Callable[[Random], Form]:
    def value(chance: Random) -> Decimal:
        return Decimal(chance.randint(0, 10**digits - 1)).scaleb(-scale)

    return lambda chance: Form(type, "decimal", value, str, _range, ordered=True, defaults=True)


def _floats(type: str) -> Callable[[Random], Form]:
    return lambda chance: Form(type, "float", lambda c: c.randint(-400, 4000) / 4, str, _range, keyed=False, ordered=True)


def _quoted_range(chance: Random, name: str, known: list[Any], dialect: str) -> list[str]:
    return _range(chance, name, known, dialect, sql_text)


_DAY = date(2023, 1, 1)
_MOMENT = datetime(2023, 1, 1)


def _moments(type: str) -> Callable[[Random], Form]:
    def value(chance: Random) -> datetime:
        return _MOMENT + timedelta(minutes=chance.randint(0, 1_500_000))

    return lambda chance: Form(type, "moment", value, checks=_quoted_range, ordered=True, defaults=True)


def _dates(chance: Random) -> Form:
    return Form("date", "date", lambda c: _DAY + timedelta(days=c.randint(0, 1000)), checks=_quoted_range, ordered=True)


def _times(chance: Random) -> Form:
    return Form("time", "time", lambda c: time(c.randint(0, 23), c.randint(0, 59)), checks=_quoted_range, ordered=True)


def _booleans(chance: Random) -> Form:
    return Form("boolean", "boolean", lambda c: c.random() < 0.5, lambda v: str(v).lower(), defaults=True)


def _bytes(
    template: str, literal: Callable[[Any], str], lengths: tuple[int, ...] = (0,), *, keyed: bool = False
) -> Callable[[Random], Form]:
    def form(chance: Random) -> Form:
        length = chance.choice(lengths)
        size = length or chance.choice([4, 16, 20])
        return Form(template.format(length), "bytes", lambda c: c.randbytes(size), literal, _bytes_checks, keyed=keyed)

    return form


def _hexadecimal(value: bytes) -> str:
    return f"X'{value.hex()}'"


def _listed(template: str, *, type_name: bool = False) -> Callable[[Random], Form]:
    def form(chance: Random) -> Form:
        values = chance.sample(_WORDS, chance.choice([1, 2, 3, 5]))
        listed = ", ".join(map(sql_text, values))
        if type_name:
            name = f"kind_of_{chance.randrange(10**9)}"
            return Form(name, "enum", lambda c: c.choice(values), declared=f"CREATE TYPE {name} AS ENUM ({listed});\n")
        return Form(template.format(listed), "enum", lambda c: c.choice(values))

    return form


def _domain(chance: Random) -> Form:
    name = f"domain_{chance.randrange(10**9)}"
    kind = chance.randrange(4)
    if kind == 0:
        return Form(name, "integer", lambda c: c.randint(1, 9), str, ordered=True,
                    declared=f"CREATE DOMAIN {name} AS integer CHECK (VALUE BETWEEN 1 AND 9);\n")  # fmt: skip
    if kind == 1:
        return Form(
            name, "text", lambda c: c.choice("abc") * 3, declared=f"CREATE DOMAIN {name} AS text CHECK (length(VALUE) = 3);\n"
        )
    if kind == 2:
        return Form(name, "bytes", lambda c: c.randbytes(20), lambda v: f"'\\x{v.hex()}'", keyed=True,
                    declared=f"CREATE DOMAIN {name} AS bytea CONSTRAINT exact CHECK (VALUE IS NULL OR octet_length(VALUE) = 20);\n")  # fmt: skip
    return Form(
        name,
        "text",
        lambda c: c.choice(["y", "n"]),
        declared=f"CREATE DOMAIN {name} AS varchar(1) CHECK (VALUE IN ('y', 'n'));\n",
    )


def _uuids(chance: Random) -> Form:
    return Form("uuid", "uuid", lambda c: f"{c.getrandbits(128):032x}"[:8] + "-1111-4111-8111-" + f"{c.getrandbits(48):012x}")


def _bits(chance: Random) -> Form:
    return Form("bit(1)", "bit", lambda c: c.choice("01"), lambda v: f"b'{v}'", keyed=False)


def _json(type: str) -> Callable[[Random], Form]:
    return lambda chance: Form(type, "json", lambda c: c.choice(['{"a": 1}', "{}", "[]"]), keyed=False)


def _simple(type: str, family: str, values: list[str], *, keyed: bool = False) -> Callable[[Random], Form]:
    return lambda chance: Form(type, family, lambda c: c.choice(values), keyed=keyed)


def _unknown(type: str) -> Callable[[Random], Form]:
    """SQLite takes any word for a type; a check with numbers says what the column holds."""
    return lambda chance: Form(type, "integer", lambda c: c.randint(1, 400), str, _integer_checks, ordered=True)


def _words(type: str) -> Callable[[Random], Form]:
    """A type that nobody knows; a check with texts says what the column holds."""
    return lambda chance: Form(type, "text", lambda c: _text(None, c).strip() or "a", checks=_text_checks)


def _days(type: str) -> Callable[[Random], Form]:
    return lambda chance: Form(
        type, "date", lambda c: _DAY + timedelta(days=c.randint(0, 1000)), checks=_quoted_range, ordered=True, keyed=False
    )


# from this seed on also these, so that what a seed made before stays
MORE_FROM = 10_000
MORE: dict[str, list[Callable[[Random], Form]]] = {
    "sqlite": [_days("MOMENTUM"), _words("WORDY TEXT"), _integers("YEARLY", 0, 9000)],
    "postgresql": [_numbers("numeric(30,2)", 30, 2), _numbers("numeric(20,0)", 20, 0), _numbers("numeric(38,10)", 38, 10)],
    "mysql": [_integers("bigint unsigned", 2**63, 2**64 - 1), _numbers("decimal(30,4)", 30, 4), _numbers("decimal(20)", 20, 0)],
}  # fmt: skip

FORMS: dict[str, list[Callable[[Random], Form]]] = {
    "sqlite": [
        _integers("INTEGER", -(2**31), 2**31), _integers("INT", 0, 300), _texts("TEXT"), _varying("VARCHAR({})"), _varying("CHAR({})"),
        _floats("REAL"), _numbers("NUMERIC(8,2)", 8, 2), _numbers("DECIMAL(4,1)", 4, 1), _dates, _moments("TIMESTAMP"),
        _moments("DATETIME"), _bytes("BLOB", _hexadecimal, keyed=True), _integers("TINYINT", 0, 100), _integers("BIGINT", -(2**62), 2**62),
        _integers("UNSIGNED BIG INT", 0, 500), _texts("NVARCHAR(30)", 30), _texts("CLOB"),
        _integers("BOOLEAN", 0, 1), _simple("JSON", "json", ["{}", "[1]"]),
    ],
    "postgresql": [
        _integers("integer", -(2**31), 2**31 - 1), _integers("smallint", -(2**15), 2**15 - 1), _integers("bigint", -(2**63), 2**63 - 1),
        _texts("text"), _texts("text"), _varying("varchar({})"), _varying("varchar({})"), _texts("char(3)", 3), _numbers("numeric(8,2)", 8, 2),
        _numbers("numeric(3,0)", 3, 0), _numbers("decimal(2,2)", 2, 2), _floats("real"), _floats("double precision"), _dates, _times,
        _moments("timestamp"), _moments("timestamptz"), _booleans, _uuids,
        _bytes("bytea", lambda v: f"'\\x{v.hex()}'", keyed=True), _listed("", type_name=True), _domain, _domain, _json("jsonb"), _json("json"),
        _simple("integer[]", "array", ["{1,2}", "{}"]), _simple("text[]", "array", ["{a,b}", "{}"]), _simple("interval", "interval", ["2 days", "3 hours"]),
        _simple("inet", "inet", ["192.0.2.1", "192.0.2.77"], keyed=True), _simple("macaddr", "mac", ["02:00:00:00:00:01"]),
        _simple("bit(4)", "bit", ["0101", "1111"]), _simple("bit varying(8)", "bit", ["01", "1"]), _simple("cidr", "cidr", ["192.0.2.0/24"]),
        _simple("money", "money", ["12.50"]), _simple("xml", "xml", ["<a/>"]), _simple("int4range", "range", ["[1,5)"]),
        _simple("tsvector", "tsvector", ["a"]), _simple("point", "point", ["(1,2)"]), _simple("oid", "oid", ["7", "9"]),
        _simple("timetz", "timetz", ["10:00:00+00"]), _simple("name", "name", ["amber", "bell"]),
    ],
    "mysql": [
        _integers("int", -(2**31), 2**31 - 1), _integers("int unsigned", 0, 2**32 - 1), _integers("tinyint", -128, 127),
        _integers("tinyint unsigned", 0, 255), _integers("tinyint(1)", 0, 1), _integers("smallint", -(2**15), 2**15 - 1),
        _integers("mediumint unsigned", 0, 2**24 - 1), _integers("bigint", -(2**63), 2**63 - 1), _integers("bigint unsigned", 0, 2**63 - 1),
        _varying("varchar({})"), _varying("varchar({})"), _varying("char({})"), _texts("text", keyed=False, defaults=False),
        _texts("mediumtext", keyed=False, defaults=False), _texts("tinytext", keyed=False, defaults=False), _numbers("decimal(8,2)", 8, 2),
        _numbers("decimal(3)", 3, 0), _numbers("decimal(2,2)", 2, 2), _numbers("decimal(6,1) unsigned", 6, 1),
        _floats("double"), _floats("float"), _dates, _times, _moments("datetime"), _moments("timestamp NULL"), _integers("year", 2001, 2030),
        _listed("enum({})"), _simple("set('a','b')", "set", ["a", "a,b"]), _bytes("binary({})", _hexadecimal, (4, 16, 20), keyed=True),
        _bytes("varbinary({})", _hexadecimal, (16, 40), keyed=True), _bytes("blob", _hexadecimal), _json("json"),
        _integers("boolean", 0, 1), _bits,
    ],
}  # fmt: skip
