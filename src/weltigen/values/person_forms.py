"""What else a person of a row is called: initials, a short name, a title before the name, a second given name."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from .namesakes import each_text
from .people import SALUTATIONS, People, Person, given_name, of_whom, women_of
from .person_names import in_latin
from .pools import join, text_pool
from .registry import KindError, PersonPart, Prepared, Request, declare

_SHORT = dict(
    pair.split("=")
    for pair in (
        "= Thomas=Tom Robert=Rob William=Will James=Jim Michael=Mike Richard=Rick David=Dave Christopher=Chris "
        "Matthew=Matt Andrew=Andy Anthony=Tony Daniel=Dan Joseph=Joe Samuel=Sam Benjamin=Ben Alexander=Alex Nicholas=Nick "
        "Jonathan=Jon Edward=Ted Philip=Phil Stephen=Steve Steven=Steve Peter=Pete Timothy=Tim Gregory=Greg Kenneth=Ken "
        "Ronald=Ron Charles=Charlie Frederick=Fred Patrick=Pat Douglas=Doug Raymond=Ray Lawrence=Larry Theodore=Theo "
        "Joshua=Josh Jacob=Jake Zachary=Zach Nathan=Nate Elizabeth=Liz Margaret=Maggie Katherine=Kate Catherine=Cathy "
        "Rebecca=Becky Susan=Sue Jennifer=Jen Jessica=Jess Patricia=Pat Deborah=Debbie Barbara=Barb Victoria=Vicky "
        "Samantha=Sam Alexandra=Alex Christina=Tina Christine=Chris Stephanie=Steph Amanda=Mandy Abigail=Abby Natalie=Nat "
        "Penelope=Penny Jacqueline=Jackie Charlotte=Lottie Isabella=Bella Maximilian=Max Sebastian=Basti Johannes=Hannes "
        "Matthias=Matze Andreas=Andi Stefan=Steff Katharina=Kathi Susanne=Susi Elisabeth=Lisa Franziska=Franzi "
        "Alexandre=Alex Guillaume=Gui Stéphanie=Steph Frédéric=Fred Francisco=Paco José=Pepe Manuel=Manolo Dolores=Lola "
        "Mercedes=Merche Francesca=Franci Alessandro=Ale Giuseppe=Beppe Katarzyna=Kasia Małgorzata=Gosia Agnieszka=Aga "
        "Aleksandra=Ola Krzysztof=Krzysiek Tomasz=Tomek Antônio=Toninho"
    ).split()
)


@declare("initials", "The first letters of the names of the row's person.", parameters=("row", "form"))
def initials(request: Request) -> PersonPart:
    """`form: dots`: A.B. and not AB."""
    dots = request.parameters.get("form") == "dots"
    if not request.fits(4 if dots else 2):
        raise KindError(f"initials take {4 if dots else 2} characters")

    def of(given: Any, family: Any) -> Any:
        letters = [pc.utf8_upper(pc.utf8_slice_codeunits(each_text(text, in_latin), 0, 1)) for text in (given, family)]
        return join(letters[0], ".", letters[1], ".") if dots else join(*letters)

    def decode(people: People, person: Person) -> Any:
        return of(*people.in_latin(person))

    part = PersonPart(decode=decode, named=lambda given, family, numbers, room: of(given, family), holds_names=False)
    return of_whom(request, part)


@declare("nickname", "What friends call the row's person: a short form of the given name where it has one.",
         standard="HTML autofill", parameters=("row",))  # fmt: skip
def nickname(request: Request) -> PersonPart:
    def short(given: Any) -> Any:
        return each_text(given, lambda name: _SHORT.get(name, name))

    def named(given: Any, family: Any, numbers: NDArray[np.int64], room: int | None) -> Any:
        return short(given) if room is None else pc.utf8_slice_codeunits(short(given), 0, room)

    return of_whom(request, PersonPart(decode=lambda people, person: short(people.given_names(person.given)), named=named))


_DOCTORS, _PROFESSORS = 6, 1  # of a hundred


@declare("honorific-prefix", "What stands before the name of the row's person: Ms, Mr, for a few Dr or Prof.",
         standard="HTML autofill", parameters=("row",))  # fmt: skip
def honorific_prefix(request: Request) -> PersonPart:
    woman, man = SALUTATIONS.get(request.language, SALUTATIONS["en"])
    pool = [man, woman, "Dr", "Prof."]
    if not all(request.fits(len(text)) for text in pool):
        raise KindError(f"{max(pool, key=len)} takes {max(map(len, pool))} characters")
    taken, women = text_pool(pool), women_of(request.locale)

    def decode(people: People, person: Person) -> Any:
        chance = (person.given * 31 + person.family * 17 + person.rank * 7) % 100
        usual = people.of_women[person.given]
        return taken.take(pa.array(np.where(chance < _DOCTORS, 2, np.where(chance < _DOCTORS + _PROFESSORS, 3, usual))))

    def named(given: Any, family: Any, numbers: NDArray[np.int64], room: int | None) -> Any:
        return each_text(given, lambda name: woman if name in women else man)

    return of_whom(request, PersonPart(decode=decode, named=named, holds_names=False))


@declare("additional-name", "A second given name of the row's person.", standard="HTML autofill", parameters=("script",))
def additional_name(request: Request) -> Prepared:
    return given_name(replace(request, parameters={**request.parameters, "row": "middle"}))
