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
from functools import lru_cache
from itertools import accumulate
from math import prod
from threading import Lock
from typing import Any

import numpy as np
import pyarrow as pa

from ..randomness import WIDEST, Key, Words
from ..randomness.mixing import below, mix, unit
from .pattern_parts import Charset, characters_of, is_of_one_width, joined, of_one_width, pools_of

_OPEN_END = 8
_MOST_STATES = 20_000
_LARGE = 1 << 40  # the positions of a space that is too large to count in 64 bits
_NO_END = (1 << 64) - 1
_TWENTY_BITS = np.uint64((1 << 20) - 1)
_FREE_KEY = Key(0x243F6A8885A308D3, 0x13198A2E03707344)


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
            self.link(start, end, characters_of(operation, argument))
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
        self._places = _Places(self._moves, self._counts)
        self.decode = (None if folded else self._in_parts(list(parsed))) or self._walk

    def _count(self, longest: int | None) -> list[list[int]]:
        """counts[length][state]: how many texts of that length lead from the state to an accepting one."""
        counts = [[int(accepts) for accepts in self._accepting]]
        limit = longest if longest is not None else len(self._moves)
        while len(counts) <= limit and any(counts[-1]):
            last = counts[-1]
            counts.append([sum(len(characters) * last[to] for characters, to in moves) for moves in self._moves])
        return counts

    def _in_parts(self, parsed: Any) -> Any:
        """Where the expression consists of parts that have few texts each, and no two ways give one text: a text of each
        part by the digits of a number in mixed radix. None elsewhere.

        Where the texts are more than 2^62, a hash of the position chooses those of the first parts.
        """
        pools = pools_of(parsed)
        if not pools or prod(map(len, pools)) != self.total:
            return None  # it is too rich, a text is too long, or has more than one way
        counted = len(pools)
        if self.total > WIDEST:
            counted = next(n for n in range(len(pools), 0, -1) if prod(map(len, pools[-n:])) <= WIDEST)
            if prod(map(len, pools[-counted:])) < _LARGE:
                return None
        radices = [np.uint64(len(pool)) for pool in pools]
        hashed, stretch = len(pools) - counted, prod(map(len, pools[-counted:])) // self.space

        def chosen(positions: Words) -> list[Any]:
            """For each part, which of its texts."""
            rest, at = positions, []
            if hashed:
                rest = positions * np.uint64(stretch) + below(mix(_FREE_KEY, positions), stretch)
            for number in range(len(pools) - 1, hashed, -1):
                quotient = rest // radices[number]
                at.append((rest - quotient * radices[number]).view(np.int64))
                rest = quotient
            at.append(rest.view(np.int64))
            for number in range(hashed - 1, -1, -1):
                word = mix(Key(_FREE_KEY.k0 + 1 + number // 3, _FREE_KEY.k1), positions) >> np.uint64(20 * (number % 3))
                at.append(((word & _TWENTY_BITS) * radices[number] >> np.uint64(20)).view(np.int64))
            return at[::-1]

        return of_one_width(pools, chosen) if all(is_of_one_width(pool) for pool in pools) else joined(pools, chosen)

    def _walk(self, positions: Words) -> Any:
        """Any automaton, a character of all rows at a time.

        Above 2^62 texts, the first characters follow a hash of the position, until what remains can be counted; the
        position, spread over that count, chooses the rest, so that no two texts are equal.
        """
        rows, longest = len(positions), self._lengths[-1]
        out = np.zeros((rows, longest), np.uint32)
        left, rest = self._first_lengths(positions)
        state, going = np.zeros(rows, np.int64), np.arange(rows)
        spread = None if self.total <= WIDEST else np.zeros(rows, np.bool_)
        for step in range(longest):
            if step >= self._lengths[0]:
                going = np.flatnonzero(left > step)
            at = self._places.of(state[going], left[going] - step)
            if spread is not None:
                self._spread_late(going, at, rest, spread)
            out[going, step], rest[going], state[going] = self._places.step(at, rest[going], step)
        texts = out.view(f"<U{longest}").reshape(-1) if longest else np.full(rows, "")
        return pa.array(texts, pa.string())

    def _spread_late(self, going: Any, at: Any, rest: Words, spread: Any) -> None:
        """Spread positions over what remains, where that can be counted from here on."""
        late = np.flatnonzero(~spread[going] & (self._places.stretch[at] > 0))
        chosen, stretch = going[late], self._places.stretch[at[late]]
        rest[chosen] = rest[chosen] * stretch + below(mix(_FREE_KEY, rest[chosen]), stretch)
        spread[chosen] = True

    def _first_lengths(self, positions: Words) -> tuple[Any, Words]:
        lengths = np.array(self._lengths, np.int64)
        if self.total <= WIDEST:
            ends = np.array(self._ends, np.uint64)
            which = np.searchsorted(ends, positions, side="right")
            starts = np.concatenate([[0], self._ends[:-1]]).astype(np.uint64)
            return lengths[which], positions - starts[which]
        wide = np.array([n for n in self._lengths if self._counts[n][0] >= _LARGE], np.int64)
        return wide[(unit(mix(_FREE_KEY, positions)) * len(wide)).astype(np.int64)], positions.copy()


class _Places:
    """Where texts may be: a state with so many characters to come. What may come next is worked out when a place is first met.

    Characters that lead to one state are one way; a way has as many texts as its characters have together. Where the texts of a
    place cannot be counted in 62 bits, each character that leads to many is as likely as another.
    """

    def __init__(self, moves: list[list[tuple[Charset, int]]], counts: list[list[int]]) -> None:
        self._moves, self._counts = [[(sorted(characters), to) for characters, to in row] for row in moves], counts
        self._letters = np.array([letter for row in self._moves for characters, _ in row for letter in characters], np.int64)
        self._begins = list(accumulate((sum(len(characters) for characters, _ in row) for row in self._moves), initial=0))
        self._numbers: Any = np.full((len(moves), len(counts)), -1, np.int64)
        self._met, self._ways = 0, max(1, *map(len, moves))
        self._free: dict[int, Any] = {}  # the characters of places that cannot be counted, with the states behind them
        self._meeting = Lock()
        # over how many texts a position is spread in a place; 0 where they cannot be counted
        self.stretch: Any = np.zeros(0, np.uint64)
        words: Any = np.zeros((0, self._ways), np.uint64)
        numbers: Any = np.zeros((0, self._ways), np.int64)
        self._ends, self._starts, self._each = words, words, words  # which texts a way has, and how many each of its characters
        self._first, self._to = numbers, numbers  # a way's first letter, and the state behind it

    def of(self, state: Any, remaining: Any) -> Any:
        """The number of the place of each row."""
        at = self._numbers[state, remaining]
        if len(new := np.flatnonzero(at < 0)):
            places = sorted({*zip(state[new].tolist(), remaining[new].tolist(), strict=True)})
            with self._meeting:  # several workers ask one pattern
                for place in places:
                    if self._numbers[place] < 0:
                        self._meet(*place)
            at = self._numbers[state, remaining]
        return at

    def _meet(self, state: int, remaining: int) -> None:
        number, after, total = self._met, self._counts[remaining - 1], self._counts[remaining][state]
        if number == len(self.stretch):
            more = max(16, number)  # twice as many each time
            self.stretch = np.append(self.stretch, np.zeros(more, np.uint64))
            self._ends, self._starts, self._each, self._first, self._to = (
                np.vstack([table, np.zeros((more, self._ways), table.dtype)])
                for table in (self._ends, self._starts, self._each, self._first, self._to)
            )
        self._ends[number] = self._each[number] = _NO_END
        end, begin, way = 0, self._begins[state], 0
        for characters, to in self._moves[state]:
            if total <= WIDEST and (count := after[to]):
                self._starts[number, way], end = end, end + len(characters) * count
                self._ends[number, way], self._each[number, way] = end, count
                self._first[number, way], self._to[number, way] = begin, to
                way += 1
            begin += len(characters)
        if total > WIDEST:
            letters = [(one, to) for characters, to in self._moves[state] if after[to] >= _LARGE for one in characters]
            self._free[number] = np.array(letters, np.int64)
        else:
            self.stretch[number] = max(1, total // _LARGE)
        self._numbers[state, remaining] = number
        self._met += 1

    def step(self, at: Any, rest: Words, step: int) -> tuple[Any, Words, Any]:
        """A character for each row, what is left of its position, and the state behind."""
        way = np.zeros(len(at), np.int64)
        for number in range(self._ways - 1):
            way += rest >= self._ends[at, number]
        local, each = rest - self._starts[at, way], self._each[at, way]
        index = local // each
        letter, left, state = self._letters[self._first[at, way] + index.view(np.int64)], local - index * each, self._to[at, way]
        if self._free and len(free := np.flatnonzero(self.stretch[at] == 0)):
            chance = unit(mix(Key(_FREE_KEY.k0 + step, _FREE_KEY.k1), rest[free]))
            left[free] = rest[free]
            for place in np.unique(at[free]).tolist():
                here = at[free] == place
                table = self._free[place]
                pick = (chance[here] * len(table)).astype(np.int64)
                letter[free[here]], state[free[here]] = table[pick, 0], table[pick, 1]
        return letter, left, state


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


@lru_cache(maxsize=512)
def texts_of(expression: str, longest: int | None = None, shortest: int = 0, *, folded: bool = False) -> Pattern:
    """The texts of an expression, one `Pattern` for all fields that ask for the same: what it learns is learnt once."""
    return Pattern(expression, longest, shortest, folded=folded)


re_error = sre_parser.error if hasattr(sre_parser, "error") else ValueError
