"""Regular expressions as value spaces: a bijection between positions and the texts that match as a whole.

The expression is read by the standard library's parser and becomes a deterministic automaton, so that every text has one
path and is counted once. The texts of each length are counted from every state; a position is then unranked along the
path. Repeats without an upper end stop eight above their lower one, or where the room ends.
"""

from __future__ import annotations

import re._constants as sre  # type: ignore[import-not-found]
import re._parser as sre_parser  # type: ignore[import-not-found]
import warnings
from collections.abc import Iterable
from typing import Any

import numpy as np
import pyarrow as pa

from ..randomness import WIDEST, Key, Words
from ..randomness.mixing import below, mix, unit
from .pools import fixed_width

_PRINTABLE = frozenset(range(32, 127))
_DIGITS = frozenset(range(48, 58))
_WORD = _DIGITS | frozenset(range(65, 91)) | frozenset(range(97, 123)) | {95}
_SPACE = frozenset({32})
_CATEGORIES = {
    sre.CATEGORY_DIGIT: _DIGITS, sre.CATEGORY_NOT_DIGIT: _PRINTABLE - _DIGITS,
    sre.CATEGORY_WORD: _WORD, sre.CATEGORY_NOT_WORD: _PRINTABLE - _WORD,
    sre.CATEGORY_SPACE: _SPACE, sre.CATEGORY_NOT_SPACE: _PRINTABLE - _SPACE,
}  # fmt: skip
_OPEN_END = 8
_MOST_STATES = 20_000
_ITEMS = {1: "u1", 2: "u2", 4: "u4", 8: "u8"}  # bytes that are copied as one number
_CHUNK = 1 << 16
_LARGE = 1 << 40  # the positions of a space that is too large to count in 64 bits
_FREE_KEY = Key(0x243F6A8885A308D3, 0x13198A2E03707344)

Charset = frozenset[int]


class _Network:
    """A nondeterministic automaton: states are numbers, edges carry a character set or nothing."""

    def __init__(self, longest: int | None) -> None:
        self.longest = longest
        self.edges: list[list[tuple[Charset | None, int]]] = []

    def state(self) -> int:
        self.edges.append([])
        if len(self.edges) > _MOST_STATES:
            raise ValueError("the pattern is too large")
        return len(self.edges) - 1

    def link(self, start: int, end: int, characters: Charset | None = None) -> None:
        self.edges[start].append((characters, end))

    def add(self, parts: Iterable[tuple[Any, Any]], start: int) -> int:
        for operation, argument in parts:
            start = self._add_one(operation, argument, start)
        return start

    def _add_one(self, operation: Any, argument: Any, start: int) -> int:
        if operation in (sre.LITERAL, sre.NOT_LITERAL, sre.ANY, sre.IN):
            end = self.state()
            self.link(start, end, _characters(operation, argument))
            return end
        if operation is sre.SUBPATTERN:
            return self.add(argument[3], start)
        if operation is sre.BRANCH:
            end = self.state()
            for branch in argument[1]:
                self.link(self.add(branch, start), end)
            return end
        if operation in (sre.MAX_REPEAT, sre.MIN_REPEAT):
            least, most, part = argument
            return self._repeat(least, most, part, start)
        if operation is sre.AT and argument in (
            sre.AT_BEGINNING,
            sre.AT_END,
            sre.AT_BEGINNING_STRING,
            sre.AT_END_STRING,
        ):
            return start
        raise ValueError(f"the pattern uses {str(operation).lower().replace('_', ' ')}, which no text can be made for")

    def _repeat(self, least: int, most: int, part: Any, start: int) -> int:
        if most is sre.MAXREPEAT:
            most = max(least + _OPEN_END, 1)
        if self.longest is not None:
            most = max(least, min(most, self.longest))
        for _ in range(least):
            start = self.add(part, start)
        end = self.state()
        self.link(start, end)
        for _ in range(most - least):
            start = self.add(part, start)
            self.link(start, end)
        return end

    def closure(self, states: Iterable[int]) -> frozenset[int]:
        seen, todo = set(states), list(states)
        while todo:
            for characters, end in self.edges[todo.pop()]:
                if characters is None and end not in seen:
                    seen.add(end)
                    todo.append(end)
        return frozenset(seen)


def _characters(operation: Any, argument: Any) -> Charset:
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


