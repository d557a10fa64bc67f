"""Values that are a choice among texts."""

from __future__ import annotations

from collections.abc import Iterable

from .pools import taker, text_pool
from .registry import KindError, Request, Values


def pool_of(texts: Iterable[str], request: Request, what: str) -> Values:
    """Those of some texts that fit the field, each once; KindError where none does."""
    fitting = [one for one in dict.fromkeys(texts) if request.fits(len(one))]
    if not fitting:
        raise KindError(f"no {what} has at most {request.room} characters")
    return Values(space=len(fitting), decode=taker(text_pool(fitting)))
