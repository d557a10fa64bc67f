"""Identifiers that standards define: check digits are right, and none can belong to anything real."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache
from itertools import pairwise, product
from typing import Any

import numpy as np
import pyarrow as pa

from ..model.literals import read_span
from ..model.types import TEXTS, FieldType, TypeName
from ..randomness import Words
from .digits import as_texts, digits_of
from .patterns import texts_of
from .pools import taker, text_pool
from .registry import KindError, Request, Values, declare
from .shapes import draw_of


def _article_number(prefix: str) -> Values:
    """Thirteen digits that begin with `prefix`; the last makes the sum with weights 1 and 3 a multiple of ten."""
    width = 12 - len(prefix)
    fixed = sum(int(digit) * (3 if at % 2 else 1) for at, digit in enumerate(prefix))
    weights = np.array([3 if (at + len(prefix)) % 2 else 1 for at in range(width)], np.int64)

    def decode(positions: Words) -> Any:
        digits = digits_of(positions, width)
        check = (-(digits.astype(np.int64) @ weights + fixed)) % 10
        return as_texts(prefix.encode(), digits, check.astype(np.uint8)[:, None])

    return Values(space=10**width, decode=decode)


def _needs(request: Request, length: int, what: str) -> None:
    if not request.fits(length):
        raise KindError(f"{what} takes {length} characters")


@declare(
    "ean-13",
    "An article number for use within one house, which is never given to a maker.",
    standard="GS1 General Specifications",
)
def ean_13(request: Request) -> Values:
    _needs(request, 13, "an EAN-13")
    return _article_number("20")


@declare("isbn-13", "A book number from a part of the 979 range that no agency has.", standard="ISO 2108")
def isbn_13(request: Request) -> Values:
    _needs(request, 13, "an ISBN-13")
    return _article_number("9795")


@declare(
    "mac-address",
    "An address that a network gives out by itself, never a maker.",
    suits=TEXTS | {TypeName.MACADDR},
    standard="IEEE 802",
)
def mac_address(request: Request) -> Values:
    _needs(request, 17, "a MAC address")
    longer = request.type.declared == "macaddr8"
    automaton = texts_of("02(:[0-9a-f]{2}){7}" if longer else "02(:[0-9a-f]{2}){5}", None)
    return Values(space=automaton.space, decode=automaton.decode)


@declare("octets", "Random bytes.", suits=frozenset({TypeName.BYTEA}))
def random_octets(request: Request) -> Values:
    most = request.room if request.room is not None else 1 << 20
    return octets(max(min(20, most), request.least))


@declare("duration", "A length of time, up to eight hours or as long as `most` says; whole days where that is more than three.",
         suits=TEXTS | {TypeName.INTERVAL}, standard="ISO 8601", parameters=("most",))  # fmt: skip
def duration(request: Request) -> Values:
    """Short ones more often than long ones; in steps of five minutes, up to an hour of one, from a day on of a quarter of one."""
    try:
        most = read_span(request.parameters.get("most", "8 hours"))
    except ValueError as error:
        raise KindError(str(error)) from None
    minutes = int(most.total_seconds() // 60)
    if minutes < 1:
        raise KindError(f"most: {request.parameters['most']}: less than a minute")
    if minutes > 3 * 1440:
        texts = [f"P{days}D" for days in range(1, minutes // 1440 + 1)]
    else:
        step = 1 if minutes <= 60 else 5 if minutes <= 1440 else 15
        texts = [f"PT{at // 60}H{at % 60:02d}M" if at >= 60 else f"PT{at}M" for at in range(step, minutes + 1, step)]
    fitting = [text for text in texts if request.fits(len(text))]
    if not fitting:
        raise KindError(f"none has at most {request.room} characters")
    return Values(space=len(fitting), decode=taker(text_pool(fitting)), draw=draw_of("tail", len(fitting)))


_INWARD = "ABDEFGHJLNPQRSTUWXYZ"


@lru_cache(maxsize=1)
def _postal_codes() -> Any:
    """Codes in areas that do not exist, those of one area not side by side: a pool is quicker than writing each anew."""
    return text_pool(
        f"{area}{district} {sector}{one}{two}"
        for one, two, sector, district in product(_INWARD, _INWARD, range(1, 10), range(1, 10))
        for area in ("QV", "QX", "VX", "XQ")
    )


_ZONES = """UTC Europe/London Europe/Dublin Europe/Berlin Europe/Paris Europe/Madrid Europe/Oslo Europe/Copenhagen Europe/Helsinki
Atlantic/Reykjavik America/New_York America/Toronto Asia/Tokyo Australia/Sydney""".split()


# how a database writes values of the types that only it has; {0} and {1} are numbers, the second the greater
_FORMS = {
    "tsvector": "'annual':1 'report':2 'plan{0}':3",
    "tsquery": "'plan{0}' & 'annual'",
    "xml": '<note n="{0}"/>',
    "hstore": '"n"=>"{0}"',
    "ltree": "top.n{0}",
    "lquery": "top.*",
    "jsonpath": "$.n{0}",
    "pg_lsn": "0/{0}",
    "vector": "[{0}]",
    "line": "{{1,-1,{0}}}",
    "regclass": "pg_class",
    "regtype": "integer",
    "regproc": "now",
    **dict.fromkeys(("int4range", "int8range", "numrange"), "[{0},{1})"),
    **dict.fromkeys(("int4multirange", "int8multirange", "nummultirange"), "{{[{0},{1})}}"),
}
# PostgreSQL's shapes in a plane, as it writes them itself: by a corner and two others near it
_PLANE = {
    "point": "({0})",
    "lseg": "[({0}),({1})]",
    "box": "({2}),({0})",
    "path": "[({0}),({1}),({2})]",
    "polygon": "(({0}),({1}),({2}))",
    "circle": "<({0}),0.0043>",
}
# well-known text (OGC 06-103r4) of one shape, and of several of it
_SHAPES = {
    "POINT": "({0})",
    "LINESTRING": "({0},{1},{2})",
    "POLYGON": "(({0},{1},{2},{0}))",
}


def _geometries(kind: FieldType) -> Values:
    """Shapes about a millimetre to a kilometre wide, by degrees of longitude and latitude in Europe; of the form, the number of
    axes and the reference system that the type names. Lines and polygons do not cross themselves."""
    said = re.search(r"\(\s*(\w+)\s*(?:,\s*(\d+))?", kind.spelled or "")
    form = re.fullmatch(r"(MULTI)?(POINT|LINESTRING|POLYGON)(Z?)(M?)", said[1].upper() if said else "POINT")
    many, shape, z, m = form.groups() if form is not None else ("", "POINT", "", "")
    srid = f"SRID={said[2]};" if said and said[2] and said[2] != "0" else ""
    body = _SHAPES[shape] if not many else f"({_SHAPES[shape]})"
    axes = f" {z or ''}{m or ''}" if z or m else ""
    more = " 12" * (len(z) + len(m))

    text = f"{srid}{many or ''}{shape}{axes}{body}"
    return _in_degrees(lambda corners: text.format(*(f"{x:.4f} {y:.4f}{more}" for x, y in corners)))


def _in_degrees(written: Callable[[list[tuple[float, float]]], str]) -> Values:
    """A million places in Europe as `written` puts them, each with two others some hundred metres from it."""

    def decode(positions: Any) -> Any:
        east, north = -8 + (positions % 1000) * 0.03, 37 + (positions // 1000) * 0.02
        near = ((0.0, 0.0), (0.0043, 0.0009), (0.0021, 0.0037))
        texts = [written([(x + dx, y + dy) for dx, dy in near]) for x, y in zip(east.tolist(), north.tolist(), strict=True)]
        return pa.array(texts, pa.string())

    return Values(space=10**6, decode=decode)


_MOMENT_FORMS = {
    "daterange": "[{0},{1})",
    "tsrange": "[{0} 00:00,{1} 00:00)",
    "tstzrange": "[{0} 00:00+00,{1} 00:00+00)",
    "datemultirange": "{{[{0},{1})}}",
    "tsmultirange": "{{[{0} 00:00,{1} 00:00)}}",
    "tstzmultirange": "{{[{0} 00:00+00,{1} 00:00+00)}}",
}


def is_known_type(kind: FieldType) -> bool:
    """Whether it is known how a database writes values of a type that only some have."""
    every = {*_FORMS, *_PLANE, *_MOMENT_FORMS, "geometry", "geography", "set"}
    return kind.declared in every


def of_database_type(kind: FieldType, window: tuple[Any, Any]) -> Values | None:
    """Values of a type that only some database has, written as it writes them; None for a type that we know nothing of."""
    name = kind.declared or ""
    if name == "set":
        singles = list(kind.values)
        pool = text_pool(dict.fromkeys([*singles, *(f"{a},{b}" for a, b in pairwise(singles)), ",".join(singles)]))
        return Values(space=len(pool), decode=taker(pool))
    if name in _MOMENT_FORMS:
        return _date_ranges(_MOMENT_FORMS[name], window)
    if name in ("geometry", "geography"):
        return _geometries(kind)
    if (plane := _PLANE.get(name)) is not None:
        return _in_degrees(lambda corners: plane.format(*(f"{x:.6g},{y:.6g}" for x, y in corners)))
    if name not in _FORMS:
        return None
    form = _FORMS[name]
    return Values(space=10**6, decode=lambda p: pa.array([form.format(n, n + 1 + n % 7) for n in p.tolist()], pa.string()))


def _date_ranges(form: str, window: tuple[Any, Any]) -> Values:
    """Ranges of one to sixty days that begin within the window."""
    first = np.datetime64(window[0].date())
    days = max(2, (window[1] - window[0]).days)

    def decode(positions: Words) -> Any:
        starts = first + (positions % np.uint64(days)).astype(np.int64)
        ends = starts + 1 + (positions // np.uint64(days)).astype(np.int64)
        return pa.array([form.format(a, b) for a, b in zip(starts.astype(str), ends.astype(str), strict=True)], pa.string())

    return Values(space=days * 60, decode=decode)


def octets(width: int) -> Values:
    """Random bytes, so many in each value."""

    def decode(positions: Words) -> Any:
        from ..randomness import Key
        from ..randomness.mixing import mix

        words = [mix(Key(0x510E527FADE682D1, 0x9B05688C2B3E6C1F), positions)]
        while len(words) * 8 < width:
            words.append(mix(Key(0x1F83D9ABFB41BD6B, 0x5BE0CD19137E2179), words[-1]))
        data = np.stack(words, axis=1).view(np.uint8)
        if width < 8:  # then the position itself, so that different ones never give the same bytes
            data = positions.astype(">u8")[:, None].view(np.uint8)[:, 8 - width :]
        rows = np.ascontiguousarray(data[:, :width])
        offsets = np.arange(0, (len(rows) + 1) * width, width, dtype=np.int32)
        return pa.BinaryArray.from_buffers(pa.binary(), len(rows), [None, pa.py_buffer(offsets), pa.py_buffer(rows)])

    return Values(space=min(1 << 62, 256 ** min(width, 8)), decode=decode)
