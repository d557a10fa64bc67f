"""Codes: identifiers and short texts with a form of their own."""

from __future__ import annotations

import re
from dataclasses import replace
from functools import lru_cache
from itertools import product
from math import prod
from typing import Any
from zlib import crc32

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..model.folding import Fold
from ..model.types import TEXTS, TypeName
from ..randomness import WIDEST, Key
from ..randomness.mixing import mix
from .patterns import texts_of
from .person_names import in_latin
from .pools import fixed_width, taker, text_pool
from .registry import FromText, KindError, Request, Values, declare, get_kind

# Ofcom sets these aside for drama: each prefix is followed by any three digits. Written as E.164 wants it.
_FICTION = [
    "7700900", "1632960", "1134960", "1144960", "1154960", "1164960", "1174960", "1184960", "1214960", "1314960",
    "1414960", "1514960", "1614960", "1914980", "2079460", "2890180", "2920180", "3069990", "8081570", "9098790",
]  # fmt: skip


@lru_cache(maxsize=1)
def _fiction() -> Any:
    return text_pool(f"+44{prefix}{number:03d}" for prefix in _FICTION for number in range(1000))


@declare(
    "slug", "Lower-case letters and hyphens, made from a text beside it, or from a name of the row's trade.",
    parameters=("of", "numbered"),
)  # fmt: skip
def slug(request: Request) -> FromText | Values:
    """`numbered: yes`: with the row's number behind it, so that no two are the same."""
    room = request.room

    def convert(texts: Any) -> Any:
        texts = _spelled(texts)
        plain = pc.utf8_normalize(texts, "NFKD")
        plain = pc.replace_substring_regex(pc.utf8_lower(plain), "[^a-z0-9 _-]+", "")
        folded = pc.utf8_trim(pc.replace_substring_regex(plain, "[^a-z0-9]+", "-"), "-")
        return folded if room is None else pc.utf8_slice_codeunits(folded, 0, room)

    if "of" not in request.parameters:
        names = get_kind("thing-name").prepare(replace(request, parameters={}))
        assert isinstance(names, Values)
        return replace(names, decode=lambda positions: convert(names.decode(positions)))
    if request.parameters.get("numbered") == "yes":
        digits = len(str(request.rows)) + 1
        if room is not None and room <= digits + 1:
            raise KindError(f"a number behind it takes {digits} of its {room} characters")

        def numbered(texts: Any, numbers: Any) -> Any:
            plain = convert(texts)
            cut = plain if room is None else pc.utf8_slice_codeunits(plain, 0, room - digits)
            return pc.binary_join_element_wise(cut, pa.array(numbers, pa.int64()).cast(pa.string()), "-")

        return FromText(field=request.parameters["of"], convert=numbered, numbered=True)
    return FromText(field=request.parameters["of"], convert=convert)


def _spelled(texts: Any) -> Any:
    """Texts in Latin letters. What is in another script, and no known name, gets eight signs that tell it apart."""
    if not pc.any(pc.match_substring_regex(texts, r"[^\x00-\x{24f}\x{1e00}-\x{1eff}]")).as_py():
        return texts
    known = pc.dictionary_encode(texts)
    spelled = []
    for text in known.dictionary.to_pylist():
        latin = in_latin(text)
        apart = "" if latin.isascii() else f" {crc32(text.encode()):08x}"
        spelled.append(f"{latin}{apart}")
    return pa.array(spelled, pa.string()).take(known.indices)


@declare("abbreviation", "Two to four capitals, made from a text beside it.", parameters=("of",))
def abbreviation(request: Request) -> FromText:
    """The first letters of its words; of a single word its first one and the consonants behind it."""
    if "of" not in request.parameters:
        raise KindError("it needs the field that it is made from: {abbreviation: {of: FIELD}}")
    room = min(4, request.room or 4)

    def convert(texts: Any) -> Any:
        plain = pc.replace_substring_regex(pc.utf8_normalize(texts, "NFKD"), "[^A-Za-z0-9 -]+", "")
        initials = pc.replace_substring_regex(pc.utf8_upper(plain), "([A-Z0-9])[A-Z0-9]*[^A-Z0-9]*", "\\1")
        first = pc.utf8_upper(pc.utf8_slice_codeunits(plain, 0, 1))
        rest = pc.utf8_upper(pc.replace_substring_regex(pc.utf8_slice_codeunits(plain, 1, 40), "[aeiouAEIOU .0-9-]+", ""))
        short = pc.utf8_slice_codeunits(pc.binary_join_element_wise(first, rest, ""), 0, max(2, room - 1))
        made = pc.if_else(pc.greater_equal(pc.utf8_length(initials), 2), initials, short)
        return pc.utf8_slice_codeunits(made, 0, room)

    return FromText(field=request.parameters["of"], convert=convert)


@declare("document-number", "The number of an invoice, a claim, a sample: the year of its date, and a number that goes up.",
         parameters=("of", "form"))  # fmt: skip
