"""Small files as bytes, as base64, or as addresses that hold them."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable

import numpy as np
import pyarrow as pa

from ..model.types import TEXTS, TypeName
from .pages import pdf as page
from .pictures import Colour, chart, initials, plain, png
from .registry import KindError, Request, Values, declare, get_kind
from .texts import topic_of

_BYTES = frozenset({TypeName.BYTEA})
_COLOURS: tuple[Colour, ...] = tuple(
    (r, g, b) for r in range(40, 256, 36) for g in range(40, 256, 36) for b in range(40, 256, 36)
)
_SHOWN = 120  # pictures with something on them, or pages, of one field
_LETTERS = "ABCDEFGHIJKLMNOPRSTVWZ"
_LARGEST = 512  # points that a picture is wide or high


def _blobs(blobs: list[bytes], request: Request, what: str, mime: str) -> Values:
    """The files in the form that is asked for, or that the field's type holds."""
    form = request.parameters.get("form", "bytes" if request.type.name is TypeName.BYTEA else "data-url")
    if form not in ("bytes", "base64", "data-url"):
        raise KindError(f"form: {form} is none of bytes, base64, data-url")
    if (form == "bytes") != (request.type.name is TypeName.BYTEA):
        raise KindError(f"{request.type} holds no file in the form {form}")
    before = f"data:{mime};base64," if form == "data-url" else ""
    told: list[bytes] | list[str] = (
        [*dict.fromkeys(blobs)] if form == "bytes" else [before + b64encode(one).decode() for one in dict.fromkeys(blobs)]
    )
    fitting = [one for one in told if request.fits(len(one))]
    if not fitting:
        raise KindError(f"no {what} has at most {request.room} {'bytes' if form == 'bytes' else 'characters'}")
    pool = pa.array(fitting, pa.binary() if form == "bytes" else pa.string())
    return Values(space=len(fitting), decode=lambda at: pool.take(pa.array(at.astype(np.int64))))


@declare(
    "image", "A small picture: in one colour, with initials, or a chart; as bytes, base64 or a data URL.",
    suits=_BYTES | TEXTS, standard="PNG (ISO/IEC 15948), RFC 2397", parameters=("show", "width", "height", "form"),
)  # fmt: skip
def image(request: Request) -> Values:
    """`show`: colour, initials or chart; `width` and `height` in points, 8 for a colour, else 64."""
    show = request.parameters.get("show", "colour")
    width, height = (_points(request, name, 8 if show == "colour" else 64) for name in ("width", "height"))
    draw: dict[str, Callable[[], list[bytes]]] = {
        "colour": lambda: [png(plain(colour, width, height)) for colour in _COLOURS],
        "initials": lambda: [png(initials(_two(at), _COLOURS[at * 37 % len(_COLOURS)], width, height)) for at in range(_SHOWN)],
        "chart": lambda: [png(chart(_heights(at), _COLOURS[at * 53 % len(_COLOURS)], width, height)) for at in range(_SHOWN)],
    }
    if show not in draw:
        raise KindError(f"show: {show} is none of {', '.join(draw)}")
    return _blobs(draw[show](), request, "picture", "image/png")


def _points(request: Request, name: str, usual: int) -> int:
    said = request.parameters.get(name, str(usual))
    if not said.isdigit() or not 1 <= int(said) <= _LARGEST:
        raise KindError(f"{name}: {said}: a picture has 1 to {_LARGEST} points")
    return int(said)


def _two(at: int) -> str:
    return _LETTERS[at * 7 % len(_LETTERS)] + _LETTERS[(at // len(_LETTERS) * 5 + at * 3) % len(_LETTERS)]


def _heights(at: int) -> list[int]:
    return [12 + (at * 31 + bar * bar * 17 + bar * (at + 3) * 7) % 88 for bar in range(5 + at % 4)]


@declare("pdf", "A page of text in the words of its topic.", suits=_BYTES | TEXTS, standard="ISO 32000-1",
         parameters=("topic", "language", "form"))  # fmt: skip
def pdf(request: Request) -> Values:
    def texts(purpose: str) -> list[str]:
        made = get_kind("text").prepare(Request(
            type=request.type, rows=_SHOWN, window=request.window, parameters={"purpose": purpose}, seed=request.seed,
            topic=topic_of(request).name, language=request.language, locale=request.locale, words=request.words,
        ))  # fmt: skip
        assert isinstance(made, Values)
        step = max(1, made.space // _SHOWN)
        return [str(one) for one in made.decode(np.arange(_SHOWN, dtype=np.uint64) * np.uint64(step)).to_pylist()]

    titles, bodies, ends = texts("title"), texts("description"), texts("remark")
    pages = [page(title, [body, end]) for title, body, end in zip(titles, bodies, ends, strict=True)]
    return _blobs(pages, request, "page", "application/pdf")


@declare("document", "A text as bytes.", suits=_BYTES)
def document(request: Request) -> Values:
    own = topic_of(request)
    texts = [f"{thing}: {issue}.\n".encode() for thing in own.words("things") for issue in own.words("issues")]
    return _blobs(texts, request, "document", "text/plain")
