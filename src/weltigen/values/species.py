"""Scientific names of species, by the common name beside them or by what the row's trade is about."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files
from typing import Any
from zlib import crc32

import pyarrow as pa
import pyarrow.compute as pc

from .choosing import pool_of
from .registry import FromText, KindError, Request, Values, declare

# by trade, the groups that it is about; all of them elsewhere
_GROUPS = {
    "fish": ("fish",), "fishing": ("fish",), "birds": ("birds",), "falconry": ("birds",), "plants": ("trees", "plants"),
    "forestry": ("trees",), "allotments": ("plants",), "farming": ("plants",), "animals": ("mammals", "birds kept", "reptiles"),
    "veterinary": ("mammals", "birds kept", "reptiles"), "insects": ("insects",), "beekeeping": ("plants", "trees"),
}  # fmt: skip


@lru_cache(maxsize=1)
def species() -> dict[str, dict[str, str]]:
    """Scientific names by group and common name."""
    lines = (files("weltigen.values") / "data" / "species.txt").read_text("utf-8").splitlines()
    told = (line.split(": ", 1) for line in lines if not line.startswith("#"))
    return {group: dict(one.split("=") for one in rest.split("; ")) for group, rest in told}


@declare("latin-name", "A species' scientific name; `of`: of the common name in another field; `group`: of bats, of trees …",
         standard="binomial nomenclature", parameters=("of", "group"))  # fmt: skip
def latin_name(request: Request) -> Values | FromText:
    known = species()
    if (told := request.parameters.get("group")) is not None and told not in known:
        raise KindError(f"nothing is known of the group {told!r}; known are {', '.join(known)}")
    groups = (told,) if told is not None else _GROUPS.get(request.topic, tuple(known))
    names = tuple(dict.fromkeys(name for group in groups for name in known[group].values()))
    if "of" not in request.parameters:
        return pool_of(names, request, "species")
    by_name = {common.casefold(): name for group in known.values() for common, name in group.items()}
    longest = max(map(len, by_name.values()))
    if not request.fits(longest):
        raise KindError(f"the longest has {longest} characters")

    def convert(texts: Any) -> Any:
        encoded = pc.dictionary_encode(texts)
        told = [_of(text or "", by_name, names) for text in encoded.dictionary.to_pylist()]
        return pa.array(told, pa.string()).take(encoded.indices)

    return FromText(field=request.parameters["of"], convert=convert)


def _of(text: str, by_name: dict[str, str], names: tuple[str, ...]) -> str:
    """The name of a species, or of the one that its last words are of, but a number; else always the same one for a text."""
    words = text.casefold().rstrip("0123456789 ").split()
    ends = (" ".join(words[at:]) for at in range(len(words)))
    return next((by_name[end] for end in ends if end in by_name), names[crc32(text.casefold().encode()) % len(names)])
