"""Names and addresses of persons of which no two are alike: who has the same name as another one has initials besides, and a
number in an address."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from .person_names import folded_names
from .pools import join, text_pool

_INITIALS = "JMACRLDSEHTBKPGFNWV"  # the commonest first


def initials(rank: int) -> str:
    """`J.` of the first namesake, `J. M.` of one of many; nothing of who came first, who is number 0."""
    out = []
    while rank > 0:
        rank, place = divmod(rank - 1, len(_INITIALS))
        out.append(f"{_INITIALS[place]}.")
    return " ".join(out)


def longest_initials(rows: int) -> int:
    """How many characters the initials of so many namesakes take, with the space before them."""
    return len(initials(max(1, rows))) + 1


def called_apart(given: Any, family: Any, numbers: NDArray[np.int64], room: int | None) -> Any:
    """`Anna J. Berg` of given names, family names, and numbers that tell those apart who have both in common; the family name is
    cut where there is no room for all of it."""
    every, places = np.unique(numbers, return_inverse=True)
    between = text_pool(f" {initials(int(number))} ".replace("  ", " ") for number in every).take(pa.array(places.reshape(-1)))
    whole = pc.utf8_trim_whitespace(join(given, between, family))
    if room is None or not len(whole) or pc.max(pc.utf8_length(whole)).as_py() <= room:
        return whole
    first = join(given, between)
    left = room - pc.max(pc.utf8_length(first)).as_py()
    return pc.utf8_trim_whitespace(join(first, pc.utf8_slice_codeunits(family, 0, max(1, left))))


def addresses(given: Any, family: Any, numbers: NDArray[np.int64], tails: Any, room: int | None) -> Any:
    """`anna.berg`, cut so that what comes behind it has room, and that."""
    names = join(each_text(given, folded_names), ".", each_text(family, folded_names))
    names = pc.utf8_trim(names, ".")  # somebody with one name, or with names in another script
    names = pc.if_else(pc.equal(names, ""), "person", names)
    if room is None or not len(names) or pc.max(pc.utf8_length(join(names, tails))).as_py() <= room:
        return join(names, tails)
    longest = room - pc.max(pc.utf8_length(tails)).as_py()
    return join(pc.utf8_slice_codeunits(names, 0, max(1, longest)), tails)


def each_text(texts: Any, change: Callable[[str], str]) -> Any:
    """Each different text changed once."""
    known = pc.dictionary_encode(texts)
    return pa.array([change(text) for text in known.dictionary.to_pylist()], pa.string()).take(known.indices)


def number_texts(numbers: NDArray[np.int64]) -> Any:
    return pc.if_else(pa.array(numbers == 0), "", pa.array(numbers + 1).cast(pa.string()))
