"""Literals: a text as it was written, typed by the field that it is for."""

from __future__ import annotations

import csv
import json
import re
from datetime import UTC, date, datetime, time, timedelta
from decimal import ROUND_HALF_UP, Context, Decimal, InvalidOperation
from ipaddress import ip_network
from typing import TypeVar
from uuid import UUID

from .types import FLOATS, INTEGER_BITS, INTEGERS, FieldType, TypeName

_Iso = TypeVar("_Iso", date, time, datetime)
Value = int | float | Decimal | bool | str | bytes | date | datetime | time | list["Value | None"]

_SPAN_UNITS = {"week": 604_800, "day": 86_400, "hour": 3_600, "minute": 60, "second": 1}
_SPAN = re.compile(r"(\d+(?:\.\d+)?)\s*(week|day|hour|minute|second)s?")
_ISO_SPAN = re.compile(r"P(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?")


def read_literal(text: str, field_type: FieldType) -> Value:
    """The value that `text` writes for a field of type `kind`; ValueError says what is wrong with it."""
    name = field_type.name
    try:
        if name in INTEGERS:
            number = int(text)
            bits = INTEGER_BITS[name]
            if not -(1 << (bits - 1)) <= number < 1 << (bits - 1):
                raise ValueError(f"{text} is outside of {name}")
            return number
        if name is TypeName.NUMERIC:
            return Decimal(text)
        if name in FLOATS:
            return float(text)
    except (ValueError, InvalidOperation) as error:
        raise ValueError(str(error) if "outside" in str(error) else f"'{text}' is not a valid {field_type}") from None
    match name:
        case TypeName.BOOLEAN:
            if text.lower() in ("true", "false"):
                return text.lower() == "true"
            raise ValueError(f"'{text}' is not a boolean: write true or false")
        case TypeName.DATE:
            return _iso(date, text, field_type)
        case TypeName.TIME:
            return _iso(time, text, field_type)
        case TypeName.TIMESTAMP | TypeName.TIMESTAMPTZ:
            moment = _iso(datetime, text, field_type)
            return moment.astimezone(UTC).replace(tzinfo=None) if moment.tzinfo else moment
        case TypeName.ARRAY:
            return _read_array(text, field_type)
        case TypeName.UUID:
            try:
                return str(UUID(text))
            except ValueError:
                raise ValueError(f"'{text}' is not a valid UUID") from None
        case _:
            value: str | bytes = text
            if name is TypeName.BYTEA:
                value = bytes.fromhex(text[2:]) if re.fullmatch(r"\\x([0-9A-Fa-f]{2})*", text) else text.encode()
            if field_type.length is not None and len(value) > field_type.length:
                raise ValueError(f"'{text}' is longer than {field_type}")
            return value


def _read_array(text: str, field_type: FieldType) -> Value:
    """PostgreSQL's literal of one dimension: `{a,"b, c",NULL}`."""
    if not (text.startswith("{") and text.endswith("}")) or "{" in text[1:]:
        raise ValueError(f"'{text}' is not a valid {field_type}: write {{a,b}}")
    element = field_type.element or FieldType(name=TypeName.TEXT)
    items = next(csv.reader([text[1:-1]], escapechar="\\"), [])
    return [None if item.strip() == "NULL" else read_literal(item, element) for item in items]


def write_array(values: list[Value | None]) -> str:
    """The literal that `read_literal` reads back: `{a,"b, c",NULL}`."""
    return "{" + ",".join(map(_element, values)) + "}"


def _element(value: Value | None) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, bool):
        return "true" if value else "false"
    text = value.isoformat(" ") if isinstance(value, datetime) else str(value)
    plain = re.fullmatch(r"[^\s{}\",\\\\]+", text) and text.upper() != "NULL"
    return text if plain else '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def read_stored(text: str, field_type: FieldType) -> Value:
    """The value as a column of that type stores it: decimals are rounded to its scale; ValueError where it has no room."""
    value = read_literal(text, field_type)
    if isinstance(value, Decimal):
        if not value.is_finite():
            raise ValueError(f"'{text}' is not a valid {field_type}")
        precision, scale = field_type.digits
        if value.adjusted() >= precision - scale and value:
            raise ValueError(f"{text} is outside of {field_type}")
        if field_type.precision is not None or -int(value.as_tuple().exponent) > scale:
            value = value.quantize(Decimal(1).scaleb(-scale), ROUND_HALF_UP, Context(prec=60))
    return value


_FORMS = {
    TypeName.MACADDR: (re.compile(r"([0-9A-Fa-f]{2}([:-]|(?=$))){6}|([0-9A-Fa-f]{4}(\.|(?=$))){3}"), "a MAC address"),
    TypeName.INTERVAL: (
        re.compile(r"P[0-9DHMSTWY.]+|([+-]?\d+(\.\d+)?\s*[a-z]+\s*)*([+-]?\d+:\d\d(:\d\d(\.\d+)?)?)?", re.I),
        "a span of time",
    ),
    TypeName.BIT: (re.compile(r"[01]*"), "written in 0 and 1"),
}


def require_form(text: str, field_type: FieldType) -> None:
    """ValueError where a text that is stored as it is has not the form that databases ask of its type."""
    name, fine, what = field_type.name, True, ""
    if name is TypeName.JSON:
        what = "JSON"
        try:
            json.loads(text)
        except ValueError:
            fine = False
    elif name is TypeName.INET:
        what = "an address, as in 192.0.2.7 or 2001:db8::/32"
        try:
            ip_network(text, strict=False)
        except ValueError:
            fine = False
    elif name in _FORMS:
        form, what = _FORMS[name]
        fine = form.fullmatch(text) is not None
    if not fine:
        raise ValueError(f"'{text}' is not {what}")


def read_moment(text: str) -> datetime:
    """A date or a time as a naive UTC datetime."""
    field_type = FieldType(name=TypeName.TIMESTAMP)
    value = read_literal(text, field_type)
    assert isinstance(value, datetime)
    return value


def read_share(text: str) -> float:
    """`0.12` or `12%` as a number from 0 to 1."""
    try:
        share = float(text[:-1]) / 100 if text.endswith("%") else float(text)
    except ValueError:
        raise ValueError(f"'{text}' is not a share: write 0.12 or 12%") from None
    if not 0 <= share <= 1:
        raise ValueError(f"a share lies between 0 and 1 (or 0% and 100%), not {text}")
    return share


def read_span(text: str) -> timedelta:
    """`90 days` or the ISO 8601 duration `P90D`; weeks to seconds, which have a fixed length."""
    if match := _SPAN.fullmatch(text.strip()):
        return timedelta(seconds=float(match[1]) * _SPAN_UNITS[match[2]])
    if len(text) > 2 and (match := _ISO_SPAN.fullmatch(text.strip())) and any(match.groups()):
        weeks, days, hours, minutes, seconds = (int(part or 0) for part in match.groups())
        return timedelta(weeks=weeks, days=days, hours=hours, minutes=minutes, seconds=seconds)
    raise ValueError(f"'{text}' is not a span: write \"90 days\" or P90D (weeks, days, hours, minutes, seconds)")


def _iso(form: type[_Iso], text: str, field_type: FieldType) -> _Iso:
    try:
        return form.fromisoformat(text)
    except ValueError as error:
        reason = f" ({error})" if "range" in str(error) or "must be" in str(error) else ""
        raise ValueError(f"'{text}' is not a valid {field_type}{reason}") from None


def is_moment(text: str, of: FieldType) -> bool:
    """Whether a text is a literal of a type of moments."""
    try:
        read_literal(text, of)
    except ValueError:
        return False
    return True
