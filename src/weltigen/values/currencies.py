"""Currencies: their names and signs, by the code that stands beside them or by themselves."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from .choosing import pool_of
from .registry import FromText, KindError, Prepared, Request, declare

_COMMON = "EUR GBP USD CHF SEK NOK DKK PLN CZK HUF JPY CAD AUD NZD CNY INR BRL MXN ZAR TRY".split()


@lru_cache(maxsize=1)
def _known() -> dict[str, tuple[str, str]]:
    """Names and signs by code, as ISO 4217 lists them."""
    lines = (files("weltigen.values") / "data" / "currencies.txt").read_text("utf-8").splitlines()
    return {code: (name, sign) for code, name, sign in (line.split("\t") for line in lines)}


def _told(request: Request, part: int) -> Prepared:
    texts = {code: parts[part] for code, parts in _known().items()}
    if "of" not in request.parameters:
        common = list(dict.fromkeys(texts[code] for code in _COMMON))
        more = [text for text in dict.fromkeys(texts.values()) if text not in common] if request.unique else []
        return pool_of([*common, *more], request, "currency")
    longest = max(map(len, texts.values()))
    if not request.fits(longest):
        raise KindError(f"the longest has {longest} characters")

    def convert(codes: Any) -> Any:
        encoded = pc.dictionary_encode(codes)
        named = [texts.get((code or "").upper(), code) for code in encoded.dictionary.to_pylist()]
        return pa.array(named, pa.string()).take(encoded.indices)

    return FromText(field=request.parameters["of"], convert=convert)


@declare(
    "currency-name", "The name of a currency: of the one whose code stands beside it.", standard="ISO 4217", parameters=("of",)
)
def currency_name(request: Request) -> Prepared:
    return _told(request, 0)


@declare(
    "currency-sign", "The sign of a currency: of the one whose code stands beside it.", standard="Unicode 15", parameters=("of",)
)
def currency_sign(request: Request) -> Prepared:
    return _told(request, 1)
