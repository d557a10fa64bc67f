"""Structured values of a shape that somebody says, in words of JSON Schema: objects, lists, and kinds of value within.

A shape is read once into a maker: a function from random words, one for each row, to texts of JSON. Every part of a shape mixes
the words in a way of its own, so that parts of a row do not hang together.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import replace
from decimal import Decimal, InvalidOperation
from functools import partial
from math import gcd
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..model.problems import UsageError, nearest
from ..model.types import FieldType, TypeName
from ..randomness import WIDEST, Bits, Words
from .people import People
from .pools import join, taker, text_pool
from .registry import FromText, KindError, PersonPart, Request, Values, get_kind, kind_names
from .shapes import mixed

Maker = Callable[[Words], Any]
Path = tuple[str | int, ...]
_TYPES = ("object", "array", "string", "integer", "number", "boolean")
_WORDS = tuple(
    "type properties required items minItems maxItems enum const kind pattern format minimum maximum multipleOf maxLength".split()
)
_FORMATS = {
    "date-time": "date-time", "date": "date", "email": "email", "uuid": "uuid", "uri": "uri", "ipv4": "ipv4",
    "hostname": "host-name",
}  # fmt: skip
_PREFERRED = (
    TypeName.TEXT, TypeName.NUMERIC, TypeName.INTEGER, TypeName.TIMESTAMP, TypeName.DATE, TypeName.TIME, TypeName.BOOLEAN,
)  # fmt: skip
_MOST_ITEMS = 200
_PERSONS = 2000
_PARTS = 131  # parts of an object or a list are told apart so far
_SOMETIMES = 205  # of 256: how often a property is there that need not be


class ShapeError(ValueError):
    """A shape that cannot be read: where in it, why, and what would help."""

    def __init__(self, path: Path, fact: str, hint: str | None = None) -> None:
        super().__init__(fact)
        self.path, self.fact, self.hint = path, fact, hint


def read_shape(told: Any, path: Path = ()) -> dict[str, Any]:
    """A shape with its type said and its numbers read; ShapeError where it is none."""
    if not isinstance(told, Mapping):
        raise ShapeError(path, "a shape is a mapping", "{type: string}, {kind: email}, {type: object, properties: {…}}")
    for word in told:
        if word not in _WORDS:
            raise ShapeError((*path, word), f"no word of a shape is called '{word}'", nearest(str(word), _WORDS))
    shape = dict(told)
    usual = "object" if "properties" in shape else "array" if "items" in shape else None
    shape["type"] = shape.get("type", usual or ("number" if "minimum" in shape or "maximum" in shape else "string"))
    if shape["type"] not in _TYPES:
        raise ShapeError((*path, "type"), f"no type is called '{shape['type']}'", nearest(str(shape["type"]), _TYPES))
    if shape["type"] == "object":
        properties = shape.get("properties")
        if not isinstance(properties, Mapping) or not properties:
            raise ShapeError((*path, "properties"), "an object has properties", "{properties: {name: {type: string}}}")
        shape["properties"] = {str(name): read_shape(one, (*path, "properties", name)) for name, one in properties.items()}
        for number, name in enumerate(shape.get("required") or ()):
            if str(name) not in shape["properties"]:
                known = tuple(shape["properties"])
                raise ShapeError((*path, "required", number), f"'{name}' is none of its properties", nearest(str(name), known))
    if shape["type"] == "array":
        shape["items"] = read_shape(shape.get("items") or {}, (*path, "items"))
        least = _natural(shape, "minItems", 0, path)
        most = _natural(shape, "maxItems", max(3, least), path)
        if not least <= most <= _MOST_ITEMS:
            raise ShapeError((*path, "maxItems"), f"between {least} and {_MOST_ITEMS} items, not {most}")
        shape["minItems"], shape["maxItems"] = least, most
    if "enum" in shape:
        if not isinstance(shape["enum"], list) or not shape["enum"]:
            raise ShapeError((*path, "enum"), "a list of values is needed here")
        shape["enum"] = [one if told.get("type") == "string" else _literal(one) for one in shape["enum"]]
    if "const" in shape and told.get("type") != "string":
        shape["const"] = _literal(shape["const"])
    for word in ("minimum", "maximum", "multipleOf"):
        if word in shape:
            try:
                shape[word] = str(Decimal(str(shape[word])))
            except InvalidOperation:
                raise ShapeError((*path, word), f"{word} is a number, not {shape[word]}") from None
    if (kind := shape.get("kind")) is not None:
        name = kind if isinstance(kind, str) else next(iter(kind), "") if isinstance(kind, Mapping) else ""
        if name not in kind_names():
            raise ShapeError((*path, "kind"), f"no kind of value is called '{name}'", nearest(name, kind_names()))
    if (form := shape.get("format")) is not None and form not in _FORMATS:
        raise ShapeError((*path, "format"), f"no format is called '{form}'", nearest(str(form), tuple(_FORMATS)))
    return shape


def _literal(told: Any) -> Any:
    """What a scalar of the file is in JSON: a number, a truth, null, or else a text."""
    try:
        return json.loads(told) if isinstance(told, str) and not told.startswith(("{", "[", '"')) else told
    except ValueError:
        return told


def _natural(shape: Mapping[str, Any], word: str, usual: int, path: Path) -> int:
    text = str(shape.get(word, usual))
    if not text.isdigit():
        raise ShapeError((*path, word), f"{word} is a whole number, not {text}")
    return int(text)


def shaped(told: str, request: Request) -> Values:
    """Values of a shape, spelled as JSON; of an array, lists whose elements have the shape of its items."""
    shape = read_shape(json.loads(told))
    if request.differ:
        raise KindError("values of a shape may be the same")
    inner = replace(request, unique=False, keyed=False, room=None, least=0, low=None, high=None, step=None, parameters={})
    if request.type.name is TypeName.ARRAY:
        if shape["type"] != "array" or request.type.element is None:
            raise KindError("a list has a shape with items")
        return Values(space=WIDEST, decode=_lists(shape, replace(inner, type=request.type.element)))
    made = _maker(shape, replace(inner, type=FieldType(name=TypeName.TEXT)), 1)
    longest = int(pc.max(pc.utf8_length(made(np.arange(400, dtype=np.uint64) * np.uint64(0x9E3779B97F4A7C15)))).as_py())
    if request.room is not None and longest > request.room:
        raise KindError(f"a value of this shape takes up to {longest} characters, and {request.room} fit")
    return Values(space=WIDEST, decode=made)


def _maker(shape: Mapping[str, Any], request: Request, salt: int) -> Maker:
    own = np.uint64(salt * 0x9E3779B97F4A7C15 & 0xFFFFFFFFFFFFFFFF)
    if "enum" in shape or "const" in shape:
        pool = text_pool(json.dumps(one, ensure_ascii=False) for one in shape.get("enum", [shape.get("const")]))
        return lambda words: taker(pool)(mixed(words ^ own) % np.uint64(len(pool)))
    match shape["type"]:
        case "object":
            return _objects(shape, request, salt)
        case "array":
            return _arrays(shape, request, salt)
        case "boolean":
            return lambda words: pc.if_else(pa.array(mixed(words ^ own) & np.uint64(1) == 0), "true", "false")
    found = _plain(shape, request, salt)
    return lambda words: _as_json(found(words))


def _objects(shape: Mapping[str, Any], request: Request, salt: int) -> Maker:
    required = set(map(str, shape.get("required") or ()))
    parts: list[tuple[str, bool, Maker, np.uint64]] = []
    # in the order in which PostgreSQL's jsonb keeps them
    for at, name in enumerate(sorted(shape["properties"], key=lambda one: (len(one.encode()), one))):
        inner = salt * _PARTS + at + 1
        key = json.dumps(name, ensure_ascii=False) + ": "
        own = np.uint64(inner * 0xD1B54A32D192ED03 & 0xFFFFFFFFFFFFFFFF)
        parts.append((key, name in required, _maker(shape["properties"][name], request, inner), own))

    def make(words: Words) -> Any:
        columns = []
        for key, always, maker, own in parts:
            column = join(key, maker(words))
            if not always:
                there = mixed(words ^ own) >> np.uint64(56) < _SOMETIMES
                column = pc.if_else(pa.array(there), column, pa.scalar(None, pa.string()))
            columns.append(column)
        return join("{", _listed(columns), "}")

    return make


def _arrays(shape: Mapping[str, Any], request: Request, salt: int) -> Maker:
    least, most = shape["minItems"], shape["maxItems"]
    apart = 1 if shape["items"]["type"] in ("object", "array") else _PARTS  # several persons in a list are not one
    items = shape["items"]
    makers = [_maker(items, request, (salt * _PARTS + at + 1) * apart) for at in range(most)]
    if "enum" in items:
        pool, chosen = text_pool(json.dumps(one, ensure_ascii=False) for one in items["enum"]), _chosen(len(items["enum"]), salt)
        makers = [partial(_taken, pool, chosen, at) for at in range(most)]
    if not makers:
        return lambda words: pa.repeat(pa.scalar("[]"), len(words))
    number = _counts(least, most, salt)

    def make(words: Words) -> Any:
        counts = number(words)
        columns = [
            maker(words) if at < least else pc.if_else(pa.array(counts > at), maker(words), pa.scalar(None, pa.string()))
            for at, maker in enumerate(makers)
        ]
        return join("[", _listed(columns), "]")

    return make


def _taken(pool: Any, chosen: Callable[[Words, int], Any], at: int, words: Words) -> Any:
    return pool.take(pa.array(chosen(words, at)))


def _chosen(count: int, salt: int) -> Callable[[Words, int], NDArray[np.int64]]:
    """Which of some values stands at a place of a list: none twice while there are enough, by a stride that has no part in common
    with their number."""
    strides = np.array([one for one in range(1, count + 1) if gcd(one, count) == 1], np.int64)
    own = np.uint64(salt * 0xD6E8FEB86659FD93 & 0xFFFFFFFFFFFFFFFF)

    def at_place(words: Words, at: int) -> NDArray[np.int64]:
        word = mixed(words ^ own)
        stride = strides[(word >> np.uint64(40)).astype(np.int64) % len(strides)]
        return np.asarray(((word & np.uint64(0xFFFFFFFF)).astype(np.int64) + at * stride) % count, np.int64)

    return at_place


def _listed(columns: list[Any]) -> Any:
    """What is there of some columns, with commas between; a row that has nothing is an empty text."""
    begun = pc.binary_join_element_wise("", *columns, ", ", null_handling="skip")  # Arrow leaves out rows that are null all over
    return pc.utf8_slice_codeunits(begun, 2)


def _counts(least: int, most: int, salt: int) -> Callable[[Words], Any]:
    own = np.uint64(salt * 0xA0761D6478BD642F & 0xFFFFFFFFFFFFFFFF)
    return lambda words: least + (mixed(words ^ own) % np.uint64(most - least + 1)).astype(np.int64)


def _lists(shape: Mapping[str, Any], request: Request) -> Callable[[Words], Any]:
    """Lists of elements of a database's own type."""
    least, most = shape["minItems"], shape["maxItems"]
    plain = "enum" not in shape["items"]
    makers = [_plain(shape["items"], request, (at + 2) * _PARTS) if plain else None for at in range(most)]
    number, arrow = _counts(least, most, 1), request.type.arrow()
    pool: Any = None if plain else pa.array([str(one) for one in shape["items"]["enum"]]).cast(arrow)
    chosen = _chosen(0 if plain else len(pool), 77)

    def slot(at: int, words: Words) -> Any:
        maker = makers[at]
        if maker is not None:
            return maker(words).cast(arrow)
        assert chosen is not None
        return pool.take(pa.array(chosen(words, at)))

    def decode(words: Words) -> Any:
        counts, rows = number(words), len(words)
        offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
        if not rows or not offsets[-1]:
            return pa.ListArray.from_arrays(pa.array(offsets), pa.nulls(0, arrow))
        every = pa.concat_arrays([slot(at, words) for at in range(most)])
        row = np.repeat(np.arange(rows), counts)
        at = np.arange(int(offsets[-1])) - np.repeat(offsets[:-1], counts)
        return pa.ListArray.from_arrays(pa.array(offsets), every.take(pa.array(at * rows + row)))

    return decode