class Pattern:
    """The texts of one expression, none longer than `longest`; ValueError where there are none.

    `folded`: no two of them are equal without regard to case. Where a letter may stand in both cases, only the small one does:
    two texts differ first in one state, and there by more than case.
    """

    def __init__(self, expression: str, longest: int | None, shortest: int = 0, *, folded: bool = False) -> None:
        try:
            with warnings.catch_warnings():  # a later Python may read [a--b] in another way; here both hyphens are texts
                warnings.simplefilter("ignore", FutureWarning)
                parsed = sre_parser.parse(expression)
        except re_error as error:
            raise ValueError(f"'{expression}' is not a regular expression: {error}") from None
        network = _Network(longest)
        start = network.state()
        end = network.add(list(parsed), start)
        self._accepting, self._moves = _determine(network, start, end, folded)
        self._counts = self._count(longest)
        totals = [(length, row[0]) for length, row in enumerate(self._counts) if row[0] and length >= shortest]
        if not totals:
            fits = f" of {shortest} to {longest} characters" if longest is not None else ""
            raise ValueError(f"no text{fits} matches '{expression}'")
        self._lengths = [length for length, _ in totals]
        self._ends: list[int] = []
        for _, count in totals:
            self._ends.append((self._ends[-1] if self._ends else 0) + count)
        self.total = self._ends[-1]
        self.space = self.total if self.total <= WIDEST else _LARGE
        self.decode = self._chain() or self._walk

    def _count(self, longest: int | None) -> list[list[int]]:
        """counts[length][state]: how many texts of that length lead from the state to an accepting one."""
        counts = [[int(accepts) for accepts in self._accepting]]
        limit = longest if longest is not None else len(self._moves)
        while len(counts) <= limit and any(counts[-1]):
            last = counts[-1]
            counts.append([sum(len(characters) * last[to] for characters, to in moves) for moves in self._moves])
        return counts

    def _chain(self) -> Any:
        """Where there is one path only, digits of mixed radix, looked up some characters at a time."""
        if len(self._lengths) > 1 or self.total > WIDEST or any(len(moves) > 1 for moves in self._moves):
            return None
        state, sets = 0, []
        for _ in range(self._lengths[0]):
            characters, state = self._moves[state][0]
            sets.append(np.array(sorted(characters), np.uint32))
        if any(options.max() > 127 for options in sets):
            return None
        chunks: list[Any] = []
        for options in sets:
            column = options.astype(np.uint8)[:, None]
            if chunks and len(chunks[-1]) * len(column) <= _CHUNK:
                last = chunks[-1]
                chunks[-1] = np.hstack([np.repeat(last, len(column), axis=0), np.tile(column, (len(last), 1))])
            else:
                chunks.append(column)

        def one(position: int) -> Any:
            text = b""
            for chunk in reversed(chunks):
                position, at = divmod(position, len(chunk))
                text = chunk[at].tobytes() + text
            return pa.array([text.decode("ascii")], pa.string())

        # each chunk's texts as single items, and a row as a record of them: copied whole, not character by character
        items = [
            np.ascontiguousarray(chunk).view(_ITEMS.get(chunk.shape[1], f"V{chunk.shape[1]}")).reshape(-1) for chunk in chunks
        ]
        record = np.dtype([(f"{number}", item.dtype) for number, item in enumerate(items)])

        def decode(positions: Words) -> Any:
            if len(positions) == 1:
                return one(int(positions[0]))
            out = np.empty(len(positions), record)
            for number in range(len(items) - 1, 0, -1):
                radix = np.uint64(len(items[number]))
                quotient = positions // radix
                out[f"{number}"] = items[number].take((positions - quotient * radix).view(np.int64))
                positions = quotient
            out["0"] = items[0].take(positions.view(np.int64), mode="wrap")
            return fixed_width(out.view(np.uint8).reshape(len(positions), len(sets)))

        return decode if sets else None

    def _walk(self, positions: Words) -> Any:
        """Any automaton: rows are grouped by state and length at each step, so the work is by columns within groups.

        Above 2^62 texts, the first characters follow a hash of the position, until what remains can be counted; the
        position, spread over that count, chooses the rest, so that no two texts are equal.
        """
        rows = len(positions)
        longest = self._lengths[-1]
        out = np.zeros((rows, longest), np.uint32)
        left, rest = self._first_lengths(positions)
        state = np.zeros(rows, np.int64)
        spread = np.full(rows, self.total <= WIDEST)
        for step in range(longest):
            going = np.flatnonzero(left > step)
            groups, inverse = np.unique(state[going] * (longest + 1) + (left[going] - step), return_inverse=True)
            for number, group in enumerate(groups.tolist()):
                at, remaining = divmod(group, longest + 1)
                chosen = going[inverse == number]
                count = self._counts[remaining][at]
                if count <= WIDEST:
                    late = chosen[~spread[chosen]]
                    stretch = count // _LARGE
                    rest[late] = rest[late] * np.uint64(stretch) + below(mix(_FREE_KEY, rest[late]), stretch)
                    spread[late] = True
                out[chosen, step], rest[chosen], state[chosen] = self._step(at, remaining, rest[chosen], step)
        texts = out.view(f"<U{longest}").reshape(-1) if longest else np.full(rows, "")
        return pa.array(texts, pa.string())

    def _first_lengths(self, positions: Words) -> tuple[Any, Words]:
        lengths = np.array(self._lengths, np.int64)
        if self.total <= WIDEST:
            ends = np.array(self._ends, np.uint64)
            which = np.searchsorted(ends, positions, side="right")
            starts = np.concatenate([[0], self._ends[:-1]]).astype(np.uint64)
            return lengths[which], positions - starts[which]
        wide = np.array([n for n in self._lengths if self._counts[n][0] >= _LARGE], np.int64)
        return wide[(unit(mix(_FREE_KEY, positions)) * len(wide)).astype(np.int64)], positions.copy()

    def _step(self, state: int, remaining: int, rest: Words, step: int) -> tuple[Any, Words, Any]:
        """One character for rows in one state with `remaining` characters to come."""
        after = self._counts[remaining - 1]
        options = [(sorted(characters), to, after[to]) for characters, to in self._moves[state] if after[to]]
        total = sum(len(characters) * count for characters, _, count in options)
        if total > WIDEST:
            flat = [(c, to) for characters, to, count in options if count >= _LARGE for c in characters]
            pick = (unit(mix(Key(_FREE_KEY.k0 + step, _FREE_KEY.k1), rest)) * len(flat)).astype(np.int64)
            table = np.array(flat, np.int64)
            return table[pick, 0], rest, table[pick, 1]
        ends: list[int] = []
        for characters, _, count in options:
            ends.append((ends[-1] if ends else 0) + len(characters) * count)
        which = np.searchsorted(np.array(ends, np.uint64), rest, side="right")
        out, left, to_state = np.empty(len(rest), np.int64), rest.copy(), np.empty(len(rest), np.int64)
        for number, (characters, to, count) in enumerate(options):
            chosen = which == number
            local = rest[chosen] - np.uint64(ends[number] - len(characters) * count)
            index = local // np.uint64(count)
            out[chosen] = np.array(characters, np.int64)[index.astype(np.intp)]
            left[chosen] = local - index * np.uint64(count)
            to_state[chosen] = to
        return out, left, to_state


