"""Files of a row: what each is called, what it ends in, what it is, and where it is kept. Those of one row agree, since they are
drawn from the same word: its topmost bits choose the ending, the others what it is called."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..randomness import Words
from .pools import fold, taker, text_pool
from .registry import KindError, Request, Values, declare
from .technical import pattern_of
from .texts import topic_of
from .vocabulary import topic

_PICTURES = {"jpg": "image/jpeg", "png": "image/png", "webp": "image/webp"}
_SOUNDS = {"mp3": "audio/mpeg", "wav": "audio/wav", "ogg": "audio/ogg"}
_FILMS = {"mp4": "video/mp4", "webm": "video/webm", "mov": "video/quicktime"}
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
_SENT_UP = tuple("photo img portrait cover scan banner".split())  # what pictures are called that somebody sends up
_RECORDED = tuple("recording audio track voice clip".split())
_FILMED = tuple("clip video recording scene cam".split())
_NO_TEXTS = ("photo", "archive", "recording", "clip", "logo")
_TABLES = ("list", "table", "record", "report", "budget", "statement")
_NUMBERED = 119


@dataclass(frozen=True, slots=True)
class _Sort:
    """A sort of files: what they end in, of sixteen of them which ending each has, and what they are called."""

    files: Mapping[str, str]
    weighted: tuple[int, ...]
    called: tuple[str, ...] = ()

    def ending(self, words: Words) -> NDArray[np.int64]:
        return np.asarray(np.array(self.weighted)[(words >> np.uint64(60)).astype(np.int64)], np.int64)


_SORTS = {
    "any": _Sort(_FILES, (0, 0, 0, 0, 0, 1, 1, 1, 2, 2, 3, 3, 4, 5, 6, 7)),
    "image": _Sort(_PICTURES, (0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 1, 2, 2), _SENT_UP),
    "audio": _Sort(_SOUNDS, (0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 1, 2, 2), _RECORDED),
    "video": _Sort(_FILMS, (0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 2, 2, 2), _FILMED),
}
_OF = "; `sort`: image, audio, video"
_PARAMETERS = ("row", "sort")


def _sort_of(request: Request) -> _Sort:
    named = request.parameters.get("sort", "any")
    if named not in _SORTS:
        raise KindError(f"no sort of file is called {named}; use one of {', '.join(_SORTS)}")
    return _SORTS[named]


def _names(request: Request, sort: _Sort, room: int) -> list[list[str]]:
    """What files are called, by their ending."""
    if sort.called:
        return [[f"{stem}_{n:04d}" for stem in sort.called for n in range(1, 10_000)] for _ in sort.files]
    stems = [fold(thing).replace("-", "_") for thing in topic_of(request).words("things")]
    stems += [fold(name).replace("-", "_") for name in topic("files").words("names")]
    stems = [stem for stem in dict.fromkeys(stems) if len(stem) + 10 <= room]
    texts = [stem for stem in stems if not stem.endswith(_NO_TEXTS)] or ["report", "form", "file", "doc"]
    lists = [stem for stem in texts if stem.endswith(_TABLES)] or texts
    pictures = [stem for stem in stems if stem.endswith(("photo", "logo"))] or ["photo", "img", "scan"]
    of_ending = {
        "jpg": pictures,
        "png": pictures,
        "xlsx": lists,
        "csv": lists,
        "zip": ["backup", "archive", "export", "documents"],
    }
    return [[f"{stem}_{n:03d}" for stem in of_ending.get(one, texts) for n in range(1, _NUMBERED + 1)] for one in sort.files]


def _named(sort: _Sort, names: list[list[str]], written: Callable[[Any, Any], Any], more: int = 1) -> Values:
    """Files by position: each name with each ending, `more` times; `written` makes the texts."""
    ends = np.cumsum([len(some) * more for some in names]).astype(np.int64)
    starts = np.concatenate([[0], ends[:-1]])
    counts = np.array([len(some) for some in names], np.int64)
    pool = text_pool(f"{name}.{ending}" for some, ending in zip(names, sort.files, strict=True) for name in some)
    first = np.concatenate([[0], np.cumsum(counts)[:-1]])

    def decode(positions: Words) -> Any:
        at = positions.astype(np.int64)
        ending = np.searchsorted(ends, at, side="right")
        rest = at - starts[ending]
        return written(pool.take(pa.array(first[ending] + rest // more)), rest % more)

    def draw(words: Words) -> Words:
        ending = sort.ending(words)
        low = (words & np.uint64(0xFFFFFFFF)).astype(np.int64)
        further = (words >> np.uint64(32) & np.uint64(0xFFFFFFF)).astype(np.int64) % more
        return np.asarray(starts[ending] + low % counts[ending] * more + further, np.uint64)

    return Values(space=int(ends[-1]), decode=decode, draw=draw)


@declare("file-name", f"The name of a file, with its ending{_OF}.", parameters=_PARAMETERS, row="file")
def file_name(request: Request) -> Values:
    sort = _sort_of(request)
    room = 10_000 if request.room is None else request.room
    if room < 20 if sort.called else room < 14:
        return pattern_of(f"[a-z]{{3}}[0-9]{{2}}\\.({'|'.join(list(sort.files)[:3])})", request, "file")
    return _named(sort, _names(request, sort, room), lambda names, _: names)


_WHERE = tuple(
    f"{top}/{year}/{month:02d}/" for top in ("uploads", "documents", "media") for year in (2024, 2025) for month in range(1, 13)
)


_ON_A_SERVER = "https://files.example.com/"


@declare(
    "kept-file",
    f"Where a file of the row is kept{_OF}; `on: server`: a web address.",
    parameters=(*_PARAMETERS, "on"),
    row="file",
)
def kept_file(request: Request) -> Values:
    import pyarrow.compute as pc

    on = request.parameters.get("on")
    if on not in (None, "server"):
        raise KindError(f"a file cannot be kept on {on}; use `on: server`, or leave `on` out for a path")
    head = "" if on is None else _ON_A_SERVER
    sort, longest = _sort_of(request), len(head) + max(map(len, _WHERE))
    room = 10_000 if request.room is None else request.room
    if room < longest + 20:
        raise KindError(f"the path of a file takes more than {request.room} characters")
    where = text_pool(f"{head}{one}" for one in _WHERE)
    names = _names(request, sort, room - longest)
    return _named(sort, names, lambda names, at: pc.binary_join_element_wise(where.take(pa.array(at)), names, ""), len(_WHERE))


def _by_ending(request: Request, values: list[str], sort: _Sort, what: str) -> Values:
    every = [value for value in values if request.fits(len(value))]
    if not every:
        raise KindError(f"no {what} of a file has at most {request.room} characters")
    if len(every) < len(values) or request.differ:
        return Values(space=len(every), decode=taker(text_pool(every)))
    return Values(space=len(every), decode=taker(text_pool(every)), draw=lambda words: sort.ending(words).astype(np.uint64))


@declare("mime-type", f"What a file is{_OF}.", standard="RFC 2046", parameters=_PARAMETERS, row="file")
def mime_type(request: Request) -> Values:
    sort = _sort_of(request)
    return _by_ending(request, list(sort.files.values()), sort, "type")


@declare("file-extension", f"The ending of a file's name{_OF}.", parameters=_PARAMETERS, row="file")
def file_extension(request: Request) -> Values:
    sort = _sort_of(request)
    return _by_ending(request, list(sort.files), sort, "ending")
