"""The parts of a regular expression that follow each other: their characters, all their texts, and columns made from these."""

from __future__ import annotations

import re._constants as sre  # type: ignore[import-not-found]
from collections.abc import Callable, Iterable, Iterator
from typing import Any

import numpy as np

from ..randomness import Words
from .pools import fixed_width, join, picked, text_pool

_PRINTABLE = frozenset(range(32, 127))
_DIGITS = frozenset(range(48, 58))
_WORD = _DIGITS | frozenset(range(65, 91)) | frozenset(range(97, 123)) | {95}
_SPACE = frozenset({32})
_CATEGORIES = {
    sre.CATEGORY_DIGIT: _DIGITS, sre.CATEGORY_NOT_DIGIT: _PRINTABLE - _DIGITS,
    sre.CATEGORY_WORD: _WORD, sre.CATEGORY_NOT_WORD: _PRINTABLE - _WORD,
    sre.CATEGORY_SPACE: _SPACE, sre.CATEGORY_NOT_SPACE: _PRINTABLE - _SPACE,
}  # fmt: skip
_CHUNK = 1 << 16  # texts of a part, at most
_ITEMS = {1: "u1", 2: "u2", 4: "u4", 8: "u8"}  # bytes that are copied as one number

Charset = frozenset[int]


def characters_of(operation: Any, argument: Any) -> Charset:
    if operation is sre.LITERAL:
        return frozenset({argument})
    if operation is sre.NOT_LITERAL:
        return _PRINTABLE - {argument}
    if operation is sre.ANY:
        return _PRINTABLE
    found: set[int] = set()
    negated = False
    for what, value in argument:
        if what is sre.NEGATE:
            negated = True
        elif what is sre.LITERAL:
            found.add(value)
        elif what is sre.RANGE:
            found.update(range(value[0], value[1] + 1))
        elif what is sre.CATEGORY:
            found |= _CATEGORIES[value]
    return _PRINTABLE - found if negated else frozenset(found)


def pools_of(parts: list[tuple[Any, Any]]) -> list[list[str]] | None:
    """The texts of each part, neighbours together as long as they are few; None where a part has too many."""
    pools: list[list[str]] = []
    for part in _one_after_another(parts):
        texts = _texts_of_part(*part)
        if texts is None:
            return None
        if pools and len(pools[-1]) * len(texts) <= _CHUNK:
            pools[-1] = [head + tail for head in pools[-1] for tail in texts]
        else:
            pools.append(texts)
    return pools


def _one_after_another(parts: Iterable[tuple[Any, Any]]) -> Iterator[tuple[Any, Any]]:
    """The parts one after the other; groups and repeats of one number are their own parts."""
    for operation, argument in parts:
        if operation is sre.SUBPATTERN:
            yield from _one_after_another(argument[3])
        elif operation in (sre.MAX_REPEAT, sre.MIN_REPEAT) and argument[0] == argument[1]:
            for _ in range(argument[0]):
                yield from _one_after_another(argument[2])
        else:
            yield operation, argument


def _texts_of_part(operation: Any, argument: Any) -> list[str] | None:
    """All texts of one part; None where they are too many, or cannot be told."""
    if operation in (sre.LITERAL, sre.NOT_LITERAL, sre.ANY, sre.IN):
        return [chr(code) for code in sorted(characters_of(operation, argument))]
    if operation is sre.AT:
        return [""]
    if operation is sre.BRANCH:
        found = [_all_texts(branch) for branch in argument[1]]
    elif operation in (sre.MAX_REPEAT, sre.MIN_REPEAT) and argument[1] is not sre.MAXREPEAT:
        found = [_all_texts([(sre.MAX_REPEAT, (times, times, argument[2]))]) for times in range(argument[0], argument[1] + 1)]
    else:
        return None
    if any(texts is None for texts in found) or sum(len(texts or ()) for texts in found) > _CHUNK:
        return None
    return [text for texts in found for text in texts or ()]


def _all_texts(parts: Iterable[tuple[Any, Any]]) -> list[str] | None:
    pools = pools_of(list(parts))
    return None if pools is None or len(pools) > 1 else pools[0] if pools else [""]


def is_of_one_width(pool: list[str]) -> bool:
    return len(set(map(len, pool))) == 1 and all(map(str.isascii, pool))


def of_one_width(pools: list[list[str]], chosen: Callable[[Words], list[Any]]) -> Any:
    """Each pool's texts as single items, and a row as a record of them: copied whole, not character by character."""
    filled = [pool for pool in pools if pool[0]]
    if len(filled) < len(pools) or not pools:
        return joined(pools, chosen)
    matrices = [np.array([list(text.encode("ascii")) for text in pool], np.uint8) for pool in pools]
    items = [
        np.ascontiguousarray(matrix).view(_ITEMS.get(matrix.shape[1], f"V{matrix.shape[1]}")).reshape(-1) for matrix in matrices
    ]
    record = np.dtype([(f"{number}", item.dtype) for number, item in enumerate(items)])
    width = sum(matrix.shape[1] for matrix in matrices)

    def decode(positions: Words) -> Any:
        out = np.empty(len(positions), record)
        for number, at in enumerate(chosen(positions)):
            out[f"{number}"] = items[number].take(at, mode="wrap")
        return fixed_width(out.view(np.uint8).reshape(len(positions), width))

    return decode


def joined(pools: list[list[str]], chosen: Callable[[Words], list[Any]]) -> Any:
    columns = [text_pool(pool) for pool in pools]

    def decode(positions: Words) -> Any:
        parts = [picked(column, at) for column, at in zip(columns, chosen(positions), strict=True)]
        return parts[0] if len(parts) == 1 else join(*parts)

    return decode
