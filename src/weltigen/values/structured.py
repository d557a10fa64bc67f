"""Structured values (JSON), by what they are for."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from ..model.types import TEXTS, TypeName
from ..randomness.mixing import word
from .choosing import pool_of
from .json_shapes import shaped
from .pools import taker, text_pool
from .registry import Request, Values, declare
from .technical import KEY
from .texts import topic_of
from .things import lists_of
from .usual_shapes import SHAPES
from .vocabulary import NEUTRAL, Topic, topic

_NUMBER = 600  # different ones of each shape
_MAILBOXES = ("office", "team", "info", "support", "desk", "sales", "news", "help")


@dataclass(frozen=True, slots=True)
class _Choice:
    """The choices for the `n`th value of a shape; `at` tells them apart within it."""

    own: Topic
    n: int

    def number(self, below: int, at: int = 0) -> int:
        return word(KEY, self.n * 64 + at) % below

    def one(self, listed: Sequence[Any], at: int = 0) -> Any:
        return listed[self.number(len(listed), at)]

    def word(self, name: str, at: int = 0) -> Any:
        """A word of one of the topic's lists."""
        return self.one(self.own.words(name), at)


_SHAPES: dict[str, Callable[[_Choice], Any]] = {
    "settings": lambda c: {
        "theme": c.one(("light", "dark", "system"), 1),
        "language": c.one(("en", "de", "fr", "es"), 2),
        "notifications": {"email": c.one((True, False), 3), "push": c.one((True, False), 4)},
        "page_size": c.one((10, 20, 25, 50, 100), 5),
    },
    "metadata": lambda c: {
        "source": c.one(("web", "import", "mobile", "api"), 1),
        "kind": c.word("kinds", 2),
        "tags": [c.word("tags", 3)],
        "revision": 1 + c.number(9, 4),
    },
    "payload": lambda c: {
        "id": 1000 + c.number(90_000),
        "type": c.word("kinds", 1),
        "name": c.word("things", 2),
        "ok": c.one((True, True, True, False), 3),
    },
    "headers": lambda c: {
        "Content-Type": c.one(("application/json", "text/plain", "text/html"), 1),
        "Accept": "*/*",
        "X-Request-Id": f"req-{c.number(10**8):08d}",
    },
    "tags": lambda c: list(dict.fromkeys(c.word("tags", at) for at in (1, 2, 3))),
    "items": lambda c: [{"name": c.word("things", at), "quantity": 1 + c.number(6, at + 9)} for at in range(1 + c.n % 3)],
    "address": lambda c: {
        "street": f"{1 + c.n % 180} {c.one(('Mill', 'Park', 'Station', 'High', 'Oak', 'Church'), 1)} Street",
        "city": c.one(("Leeds", "Bristol", "York", "Norwich", "Exeter", "Derby"), 3),
        "country": "GB",
    },
    "point": lambda c: {
        "type": "Point",
        "coordinates": [round(-3 + c.number(60_000) / 10_000, 4), round(50 + c.number(50_000, 1) / 10_000, 4)],
    },
    "changes": lambda c: {
        "status": {"from": c.one(("new", "open"), 1), "to": c.one(("in progress", "done", "closed"), 2)},
        "by": c.one(("import", "web", "mobile"), 3),
    },
    "schema": lambda c: {
        "type": "object",
        "properties": {
            "name": {"type": "string"},
            c.one(("amount", "note", "date", "count"), 1): {"type": c.one(("string", "number"), 2)},
        },
    },
    "metrics": lambda c: {"count": c.number(400), "average": round(c.number(900, 1) / 10, 1), "maximum": 90 + c.number(60, 2)},
    "translations": lambda c: {"en": c.word("things", 1), "de": c.one(("Bericht", "Liste", "Plan", "Formular", "Hinweis"), 2)},
    "hours": lambda c: {
        "mon-fri": f"0{8 + c.n % 2}:00-1{7 + c.n % 2}:00",
        "sat": c.one(("09:00-13:00", "10:00-14:00", "closed"), 1),
    },
    "emails": lambda c: [f"{c.one(_MAILBOXES, at)}{c.n % 40}@example.com" for at in range(1 + c.n % 2)],
}


def _in_order(value: Any) -> Any:
    """Keys in the order in which PostgreSQL's jsonb keeps them, so that what comes back is the text that went in."""
    if isinstance(value, dict):
        return {key: _in_order(value[key]) for key in sorted(value, key=lambda key: (len(key.encode()), key))}
    return [_in_order(one) for one in value] if isinstance(value, list) else value


@declare(
    "json",
    "A structured value, by what it is for, or by a schema: see `properties` and `items` of a field.",
    suits=TEXTS | {TypeName.JSON, TypeName.ARRAY},
    standard="RFC 8259",
    parameters=("for", "topic", "schema"),
)
def structured(request: Request) -> Values:
    """`for` is one of the shapes above; any other word is a payload. `schema`: a shape of one's own, as JSON."""
    if "schema" in request.parameters:
        return shaped(request.parameters["schema"], request)
    what, own = request.parameters.get("for", "metadata"), topic_of(request)
    if request.type.name is TypeName.ARRAY:
        return lists_of([f"{name}@example.com" for name in _MAILBOXES] if what == "emails" else own.words("tags"), request)
    if what in SHAPES and not request.differ and request.room is None:
        return shaped(json.dumps(SHAPES[what](own)), request)
    shape = _SHAPES.get(what, _SHAPES["payload"])
    texts = dict.fromkeys(json.dumps(_in_order(shape(_Choice(own, n))), ensure_ascii=False) for n in range(_NUMBER))
    if request.type.name is TypeName.JSON:
        return Values(space=len(texts), decode=taker(text_pool(texts)))
    small = [f'{{"id": {number}}}' for number in range(1000, 1900)] if not any(request.fits(len(text)) for text in texts) else []
    return pool_of([*texts, *small], request, "structured value")


def known_shapes() -> frozenset[str]:
    """The words that `for` may be."""
    return frozenset(_SHAPES) | frozenset(SHAPES)


@lru_cache(maxsize=1)
def list_shapes() -> frozenset[str]:
    """Those that are lists; the others are objects."""
    own = topic(NEUTRAL)
    told = {name for name, shape in SHAPES.items() if shape(own)["type"] == "array"}
    return frozenset(told | {name for name, made in _SHAPES.items() if isinstance(made(_Choice(own, 0)), list)})
