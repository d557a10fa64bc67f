"""One page of text as a file in the Portable Document Format (ISO 32000-1)."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

_WIDTH, _HEIGHT, _MARGIN = 595, 842, 72  # points of A4, and what is left free around
_LINE, _CHARACTERS = 16, 78  # points from line to line, and characters of one


def pdf(heading: str, texts: Sequence[str]) -> bytes:
    """A page with a heading and a paragraph for each text. What Latin letters of Western Europe do not hold becomes `?`."""
    lines = [line for text in texts for line in (*textwrap.wrap(text, _CHARACTERS), "")]
    most = (_HEIGHT - 2 * _MARGIN) // _LINE - 3
    drawn = [f"BT /F2 18 Tf {_MARGIN} {_HEIGHT - _MARGIN} Td ({_escaped(heading)}) Tj ET".encode("cp1252", "replace")]
    body = "\n".join(f"({_escaped(line)}) Tj T*" for line in lines[:most])
    drawn.append(f"BT /F1 11 Tf {_LINE} TL {_MARGIN} {_HEIGHT - _MARGIN - 2 * _LINE} Td\n{body}\nET".encode("cp1252", "replace"))
    content = b"\n".join(drawn)
    font = "<< /Type /Font /Subtype /Type1 /BaseFont /{} /Encoding /WinAnsiEncoding >>"
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        f"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 {_WIDTH} {_HEIGHT}] /Contents 4 0 R "
        "/Resources << /Font << /F1 5 0 R /F2 6 0 R >> >> >>".encode(),
        b"<< /Length %d >>\nstream\n%s\nendstream" % (len(content), content),
        font.format("Helvetica").encode(),
        font.format("Helvetica-Bold").encode(),
    ]
    out, places = b"%PDF-1.4\n%\xe2\xe3\xcf\xd3\n", []
    for number, one in enumerate(objects, 1):
        places.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, one)
    table = b"".join(b"%010d 00000 n \n" % place for place in places)
    size = len(objects) + 1
    end = b"trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % (size, len(out))
    return out + b"xref\n0 %d\n0000000000 65535 f \n%s%s" % (size, table, end)


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace("(", "\\(").replace(")", "\\)")
