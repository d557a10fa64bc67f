"""Persons of several languages in one entity: so many rows of each, and no two whose names would make the same address.

Family names of different languages never fold to the same letters, so what tells namesakes apart within one language tells them
apart in all.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..randomness import Bits
from ..randomness.boundaries import Boundaries
from ..randomness.quota import quota
from .people import People, Person
from .person_names import folded_names
from .pools import taker, text_pool

Shares = tuple[tuple[str, float], ...]


class LanguageMix:
    """Which language each of `rows` rows is in: exactly as many of each as their shares ask for, spread by chance."""

    def __init__(self, bits: Bits, rows: int, shares: Shares) -> None:
        self._bits, self._rows = bits, max(1, rows)
        self.counts = quota(self._rows, [share for _, share in shares])
        ends = np.cumsum(self.counts)
        self._starts, self._ends = ends - self.counts, Boundaries(ends)

    def split(self, ordinals: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """The number of each row's language, and a number of its own among the rows in that."""
        at = self._bits.distinct(self._rows, np.clip(ordinals, 0, self._rows - 1)).astype(np.int64)
        which = np.minimum(self._ends.find(at), len(self.counts) - 1)
        return which, at - self._starts[which]


class MixedPeople(People):
    """The persons of an entity, those of each language as `People` has them, one list of names behind the other."""

    def __init__(
        self, bits: Bits, rows: int, longest_given: int | None, longest_family: int | None, shares: Shares,
        before: People | None = None,
    ) -> None:  # fmt: skip
        self.mix = LanguageMix(bits, rows, shares)
        self.parts: list[People] = []
        taken: frozenset[str] = frozenset()
        for number, (tag, _) in enumerate(shares):
            earlier = before.parts[number] if isinstance(before, MixedPeople) else None
            own = bits.for_purpose(f"in {tag}")
            part = People(own, int(self.mix.counts[number]), longest_given, longest_family, earlier, tag, without=taken)
            taken |= {folded_names(name) for name in part.forms}
            self.parts.append(part)
        self.given = tuple(name for part in self.parts for name in part.given)
        self.family = tuple(name for part in self.parts for name in part.family)
        women = (name for part in self.parts for name in part.forms[-len(part.family) :])
        self.forms = (*self.family, *women)
        self.latin = {name: spelled for part in self.parts for name, spelled in part.latin.items()}
        self.of_women = np.concatenate([part.of_women for part in self.parts])
        self.given_names, self._families = taker(text_pool(self.given)), taker(text_pool(self.forms))
        self.most_namesakes = max(part.most_namesakes for part in self.parts)
        ends = [np.cumsum([len(getattr(part, names)) for part in self.parts]) for names in ("given", "family")]
        self._firsts = tuple(np.concatenate([[0], end[:-1]]).astype(np.int64) for end in ends)
        self._of_given = np.repeat(np.arange(len(shares)), [len(part.given) for part in self.parts])
        pairs = np.cumsum([len(part.given) * len(part.family) for part in self.parts])
        self._first_pair = np.concatenate([[0], pairs[:-1]]).astype(np.int64)
        self._mail = None

    def at(self, ordinals: NDArray[Any]) -> Person:
        which, index = self.mix.split(ordinals)
        out = Person(*(np.zeros(len(which), np.int64) for _ in range(3)))
        for number, part in enumerate(self.parts):
            chosen = np.flatnonzero(which == number)
            if chosen.size:
                person = part.at(index[chosen])
                out.given[chosen] = person.given + self._firsts[0][number]
                out.family[chosen] = person.family + self._firsts[1][number]
                out.rank[chosen] = person.rank
        return out

    def kin(self, person: Person) -> tuple[Any, Any, Any, Any]:
        of = self._of_given[person.given]
        given, family = (np.array([len(getattr(part, names)) for part in self.parts]) for names in ("given", "family"))
        return self._firsts[0][of], given[of], self._firsts[1][of], family[of]

    def mail_names(self, person: Person) -> Any:
        of = self._of_given[person.given]
        families = np.array([len(part.family) for part in self.parts])[of]
        pair = (person.given - self._firsts[0][of]) * families + person.family - self._firsts[1][of]
        return self.mail_pools()[0](self._first_pair[of] + pair)

    def mail_texts(self) -> Any:
        return pa.concat_arrays([part.mail_texts() for part in self.parts])

    def rank_within_given(self, ordinals: NDArray[Any]) -> NDArray[np.int64]:
        which, index = self.mix.split(ordinals)
        ranks, first = np.zeros(len(which), np.int64), 0
        for number, part in enumerate(self.parts):  # some given names are common in several languages
            chosen = which == number
            ranks[chosen] = first + part.rank_within_given(index[chosen])
            first += int(self.mix.counts[number])
        return ranks

    def position(self, ordinals: NDArray[Any]) -> NDArray[np.int64]:
        which, index = self.mix.split(ordinals)
        return (np.cumsum(self.mix.counts) - self.mix.counts)[which] + index

    def namesakes_of(self, given: str, family: str) -> int:
        return sum(part.namesakes_of(given, family) for part in self.parts)