def document_number(request: Request) -> FromText:
    """`form` says where the year stands, in four or two digits, and the number with the fewest digits that it has:
    `INV-{year}-{number:5}`, `S{yy}-{number:4}`."""
    if "of" not in request.parameters:
        raise KindError("it needs the date that it is made from: {document-number: {of: FIELD}}")
    form = request.parameters.get("form", "{year}-{number:5}")
    parts = re.fullmatch(r"([^{}]*)\{(year|yy)\}([^{}]*)\{number:([1-9])\}", form)
    if parts is None:
        raise KindError("its form is written as in INV-{year}-{number:5}")
    before, year, between, least = parts[1], "%Y" if parts[2] == "year" else "%y", parts[3], int(parts[4])
    length = len(before) + len(between) + (4 if year == "%Y" else 2)
    digits = max(least, len(str(request.rows)))
    if not request.fits(length + digits):
        raise KindError(f"it takes {length + digits} characters")

    def convert(dates: Any, numbers: Any) -> Any:
        counted = pc.utf8_lpad(pa.array(numbers, pa.int64()).cast(pa.string()), least, "0")
        return pc.binary_join_element_wise(
            before, pc.strftime(dates.cast(pa.timestamp("s"), safe=False), year), between, counted, ""
        )

    return FromText(field=request.parameters["of"], convert=convert, numbered=True, of_moments=True)


_WIDEST_CODE = 12
_HEX = np.frombuffer(b"".join(b"%02x" % byte for byte in range(256)), np.uint16)
_UUID_TEXT = np.array([i for i in range(36) if i not in (8, 13, 18, 23)])
_SECOND_HALF = Key(0x2545F4914F6CDD1D, 0x9E3779B97F4A7C15)  # any two constants: the position is random already


def uuid_text(words: Any) -> Any:
    """Version 4 UUIDs that hold all 64 bits of `words`, so that different words never give the same one."""
    rest = mix(_SECOND_HALF, words)
    high = words & np.uint64(0xFFFFFFFFFFFF0FFF) | np.uint64(0x4000)
    low = rest & np.uint64(0x03FFFFFFFFFFFFFF) | np.uint64(0x8000000000000000)
    low |= (words & np.uint64(0xF000)) << np.uint64(46)  # the four bits that the version displaced
    return uuid_of(high, low)


def uuid_of(high: Any, low: Any) -> Any:
    """Texts of identifiers of 128 bits, by their halves."""
    octets = np.stack([high, low], axis=1).astype(">u8").view(np.uint8).reshape(-1, 16)
    text = np.full((len(octets), 36), ord("-"), np.uint8)
    text[:, _UUID_TEXT] = _HEX[octets].view(np.uint8).reshape(-1, 32)
    return fixed_width(text)


@declare("uuid", "A random identifier of 128 bits.", suits=TEXTS | {TypeName.UUID}, standard="RFC 9562, version 4")
def uuid(request: Request) -> Values:
    if not request.fits(36):
        raise KindError("a UUID takes 36 characters")
    key = Key(0x6A09E667F3BCC908, 0xBB67AE8584CAA73B)
    return Values(space=WIDEST, decode=lambda positions: uuid_text(mix(key, positions)))


@declare("pattern", "Texts that a regular expression matches as a whole.", parameters=("of",))
def pattern(request: Request) -> Values:
    if "of" not in request.parameters:
        raise KindError("it needs the expression: {pattern: {of: REGEX}}")
    try:
        automaton = texts_of(request.parameters["of"], request.room, request.least, folded=request.fold >= Fold.CASE)
    except ValueError as error:
        raise KindError(str(error)) from None
    return Values(space=automaton.space, decode=automaton.decode)


@declare("code", "Capitals and digits, as short as the rows allow.")
def code(request: Request) -> Values:
    width = 4
    width = max(width, request.least)
    while 30**width < 40 * request.rows:
        width += 1
    if request.room is not None:
        # char(n) is filled to its full length: a shorter text would be padded with blanks
        width = request.room if request.type.name is TypeName.CHAR and request.room <= _WIDEST_CODE else min(width, request.room)
    # no I, O, 0, 1, U, L: they are misread
    automaton = texts_of(f"[A-HJKMNP-TV-Z2-9]{{{width}}}", None)
    return Values(space=automaton.space, decode=automaton.decode)


@declare("boolean", "True or false.", suits=frozenset({TypeName.BOOLEAN}))
def boolean(request: Request) -> Values:
    return Values(space=2, decode=lambda positions: pa.array(positions.astype(bool)))


_DOCUMENTATION = ("192.0.2", "198.51.100", "203.0.113")


@declare("ipv4", "An address from the ranges kept for documentation.", suits=TEXTS | {TypeName.INET}, standard="RFC 5737")
def ipv4(request: Request) -> Values:
    if request.type.declared == "inet6":
        return _ipv6()
    if request.type.declared == "cidr":
        pool = text_pool(
            f"{net}.{host}/{bits}" for net in _DOCUMENTATION for bits in (28, 30) for host in range(0, 256, 1 << (32 - bits))
        )
    else:
        pool = text_pool(f"{net}.{host}" for net in _DOCUMENTATION for host in range(1, 255))
    return Values(space=len(pool), decode=taker(pool))