def _determine(network: _Network, start: int, end: int, folded: bool) -> tuple[list[bool], list[list[tuple[Charset, int]]]]:
    """The deterministic automaton of a network; state 0 is its start."""
    first = network.closure([start])
    numbers, order = {first: 0}, [first]
    moves: list[list[tuple[Charset, int]]] = []
    for states in order:
        if len(order) > _MOST_STATES:
            raise ValueError("the pattern is too large")
        reached: dict[int, set[int]] = {}
        for state in states:
            for characters, to in network.edges[state]:
                for character in characters or ():
                    reached.setdefault(character, set()).add(to)
        if folded:
            reached = {c: to for c, to in reached.items() if ord(chr(c).lower()[0]) == c or ord(chr(c).lower()[0]) not in reached}
        by_target: dict[frozenset[int], set[int]] = {}
        for character, targets in reached.items():
            by_target.setdefault(network.closure(targets), set()).add(character)
        row = []
        for closed, letters in sorted(by_target.items(), key=lambda item: min(item[1])):
            if closed not in numbers:
                numbers[closed] = len(order)
                order.append(closed)
            row.append((frozenset(letters), numbers[closed]))
        moves.append(row)
    return [end in states for states in order], moves


re_error = sre_parser.error if hasattr(sre_parser, "error") else ValueError
