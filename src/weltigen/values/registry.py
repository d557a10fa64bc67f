"""Kinds of value: each a declaration of what it is called, which standard it follows, and how a position becomes a value."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..model.folding import Fold
from ..model.problems import UsageError, nearest
from ..model.types import TEXTS, FieldType, TypeName
from ..randomness import Words

SPOKEN = ("en", "de", "fr", "es")  # languages of which texts are known
LANGUAGES = (*SPOKEN, "it", "nl", "pl", "pt", "sv", "ja", "el", "ar", "hi")  # of which names and places are
Decode = Callable[[Words], Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """What is known of a field when its values are planned.

    `low` and `high` are units of the field's axis, both included; `room` is the most characters that fit, `least` the
    fewest that must be there. `unique`: its values differ; `keyed`: alone or together with other fields. `fold`: how values
    are compared that must differ. `now`: the time that the world calls so. `topic`: what texts speak of, `words`: lists of
    its words that were said; `language`: of texts, the first part of `locale`, the whole tag that names and places follow
    (BCP 47); `invented`: towns are made up as well; `password`: what passwords are, "" where nobody says.
    `ranked`: a number follows another, so that greater words give greater values; `name`: of the field, which sets
    apart what would be the same in two fields of a row.
    """

    type: FieldType
    rows: int
    window: tuple[datetime, datetime]
    unique: bool = False
    keyed: bool = False
    low: int | None = None
    high: int | None = None
    step: int | None = None
    room: int | None = None
    least: int = 0
    fold: Fold = Fold.EXACT
    parameters: Mapping[str, str] = field(default_factory=dict)
    seed: int = 0
    now: datetime | None = None
    topic: str = "office"
    language: str = "en"
    locale: str = "en"
    invented: bool = False
    password: str = ""
    words: tuple[tuple[str, tuple[str, ...]], ...] = ()
    ranked: bool = False
    name: str = ""

    @property
    def differ(self) -> bool:
        """Whether its values must differ, alone or together with other fields."""
        return self.unique or self.keyed

    def fits(self, length: int) -> bool:
        """Whether a text of this many characters may stand in the field."""
        return self.least <= length and (self.room is None or length <= self.room)


@dataclass(frozen=True, slots=True, kw_only=True)
class Values:
    """A space of distinct values and how position 0 … space-1 decodes to an Arrow column.

    `draw` turns words into positions where values are not equally likely and need not differ.
    `rising`: positions are in the order of the values, and rows should be too. `distinct_folded`: no two values become
    the same when case, accents and punctuation are dropped. `dealt`: none comes again before all were there.
    """

    space: int
    decode: Decode
    draw: Callable[[Words], Words] | None = None
    rising: bool = False
    distinct_folded: bool = False
    dealt: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class PersonPart:
    """A column that is read off the person that the row is about; `decode` takes People and Person (see people.py)."""

    decode: Callable[[Any, Any], Any]
    named: Callable[[Any, Any, Any, int | None], Any]  # the same from texts: given names, family names, numbers, and the room
    distinct: bool = False
    longest_tail: int = 0
    holds_names: bool = True  # whether names must fit where it stands
    follows: bool = True  # the names that a row's columns are given; not of another person of the row


@dataclass(frozen=True, slots=True)
class Turn:
    """Of rows of an owner: the owner's ordinal, which of its rows each is, from 0 on, and how many there are."""

    owner: NDArray[np.int64]
    rank: NDArray[np.int64]
    count: NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class FromText:
    """A column made from another column of the row, or of a row that it refers to (`voyage.name`); where it is `numbered`, from
    the row's number as well, counted from 1, so that no two are the same; where it is `drawn`, from a random word of each row.
    `in_turn`: also from which of its owner's rows each is, a `Turn`, which `convert` takes second.
    `apart`: different texts of that column give different ones, in any case and with any accents. `beside`: a second column,
    which `convert` takes last."""

    field: str
    convert: Callable[..., Any]
    numbered: bool = False
    drawn: bool = False
    apart: bool = False
    of_moments: bool = False  # whether it is made from a date or a time, and not from a text
    of_numbers: bool = False  # the same of a number
    beside: str | None = None
    in_turn: bool = False


Prepared = Values | PersonPart | FromText


class KindError(ValueError):
    """A kind that cannot serve a field; its text says why."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """A named kind of value. `prepare` looks at a request once; what it returns works on whole columns.

    `row`: what of a row it belongs to, a place or a file. Kinds of one such thing are drawn alike, and so agree in a row.
    """

    name: str
    summary: str
    prepare: Callable[[Request], Prepared]
    suits: frozenset[TypeName] = TEXTS
    standard: str | None = None
    parameters: tuple[str, ...] = ()
    row: str | None = None

    def fills(self, kind: TypeName) -> bool:
        """Whether it can fill a field of a type; bytes hold some texts in UTF-8."""
        return kind in self.suits or (kind is TypeName.BYTEA and self.name in _AS_BYTES)


# texts that stand in columns of bytes as well, where an application minds its encoding itself
_AS_BYTES = frozenset(
    "text thing-name uri url-path file-path kept-file file-name mime-type setting-key host-name term remark notice json".split()
)
_KINDS: dict[str, Kind] = {}


def register(kind: Kind) -> Kind:
    """Make a kind known; names are taken once."""
    if kind.name in _KINDS:
        raise ValueError(f"there is a kind '{kind.name}' already")
    _KINDS[kind.name] = kind
    return kind


def declare(
    name: str,
    summary: str,
    *,
    suits: frozenset[TypeName] = TEXTS,
    standard: str | None = None,
    parameters: tuple[str, ...] = (),
    row: str | None = None,
) -> Callable[[Callable[[Request], Prepared]], Callable[[Request], Prepared]]:
    """Register the decorated function as the `prepare` of a kind."""

    def keep(prepare: Callable[[Request], Prepared]) -> Callable[[Request], Prepared]:
        register(
            Kind(name=name, summary=summary, prepare=prepare, suits=suits, standard=standard, parameters=parameters, row=row)
        )
        return prepare

    return keep


_ELSEWHERE: dict[str, tuple[Callable[[], Iterable[str]], Callable[[str], Kind]]] = {}  # by what brings them: names, and a kind


def bring(what: str, names: Callable[[], Iterable[str]], load: Callable[[str], Kind]) -> None:
    """Kinds that are loaded when they are first asked for."""
    _ELSEWHERE[what] = names, load


def kind_names() -> tuple[str, ...]:
    return tuple(sorted({*_KINDS, *(name for names, _ in _ELSEWHERE.values() for name in names())}))


def find_kind(name: str) -> Kind | None:
    """The kind called `name`, where there is one: ours, of a world file, or of an installed package."""
    for names, load in _ELSEWHERE.values() if name not in _KINDS else ():
        if name in names():
            return load(name)
    return _KINDS.get(name)


def get_kind(name: str) -> Kind:
    """The kind called `name`; UsageError with the nearest right word without one."""
    found = find_kind(name)
    if found is None:
        raise UsageError(f"no kind of value is called '{name}'", hint=nearest(name, kind_names()))
    return found