@declare("ipv6", "An address from the range kept for documentation.", suits=TEXTS | {TypeName.INET}, standard="RFC 3849")
def ipv6(request: Request) -> Values:
    if not request.fits(24):
        raise KindError("an IPv6 address takes 24 characters here")
    return _ipv6()


def _ipv6() -> Values:
    automaton = texts_of("2001:db8::([1-9a-f][0-9a-f]{3}:){2}[1-9a-f][0-9a-f]{3}", None)
    return Values(space=automaton.space, decode=automaton.decode)


_STEMS = "report plan list minutes invoice photo scan form letter summary backup export notes budget drawing".split()
_MODULES = "main config models views utils parser client server routes auth cache report import export session".split()
_PATHS: dict[str, tuple[tuple[str, ...], ...]] = {  # parts that are joined in every way
    "files": (("uploads/", "documents/", "media/", "exports/"), ("2023/", "2024/", "2025/"),
              tuple(f"{n:02d}/" for n in range(1, 13)), tuple(_STEMS), ("", "-2", "-3", "-4"),
              (".pdf", ".jpg", ".png", ".csv", ".txt", ".docx")),
    "source": (("src/", "lib/", "app/", "tests/"), ("api/", "core/", "web/", "jobs/", "admin/"), tuple(_MODULES),
               (".py", ".js", ".ts", ".java", ".go")),
    "directory": (("/srv/", "/var/lib/", "/opt/", "/mnt/", "/home/"), ("data", "media", "backup", "mail", "web", "share", "app"),
                  tuple(f"{n:02d}" for n in range(1, 30))),
    "log": (("/var/log/", "/var/log/app/", "/srv/log/"), ("access", "error", "debug", "audit", "import", "worker", "mail"),
            tuple(f"-{n:02d}" for n in range(1, 20)), (".log",)),
}  # fmt: skip


@declare("file-path", "Where a file or a directory lies.", parameters=("ending", "of"))
def file_path(request: Request) -> Values:
    """`of` says whose: files, source, directory, log; else one with the `ending`."""
    if (of := request.parameters.get("of", "")) in _PATHS:
        return _joined_paths(request, of)
    return _with_ending(request, request.parameters.get("ending", "jpg"))


def _with_ending(request: Request, ending: str) -> Values:
    form = "aa/########" if request.fits(len(ending) + 12) else "####"
    if not request.fits(len(form) + len(ending) + 1):
        raise KindError(f"a path that ends in .{ending} takes more than {request.room} characters")
    signs = [_LETTERS if sign == "a" else _SIGNS if sign == "#" else np.frombuffer(sign.encode(), np.uint8) for sign in form]
    tail = np.frombuffer(f".{ending}".encode(), np.uint8)

    def decode(positions: Any) -> Any:
        text = np.empty((len(positions), len(signs) + tail.size), np.uint8)
        text[:, len(signs) :] = tail
        for column in range(len(signs) - 1, -1, -1):
            quotient = positions // np.uint64(signs[column].size)
            text[:, column] = signs[column][positions - quotient * np.uint64(signs[column].size)]
            positions = quotient
        return fixed_width(text)

    return Values(space=prod(sign.size for sign in signs), decode=decode)


@lru_cache(maxsize=8)
def _every_path(of: str) -> tuple[str, ...]:
    return tuple("".join(one) for one in product(*_PATHS[of]))


def _joined_paths(request: Request, of: str) -> Values:
    texts = _every_path(of)
    if not request.fits(max(map(len, texts))):
        texts = tuple(text for text in texts if request.fits(len(text)))
    if not texts or (request.differ and len(texts) < 2 * request.rows):
        return _with_ending(request, "jpg")
    return Values(space=len(texts), decode=taker(text_pool(texts)))


_LETTERS = np.frombuffer(b"abcdefghijklmnopqrstuvwxyz", np.uint8)
_SIGNS = np.frombuffer(b"abcdefghijklmnopqrstuvwxyz0123456789", np.uint8)


@declare("sha-256", "A digest in hexadecimal.", standard="FIPS 180-4 (its form)")
def digest(request: Request) -> Values:
    """Four words after each other; the first is the position mixed, so that different ones differ within sixteen characters."""
    width = min(64, request.room or 64)
    if width < 16:
        automaton = texts_of(f"[0-9a-f]{{{width}}}", None)
        return Values(space=automaton.space, decode=automaton.decode)

    def decode(positions: Any) -> Any:
        words = [mix(_SECOND_HALF, positions)]
        for _ in range(3):
            words.append(mix(_SECOND_HALF, words[-1]))
        octets = np.stack(words, axis=1).astype(">u8").view(np.uint8)
        text = _HEX[octets].view(np.uint8).reshape(len(positions), 64)
        return fixed_width(text[:, :width])

    return Values(space=WIDEST, decode=decode)