def _plain(shape: Mapping[str, Any], request: Request, salt: int) -> Maker:
    """Numbers, or values of a kind, as a column of their own type."""
    own = np.uint64(salt * 0x9E3779B97F4A7C15 & 0xFFFFFFFFFFFFFFFF)
    if shape["type"] in ("integer", "number") and "kind" not in shape:
        return _numbers(shape, own)
    kind = shape.get("kind", _FORMATS.get(shape.get("format", ""), "pattern" if "pattern" in shape else "label"))
    name, parameters = (kind, {}) if isinstance(kind, str) else next(iter(kind.items()))
    parameters = {str(one): str(value) for one, value in (parameters or {}).items()}
    if name == "pattern" and "pattern" in shape:
        parameters["of"] = shape["pattern"]
    found = get_kind(name)
    wanted = {"integer": TypeName.INTEGER, "number": TypeName.NUMERIC}.get(shape["type"], TypeName.TEXT)
    chosen = next((one for one in (wanted, *_PREFERRED) if one in found.suits), min(found.suits))
    of_type = FieldType(name=chosen, precision=15, scale=6 if name in ("latitude", "longitude") else 2)
    room = int(shape["maxLength"]) if "maxLength" in shape else None
    inner = replace(request, type=of_type, parameters=parameters, room=room)
    try:
        prepared = found.prepare(inner)
    except UsageError as error:
        raise KindError(str(error)) from None
    match prepared:
        case PersonPart(decode=decode):
            people = People(Bits(request.seed, "json", "", "person"), _PERSONS, None, None, locale=request.locale)
            pool = decode(people, people.at(np.arange(_PERSONS)))
            of = np.uint64((salt // _PARTS) * 0x8EBC6AF09C88C6E3 & 0xFFFFFFFFFFFFFFFF)  # one person for all parts of an object
            return lambda words: pool.take(pa.array((mixed(words ^ of) % np.uint64(_PERSONS)).astype(np.int64)))
        case FromText():
            raise KindError(f"{name} is made from another field, so it stands in no structured value")
        case Values(space=space, decode=decode, draw=draw):
            if draw is not None:
                return lambda words: decode(draw(mixed(words ^ own)))
            return lambda words: decode(mixed(words ^ own) % np.uint64(space))
    raise AssertionError(name)


def _numbers(shape: Mapping[str, Any], own: np.uint64) -> Maker:
    step = Decimal(shape.get("multipleOf", "1" if shape["type"] == "integer" else "0.01"))
    low = Decimal(shape.get("minimum", "0"))
    high = Decimal(shape.get("maximum", str(low + 1000 * max(step, Decimal(1)))))
    digits = max(0, -int(step.normalize().as_tuple().exponent))
    first, last = -(-low // step), high // step
    if last < first:
        raise KindError(f"no multiple of {step} lies between {low} and {high}")
    one, start, space = int(step.scaleb(digits)), int(first), int(last - first) + 1

    def make(words: Words) -> Any:
        units = pa.array((start + (mixed(words ^ own) % np.uint64(space)).astype(np.int64)) * one)
        if not digits:
            return units
        unit = pa.scalar(Decimal(1).scaleb(-digits), pa.decimal128(digits + 1, digits))
        return pc.multiply(units.cast(pa.decimal128(19, 0)), unit)

    return make


def _as_json(column: Any) -> Any:
    """Values as JSON spells them: numbers and truths bare, all else as texts."""
    kind = column.type
    if pa.types.is_boolean(kind):
        return pc.if_else(column, "true", "false")
    if pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind):
        return column.cast(pa.string())
    if pa.types.is_timestamp(kind):  # RFC 3339
        column = pc.strftime(column.cast(pa.timestamp("s"), safe=False), "%Y-%m-%dT%H:%M:%SZ")
    text = column if pa.types.is_string(column.type) else column.cast(pa.string())
    for raw, escaped in (("\\", "\\\\"), ('"', '\\"'), ("\n", "\\n"), ("\r", "\\r"), ("\t", "\\t")):
        text = pc.replace_substring(text, raw, escaped)
    return join('"', text, '"')
