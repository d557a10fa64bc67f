"""People: names that belong together, and addresses made from them that differ by construction.

Every row of an entity about persons gets a different position; quotas deal the positions to given and family names, so
each row also knows its rank among the rows of the same name: `anna.berg`, then `anna.berg2`. No list of names folds two
entries to one, none ends in a digit and none holds the dot that joins them, hence no two addresses are equal.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache, partial
from typing import Any, NamedTuple
from zlib import crc32

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..randomness import Bits
from ..randomness.boundaries import Boundaries
from ..randomness.quota import quota
from .namesakes import addresses, called_apart, each_text, longest_initials, number_texts
from .person_names import FAMILY_FIRST, apart, folded_names, in_latin, names
from .pools import common_first, join, taker, text_pool
from .registry import KindError, PersonPart, Request, declare

# RFC 2606 and RFC 6761 set these aside: no mail to them can reach anybody
MAIL_DOMAINS = ("example.com", "example.org", "mail.example", "post.example")
_DOMAINS = np.int64(len(MAIL_DOMAINS))  # a power of two
_SCALE = 10_000


Take = Callable[[NDArray[Any]], Any]


class Person(NamedTuple):
    """Columns: which given name, which family name, and the rank among the rows with both."""

    given: NDArray[Any]
    family: NDArray[Any]
    rank: NDArray[np.int64]


@lru_cache(maxsize=32)
def names_of(tag: str, part: str) -> tuple[str, ...]:
    """Given or family names of a locale, no two of which fold alike; English ones where it has none."""
    known = names(tag)
    return apart(known.given if part == "given" else known.families)


class People:
    """The persons of one entity with `rows` rows; `longest` limits the lengths of single names.

    Beside those of `before`, earlier rows of the same entity, ranks go on behind their namesakes'. Of family names those are
    left out that fold to one of `without`.
    """

    def __init__(
        self, bits: Bits, rows: int, longest_given: int | None, longest_family: int | None, before: People | None = None,
        locale: str = "en", without: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        known = names(locale)
        self.given = tuple(n for n in names_of(locale, "given") if longest_given is None or len(n) <= longest_given)
        self.family = tuple(n for n in names_of(locale, "family") if longest_family is None or len(n) <= longest_family)
        if without:
            woman = known.of_women or str
            self.family = tuple(n for n in self.family if without.isdisjoint(map(folded_names, (n, woman(n)))))
        if not self.given or not self.family:
            raise KindError("its columns are too narrow for any name")
        self._bits, self._rows = bits, max(1, rows)
        weights = quota(_SCALE, common_first(len(self.given), 40))
        phase = bits.for_purpose("given names").below_one(_SCALE, 0)
        starts = (self._rows * np.concatenate([[0], np.cumsum(weights)]) + phase) // _SCALE
        self._given_start, self._given_count = starts[:-1].astype(np.int64), np.diff(starts).astype(np.int64)
        self._given_ends = Boundaries(starts[1:])
        # each given name deals its rows from another start, so that a few rows do not all get the same family name
        self._phase = bits.for_purpose("family names").below(_SCALE, np.arange(len(self.given))).astype(np.int64)
        weights = quota(_SCALE, common_first(len(self.family), 60))
        self._family_start = np.concatenate([[0], np.cumsum(weights)]).astype(np.int64)
        self._family_ends = Boundaries(self._family_start[1:])
        self.most_namesakes = int(-(-int(self._given_count.max()) * int(weights.max()) // _SCALE)) + 1
        self._before = before
        if before is not None:
            self.most_namesakes += before.most_namesakes
            self._known = _places(self.given, before.given), _places(self.family, before.family)
        self.forms = self.family  # family names as men have them, then as women do where that is another form
        if known.of_women is not None:
            self.forms = (*self.family, *(known.of_women(name)[:longest_family] for name in self.family))
        self.latin = known.latin
        women = frozenset(known.women)
        self.of_women = np.array([name in women for name in self.given], np.int64)  # 1 for each given name of women
        self.given_names, self._families = taker(text_pool(self.given)), taker(text_pool(self.forms))
        self._mail: tuple[Take, Take] | None = None

    def at(self, ordinals: NDArray[Any]) -> Person:
        """The persons of these rows."""
        position = self._bits.distinct(self._rows, ordinals).view(np.int64)
        given = self._given_ends.find(position)
        count = self._given_count.take(given, mode="clip")
        position -= self._given_start.take(given, mode="clip")
        # the given name's rows are dealt to family names: name f takes those from ⌊(count·start_f + phase) / scale⌋ on
        phase = self._phase.take(given, mode="clip")
        family = self._family_ends.find(((position + 1) * _SCALE - 1 - phase) // count)
        position -= (count * self._family_start.take(family, mode="clip") + phase) // _SCALE
        if self._before is not None:
            position += self._before.namesakes(self._known[0][given], self._known[1][family])
        return Person(given, family, position)

    def kin(self, person: Person) -> tuple[Any, Any, Any, Any]:
        """The names of each person's language: the first given name and how many there are, and the same of family names."""
        return 0, len(self.given), 0, len(self.family)

    def mail_names(self, person: Person) -> Any:
        """`anna.berg` of each person."""
        return self.mail_pools()[0](person.given * len(self.family) + person.family)

    def family_names(self, person: Person) -> Any:
        """The family names of persons, in the form that they have."""
        return self._families(self._form(person))

    def in_latin(self, person: Person) -> tuple[Any, Any]:
        """Given and family names in Latin letters."""
        pools = (text_pool(self.latin.get(name, name) for name in listed) for listed in (self.given, self.forms))
        return next(pools).take(pa.array(person.given)), next(pools).take(pa.array(self._form(person)))

    def _form(self, person: Person) -> NDArray[np.int64]:
        if len(self.forms) == len(self.family):
            return person.family
        return np.asarray(person.family + len(self.family) * self.of_women.take(person.given))

    def position(self, ordinals: NDArray[Any]) -> NDArray[np.int64]:
        """A number of its own for each of these rows, below the number of all rows."""
        return self._bits.distinct(self._rows, np.clip(ordinals, 0, self._rows - 1)).astype(np.int64)

    def rank_within_given(self, ordinals: NDArray[Any]) -> NDArray[np.int64]:
        """The rank of each row among those with the same given name."""
        position = self.position(ordinals)
        return position - self._given_start[self._given_ends.find(position)]

    def namesakes_of(self, given: str, family: str) -> int:
        """How many rows have names that fold to these."""
        one = next((at for at, name in enumerate(self.given) if folded_names(name) == given), -1)
        form = next((at for at, name in enumerate(self.forms) if folded_names(name) == family), -1)
        other = form % len(self.family) if form >= 0 else -1
        return int(self.namesakes(np.array([one]), np.array([other]))[0])

    def namesakes(self, given: NDArray[np.int64], family: NDArray[np.int64]) -> NDArray[np.int64]:
        """How many rows have each of some pairs of names, -1 for one that is not among them; with those before."""
        one, other = np.maximum(given, 0), np.maximum(family, 0)
        count, phase = self._given_count[one], self._phase[one]
        ends = [(count * self._family_start[number] + phase) // _SCALE for number in (other, other + 1)]
        out = np.where((given < 0) | (family < 0), 0, ends[1] - ends[0])
        if self._before is not None:
            out += self._before.namesakes(
                np.where(given < 0, -1, self._known[0][one]), np.where(family < 0, -1, self._known[1][other])
            )
        return out

    def mail_pools(self) -> tuple[Take, Take]:
        """Pieces of addresses: `anna.berg` by given and family name, and `2@mail.example` by rank and domain."""
        if self._mail is None:
            tails = (f"{'' if rank == 0 else rank + 1}@{d}" for rank in range(self.most_namesakes) for d in MAIL_DOMAINS)
            self._mail = (taker(self.mail_texts()), taker(text_pool(tails)))
        return self._mail

    def mail_texts(self) -> Any:
        """`anna.berg` of each given name with each family name."""
        given = text_pool(folded_names(name) + "." for name in self.given)
        family = text_pool(folded_names(name) for name in self.forms)
        first, last = np.divmod(np.arange(len(given) * len(self.family)), len(self.family))
        return join(given.take(first), family.take(self._form(Person(first, last, last))))


def _places(names: tuple[str, ...], among: tuple[str, ...]) -> NDArray[np.int64]:
    """Where each name stands in another list; -1 where it does not."""
    known = {name: number for number, name in enumerate(among)}
    return np.array([known.get(name, -1) for name in names], np.int64)


def email_column(people: People, person: Person) -> Any:
    _, tails = people.mail_pools()
    tail = person.rank * _DOMAINS
    tail += (person.given + person.family + person.rank) & (_DOMAINS - 1)
    return join(people.mail_names(person), tails(tail))


def of_whom(request: Request, part: PersonPart) -> PersonPart:
    """A part of the row's person, or of the other person of the row that `row` names, whose parts agree with each other."""
    whose = request.parameters.get("row")
    if whose is None:
        return part
    mark = crc32(whose.encode())

    def decode(people: People, person: Person) -> Any:
        return part.decode(people, _beside(people, person, mark))

    return replace(part, decode=decode, distinct=False, follows=False)


def _beside(people: People, person: Person, mark: int) -> Person:
    """Another person of the same row, with another given name; those that are common are common here as well."""
    mixed = (person.given * 48_271 + person.family * 69_621 + person.rank * 16_807 + mark) & 0x7FFF_FFFF
    mixed = (mixed * 1_103_515_245 + 12_345) & 0x7FFF_FFFF
    first_given, givens, first_family, families = people.kin(person)
    given, family = (_skewed(mixed >> shift & 0x3FFF, among) for shift, among in ((0, givens), (15, families)))
    given = np.where(given + first_given == person.given, (given + 1) % givens, given)
    return Person(given + first_given, family + first_family, np.zeros_like(person.rank))


def _skewed(number: NDArray[np.int64], among: Any) -> NDArray[np.int64]:
    """Places among some names from numbers below 2^14, the first ones more often."""
    return np.asarray((number * number >> 14) * among >> 14)


def longest_tail(rows: int) -> int:
    """How many characters the widest rank and domain take."""
    return len(str(rows)) + max(map(len, MAIL_DOMAINS)) + 2


# `row`: whose of a row that has several persons; `script: latin`: in Latin letters, whatever the locale writes
_declare = partial(declare, parameters=("row", "script"))


@_declare("given-name", "A given name, which agrees with the other personal fields of the row.", standard="HTML autofill")
def given_name(request: Request) -> PersonPart:
    """`row: middle`: another one, common for the same gender; `row` with any other name: that of somebody else of the row."""
    if request.parameters.get("row") != "middle":
        return of_whom(request, _part(request, 0))

    def decode(people: People, person: Person) -> Any:
        mixed = person.given * 5 + person.family * 3 + person.rank * 7 + 11
        first, among, *_ = (np.broadcast_to(one, person.given.shape) for one in people.kin(person))
        chosen, woman = np.zeros_like(person.given), people.of_women[person.given]
        for start in np.unique(first).tolist():  # once for each language
            names = np.arange(start, start + among[first == start][0])
            for truth in (0, 1):
                those = (first == start) & (woman == truth)
                chosen[those] = _one_of(names[people.of_women[names] == truth], mixed[those])
        return people.given_names(chosen)

    return PersonPart(decode=decode, named=lambda given, family, numbers, room: _cut(given, room))


def _is_latin(request: Request) -> bool:
    """`script: latin`: names of other scripts in Latin letters."""
    script = request.parameters.get("script", "own")
    if script not in ("own", "latin"):
        raise KindError(f"script: own or latin, not '{script}'")
    return script == "latin"


def _part(request: Request, which: int) -> PersonPart:
    """The given name (0) or the family name (1) of the row's person."""
    if _is_latin(request):
        return PersonPart(
            decode=lambda people, person: people.in_latin(person)[which],
            named=lambda given, family, numbers, room: _cut(each_text((given, family)[which], in_latin), room),
        )
    return PersonPart(
        decode=lambda people, person: people.family_names(person) if which else people.given_names(person.given),
        named=lambda given, family, numbers, room: _cut((given, family)[which], room),
    )


def _cut(names: Any, room: int | None) -> Any:
    """Names of another column as far as there is room for them."""
    return names if room is None else pc.utf8_slice_codeunits(names, 0, room)


def _one_of(among: NDArray[np.int64], number: NDArray[np.int64]) -> NDArray[np.int64]:
    return among[number % len(among)] if len(among) else number * 0


@_declare("family-name", "A family name, which agrees with the other personal fields of the row.", standard="HTML autofill")
def family_name(request: Request) -> PersonPart:
    """`row: second`: a second one, as persons in Spain have; `row` with any other name: that of somebody else of the row."""
    if request.parameters.get("row") != "second":
        return of_whom(request, _part(request, 1))

    def decode(people: People, person: Person) -> Any:
        _, _, first, families = people.kin(person)
        other = first + ((person.family - first) * 31 + person.given * 7 + person.rank * 13 + 5) % families
        return people.family_names(person._replace(family=other))

    return PersonPart(decode=decode, named=lambda given, family, numbers, room: _cut(family, room))


@_declare("name", "A person's full name.", standard="HTML autofill")
def name(request: Request) -> PersonPart:
    latin = _is_latin(request)
    family_first = request.locale.partition("-")[0] in FAMILY_FIRST and not latin

    def whole(given: Any, family: Any) -> Any:
        return join(family, " ", given) if family_first else join(given, " ", family)

    differ = request.unique and request.parameters.get("row") is None and not family_first

    def decode(people: People, person: Person) -> Any:
        own = people.in_latin(person) if latin else (people.given_names(person.given), people.family_names(person))
        return called_apart(*own, person.rank, None) if differ else whole(*own)

    def named(given: Any, family: Any, numbers: NDArray[np.int64], room: int | None) -> Any:
        own = (each_text(given, in_latin), each_text(family, in_latin)) if latin else (given, family)
        return called_apart(*own, numbers, room) if differ else _cut(pc.utf8_trim_whitespace(whole(*own)), room)

    tail = 1 + (longest_initials(request.rows) if differ else 0)
    return of_whom(request, PersonPart(decode=decode, named=named, distinct=differ, longest_tail=tail))


@_declare("username", "A name to log in with, made from the row's person.", standard="HTML autofill")
def username(request: Request) -> PersonPart:
    def decode(people: People, person: Person) -> Any:
        numbers = text_pool("" if rank == 0 else str(rank + 1) for rank in range(people.most_namesakes))
        return join(people.mail_names(person), numbers.take(person.rank))

    def named(given: Any, family: Any, numbers: NDArray[np.int64], room: int | None) -> Any:
        return addresses(given, family, numbers, number_texts(numbers), room)

    return of_whom(request, PersonPart(decode=decode, named=named, distinct=True, longest_tail=len(str(request.rows)) + 1))


@_declare("email", "An address in a domain set aside for examples, made from the row's person.", standard="RFC 5322, RFC 2606")
def email(request: Request) -> PersonPart:
    def named(given: Any, family: Any, numbers: NDArray[np.int64], room: int | None) -> Any:
        domains = text_pool(f"@{domain}" for domain in MAIL_DOMAINS).take(pa.array(numbers & (_DOMAINS - 1)))
        return addresses(given, family, numbers, join(number_texts(numbers), domains), room)

    return of_whom(request, PersonPart(decode=email_column, named=named, distinct=True, longest_tail=longest_tail(request.rows)))


@lru_cache(maxsize=16)
def women_of(tag: str) -> frozenset[str]:
    """Given names of women in a locale."""
    return frozenset(names(tag).women)


def _by_gender(request: Request, woman: str, man: str) -> PersonPart:
    """A text for the gender that the row's given name is common for."""
    women = women_of(request.locale)
    pool = text_pool((man, woman))

    def decode(people: People, person: Person) -> Any:
        return pool.take(pa.array(people.of_women[person.given]))

    def named(given: Any, family: Any, numbers: NDArray[np.int64], room: int | None) -> Any:
        return each_text(given, lambda name: woman if name in women else man)

    if not request.fits(len(woman)) or not request.fits(len(man)):
        raise KindError(f"{woman} takes {len(woman)} characters")
    return of_whom(request, PersonPart(decode=decode, named=named, holds_names=False))


_GENDERS = {
    "en": ("female", "male", "F", "M"), "de": ("weiblich", "männlich", "w", "m"), "fr": ("femme", "homme", "F", "M"),
    "es": ("mujer", "hombre", "F", "M"), "it": ("femmina", "maschio", "F", "M"), "nl": ("vrouw", "man", "V", "M"),
    "pl": ("kobieta", "mężczyzna", "K", "M"), "pt": ("feminino", "masculino", "F", "M"), "sv": ("kvinna", "man", "K", "M"),
    "ja": ("女性", "男性", "F", "M"), "el": ("γυναίκα", "άνδρας", "Γ", "Α"), "ar": ("أنثى", "ذكر", "F", "M"),
    "hi": ("महिला", "पुरुष", "F", "M"),
}  # fmt: skip
SALUTATIONS = {
    "en": ("Ms", "Mr"), "de": ("Frau", "Herr"), "fr": ("Mme", "M."), "es": ("Sra.", "Sr."), "it": ("Sig.ra", "Sig."),
    "nl": ("Mevr.", "Dhr."), "pl": ("Pani", "Pan"), "pt": ("Sra.", "Sr."), "sv": ("Fru", "Herr"), "ja": ("様", "様"),
    "el": ("Κα", "Κος"), "ar": ("السيدة", "السيد"), "hi": ("श्रीमती", "श्री"),
}  # fmt: skip


@declare("gender", "The gender that the row's given name is common for, as a word or a letter.", parameters=("form", "row"))
def gender(request: Request) -> PersonPart:
    words = _GENDERS.get(request.language, _GENDERS["en"])
    short = request.parameters.get("form") == "letter" or not request.fits(max(map(len, words)))
    return _by_gender(request, *(words[2:] if short else words[:2]))


@_declare("salutation", "How the row's person is addressed: Ms, Herr, Mme.", standard="HTML autofill")
def salutation(request: Request) -> PersonPart:
    return _by_gender(request, *SALUTATIONS.get(request.language, SALUTATIONS["en"]))
