"""What stands behind a name: 12 V where the property is the voltage, `dark` where the setting is the theme."""

from __future__ import annotations

import re
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..randomness.quota import choose, thresholds
from .pools import text_pool
from .registry import FromText, KindError, Request, declare

Weights = tuple[tuple[str, float], ...]


@lru_cache(maxsize=1)
def _table() -> dict[str, Weights]:
    """Values by weight, by the name or the form of a name."""
    lines = (files("weltigen.values.vocabulary") / "named_values.txt").read_text("utf-8").splitlines()
    table: dict[str, Weights] = {}
    for line in lines:
        if line and not line.startswith("#"):
            names, values = line.split(" : ")
            pairs = (value.rpartition(":") for value in values.split(", "))
            table.update(dict.fromkeys(names.split(", "), tuple((value, float(weight)) for value, _, weight in pairs)))
    return table


@lru_cache(maxsize=4096)
def values_behind(name: str) -> Weights:
    """The values by weight that usually stand behind a name, in any case; none where nobody knows it."""
    plain = name.lower()
    table = _table()
    if plain in table:
        return table[plain]
    return next((pairs for form, pairs in table.items() if "*" in form and re.fullmatch(form.replace("*", ".*"), plain)), ())


_OTHERWISE: Weights = (("standard", 30.0), ("yes", 20.0), ("no", 14.0), ("1", 14.0), ("10", 12.0), ("none", 10.0))


@declare(
    "named-value", "What stands behind a name that another field holds: of a property, a setting or a field.", parameters=("of",)
)
def named_value(request: Request) -> FromText:
    if "of" not in request.parameters:
        raise KindError("it needs the field that holds the name: {named-value: {of: FIELD}}")

    def fitting(name: str | None) -> Weights:
        pairs = tuple(one for one in values_behind(name or "") if request.fits(len(one[0])))
        return pairs or tuple(one for one in _OTHERWISE if request.fits(len(one[0])))

    if not fitting(None):
        raise KindError(f"its values need more than {request.room} characters")

    def convert(names: Any, words: Any) -> Any:
        encoded = pc.dictionary_encode(names, null_encoding="encode")
        index = encoded.indices.to_numpy(zero_copy_only=False)
        pieces, first, at = [], 0, np.zeros(len(index), np.int64)
        for number, name in enumerate(encoded.dictionary.to_pylist()):
            pairs = fitting(name)
            those = np.flatnonzero(index == number)
            at[those] = first + choose(thresholds([weight for _, weight in pairs]), words[those]).astype(np.int64)
            pieces += [value for value, _ in pairs]
            first += len(pairs)
        return text_pool(pieces).take(pa.array(at)) if pieces else pa.array([], pa.string())

    return FromText(field=request.parameters["of"], convert=convert, drawn=True)
