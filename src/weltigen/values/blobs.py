"""Files: their names and types, and small ones as bytes."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model.types import TypeName
from ..randomness import Words
from .pictures import square
from .pools import fold, taker, text_pool
from .registry import KindError, Request, Values, declare
from .technical import pattern_of
from .texts import topic_of

_FILES = {
    "pdf": "application/pdf",
    "jpg": "image/jpeg",
    "png": "image/png",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "csv": "text/csv",
    "txt": "text/plain",
    "zip": "application/zip",
    "json": "application/json",
    "html": "text/html",
}


_ENDINGS = tuple(_FILES)


_WEIGHTED = (0, 0, 0, 0, 0, 1, 1, 1, 2, 2, 3, 3, 4, 5, 6, 7)  # of sixteen files, which ending each has


def _kind_of_file(words: Words) -> NDArray[np.int64]:
    return np.asarray(np.array(_WEIGHTED)[(words >> np.uint64(60)).astype(np.int64)], np.int64)


@declare("file-name", "The name of a file, with its ending.", parameters=("row",), row="file")
def file_name(request: Request) -> Values:
    stems = [fold(thing).replace("-", "_") for thing in topic_of(request).words("things")]
    from .vocabulary import topic

    stems += [fold(name).replace("-", "_") for name in topic("files").words("names")]
    room = 10_000 if request.room is None else request.room
    stems = [stem for stem in dict.fromkeys(stems) if len(stem) + 10 <= room] or ["scan", "file", "img", "doc"]
    if room < 14:
        return pattern_of("[a-z]{3}[0-9]{2}\\.(pdf|jpg|png)", request, "file")
    parts = [f"{stem}_{n:03d}" for stem in stems for n in range(1, 120)]
    count = len(parts)
    heads, tails = text_pool(parts), text_pool(f".{ending}" for ending in _ENDINGS)

    def decode(positions: Words) -> Any:
        import pyarrow.compute as pc

        ending = (positions // np.uint64(count)).astype(np.int64)
        return pc.binary_join_element_wise(
            heads.take(pa.array((positions % np.uint64(count)).astype(np.int64))), tails.take(pa.array(ending)), ""
        )

    def draw(words: Words) -> Words:
        return _kind_of_file(words).astype(np.uint64) * np.uint64(count) + (words & np.uint64(0xFFFFFFFFFF)) % np.uint64(count)

    return Values(space=count * len(_ENDINGS), decode=decode, draw=draw)


@declare("mime-type", "What a file is.", standard="RFC 2046", parameters=("row",), row="file")
def mime_type(request: Request) -> Values:
    every = [kind for kind in _FILES.values() if request.fits(len(kind))]
    if not every:
        raise KindError(f"no type of a file has at most {request.room} characters")
    if len(every) < len(_FILES) or request.differ:
        return Values(space=len(every), decode=taker(text_pool(every)))
    return Values(space=len(every), decode=taker(text_pool(every)), draw=lambda words: _kind_of_file(words).astype(np.uint64))


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
