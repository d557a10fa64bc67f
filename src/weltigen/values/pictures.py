"""Small pictures in bytes (PNG, ISO/IEC 15948): one colour, initials on a colour, a chart of bars."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Sequence
from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]  # height by width by red, green and blue
Colour = tuple[int, int, int]
_BLOCK = 65_535  # bytes that one stored block holds (RFC 1951)
_LIGHT, _DARK, _GREY = (255, 255, 255), (40, 44, 52), (208, 212, 218)


def square(red: int, green: int, blue: int, size: int) -> bytes:
    """A square of one colour."""
    return png(plain((red, green, blue), size, size))


def png(pixels: Pixels) -> bytes:
    """The picture as a file. Blocks are stored, not packed: a library's compression may change, these bytes do not."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    height, width, _ = pixels.shape
    rows = b"".join(b"\x00" + row.tobytes() for row in pixels)
    stored = b"\x78\x01"
    for first in range(0, len(rows), _BLOCK):
        part = rows[first : first + _BLOCK]
        stored += struct.pack("<BHH", first + _BLOCK >= len(rows), len(part), len(part) ^ 0xFFFF) + part
    stored += struct.pack(">I", zlib.adler32(rows))
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", stored) + chunk(b"IEND", b"")


def plain(colour: Colour, width: int, height: int) -> Pixels:
    return np.full((height, width, 3), colour, np.uint8)


def initials(letters: str, colour: Colour, width: int, height: int) -> Pixels:
    """One or two capitals in the middle, as large as there is room."""
    out = plain(colour, width, height)
    wide, high = 6 * len(letters) - 1, 7
    scale = max(1, min(width * 2 // 3 // wide, height * 2 // 3 // high))
    drawn = np.concatenate([np.pad(_glyphs()[letter], ((0, 0), (0, 1))) for letter in letters], axis=1)[:, :wide]
    drawn = drawn.repeat(scale, axis=0).repeat(scale, axis=1)[:height, :width]
    top, left = (height - drawn.shape[0]) // 2, (width - drawn.shape[1]) // 2
    light = np.dot(colour, (299, 587, 114)) < 140_000  # brightness by ITU-R BT.601, in thousandths
    out[top : top + drawn.shape[0], left : left + drawn.shape[1]][drawn] = _LIGHT if light else _DARK
    return out


def chart(heights: Sequence[int], colour: Colour, width: int, height: int) -> Pixels:
    """Bars, each so many hundredths of the room high, over a line."""
    out = plain(_LIGHT, width, height)
    base, room = height - max(1, height // 16), height - max(2, height // 8)
    out[base:, :] = _GREY
    each = width / len(heights)
    for place, share in enumerate(heights):
        left, right = round((place + 1 / 6) * each), round((place + 5 / 6) * each)
        out[max(0, base - room * share // 100) : base, left : max(right, left + 1)] = colour
    return out


@lru_cache(maxsize=1)
def _glyphs() -> dict[str, NDArray[np.bool_]]:
    """Capitals in five columns and seven rows."""
    lines = (files("weltigen.values") / "data" / "capitals.txt").read_text("utf-8").splitlines()
    told = (line.split(" ") for line in lines if line and not line.startswith("#"))
    return {letter: np.array([[dot == "x" for dot in row] for row in rows]) for letter, *rows in told}
