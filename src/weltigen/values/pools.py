"""Pools of text: word lists that ship with the package, folding to plain letters, and Arrow columns made from pieces."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from functools import lru_cache
from importlib.resources import files
from typing import Any
from unicodedata import normalize

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray


@lru_cache(maxsize=64)
def word_list(name: str) -> tuple[str, ...]:
    """The entries of data/NAME.txt, separated by white space, in the order of how common they are by row."""
    return tuple((files("weltigen.values") / "data" / f"{name}.txt").read_text("utf-8").split())


def fold(text: str) -> str:
    """Lower case ASCII letters and digits; what is between them becomes one hyphen."""
    plain = normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")


def told_apart(texts: Iterable[str]) -> list[str]:
    """Texts of which no two fold alike, the first of those that do; one in another script is told by itself."""
    return list({fold(text) or text.casefold(): text for text in reversed(list(texts))}.values())[::-1]


def text_pool(texts: Iterable[str]) -> Any:
    """An Arrow string array to take from."""
    return pa.array(list(texts), pa.string())


def one_array(column: Any) -> Any:
    """A column in one piece."""
    return column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column


def picked(column: Any, index: NDArray[Any], absent: NDArray[np.bool_] | None = None) -> Any:
    """Entries of a column, null where `absent`; all of the index is known to lie in it, so that it is not looked at again."""
    return pc.take(column, pa.array(index, mask=absent), boundscheck=False)


def taker(pool: Any) -> Callable[[NDArray[Any]], Any]:
    """A function from positions to the pool's entries. One row alone is a slice, which costs no kernel call."""

    def take(positions: NDArray[Any]) -> Any:
        if len(positions) == 1:
            return pool.slice(int(positions[0]), 1)
        return picked(pool, positions)

    return take


def join(*columns: Any) -> Any:
    """The columns' texts end to end, row by row; nulls stay null."""
    return pc.binary_join_element_wise(*columns, "")


def fixed_width(characters: NDArray[np.uint8]) -> Any:
    """An Arrow string array out of a matrix of ASCII bytes, one row each."""
    rows, width = characters.shape
    offsets = np.arange(0, (rows + 1) * width, width, dtype=np.int32) if width else np.zeros(rows + 1, np.int32)
    data = np.ascontiguousarray(characters)
    return pa.StringArray.from_buffers(rows, pa.py_buffer(offsets), pa.py_buffer(data))


def common_first(count: int, flatness: float = 12.0) -> NDArray[np.float64]:
    """Weights of a list whose first entries are the most common: 1 / (rank + flatness)."""
    return np.asarray(1.0 / (np.arange(count) + flatness), np.float64)
