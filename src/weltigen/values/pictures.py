"""Small pictures in bytes (PNG, ISO/IEC 15948)."""

from __future__ import annotations

import struct
import zlib


def square(red: int, green: int, blue: int, size: int) -> bytes:
    """A square of one colour. Blocks are stored, not packed: a library's compression may change, these bytes do not."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    rows = b"".join(b"\x00" + bytes((red, green, blue)) * size for _ in range(size))
    stored = b"\x78\x01\x01" + struct.pack("<HH", len(rows), len(rows) ^ 0xFFFF) + rows + struct.pack(">I", zlib.adler32(rows))
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", size, size, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", stored) + chunk(b"IEND", b"")
