"""Small files as bytes."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from ..model.types import TypeName
from .pictures import square
from .registry import KindError, Request, Values, declare
from .texts import topic_of

_TONES = range(40, 256, 36)


def _blobs(blobs: list[bytes], request: Request, what: str) -> Values:
    fitting = [one for one in dict.fromkeys(blobs) if request.fits(len(one))]
    if not fitting:
        raise KindError(f"no {what} has at most {request.room} bytes")
    pool = pa.array(fitting, pa.binary())
    return Values(space=len(fitting), decode=lambda at: pool.take(pa.array(at.astype(np.int64))))


@declare("image", "A small picture in one colour.", suits=frozenset({TypeName.BYTEA}), standard="PNG (ISO/IEC 15948)")
def image(request: Request) -> Values:
    return _blobs(
        [square(r, g, b, 8) for r in range(40, 256, 36) for g in range(40, 256, 36) for b in range(40, 256, 36)],
        request,
        "picture",
    )


@declare("document", "A text as bytes.", suits=frozenset({TypeName.BYTEA}))
def document(request: Request) -> Values:
    own = topic_of(request)
    return _blobs(
        [f"{thing}: {issue}.\n".encode() for thing in own.words("things") for issue in own.words("issues")], request, "document"
    )
