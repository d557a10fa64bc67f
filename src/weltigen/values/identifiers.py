"""Identifiers with check digits, each a form: `#` is a digit, `?` a check digit, `~` a digit that keeps the check below ten."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..randomness import Words
from .checking import Check, ean, luhn, mod_11_2, mod_11_10, remainder, verhoeff, weighted
from .digits import ZERO, digits_of
from .pools import fixed_width
from .registry import KindError, Prepared, Request, Values, declare

_DIGITS = b"0123456789XK"
Counted = Callable[[str], tuple[int, ...]]


def _plain(character: str) -> tuple[int, ...]:
    """A digit counts for itself; letters as the digits of 10 (A) to 35 (Z), as in ISO 6166 and ISO 17442."""
    return (int(character),) if character.isdigit() else tuple(map(int, str(int(character, 36))))


@dataclass(frozen=True, kw_only=True)
class Identifier:
    """A form, and how its check digits are found.

    `checks`: one function for each run of `?`, or one for all. `counted`: the numbers that a constant character stands for.
    `unseen` are characters that count and are not written, before and behind; `prefix` is written and does not count.
    `whole`: the check is over what stands behind it as well. `written`: the characters that checks are written with.
    """

    form: str
    checks: tuple[Check, ...]
    prefix: str = ""
    unseen: tuple[str, str] = ("", "")
    counted: Counted = _plain
    whole: bool = False
    written: bytes = _DIGITS

    def values(self) -> Values:
        form = self.prefix + self.form
        width = self.form.count("#")
        marks = np.frombuffer(form.encode(), np.uint8)
        free = [at for at, mark in enumerate(form) if mark == "#"]
        filler = form.find("~")
        runs = _runs(form)

        def decode(positions: Words) -> Any:
            made = np.tile(marks, (len(positions), 1))
            made[:, free] = digits_of(positions, width) + ZERO
            if filler >= 0:
                made[:, filler] = 48
            for number, (start, end) in enumerate(runs):
                check = self.checks[min(number, len(self.checks) - 1)]
                found = check(self._places(form, made, start, end))
                if filler >= 0:
                    made[:, filler] = np.where(found > 9, 49, made[:, filler])
                    found = check(self._places(form, made, start, end))
                if end - start > 1:
                    made[:, start:end] = np.stack([found // 10, found % 10], axis=1) + 48
                else:
                    made[:, start] = np.frombuffer(self.written, np.uint8)[found]
            return fixed_width(made)

        return Values(space=10**width, decode=decode, distinct_folded=True)

    def _places(self, form: str, made: NDArray[np.uint8], start: int, end: int) -> NDArray[np.int64]:
        """The numbers of all characters that count for a check."""
        before, behind = self.unseen
        ends = len(form) if self.whole else start
        # a place of the text, or a number that is the same in each row
        places: list[int | None] = []
        fixed: list[int] = []
        for mark in before:
            fixed += _plain(mark)
        places += [None] * len(fixed)
        for at in range(len(self.prefix), ends):
            if start <= at < end or (not form[at].isalnum() and form[at] not in "#?~"):
                continue
            told = (0,) if form[at] in "#?~" else self.counted(form[at])
            places += [at] if form[at] in "#?~" else [None] * len(told)
            fixed += told
        for mark in behind:
            fixed += _plain(mark)
            places += [None] * len(_plain(mark))
        out = np.tile(np.array(fixed, np.int64), (len(made), 1))
        signs = [(number, at) for number, at in enumerate(places) if at is not None]
        out[:, [number for number, _ in signs]] = made[:, [at for _, at in signs]].astype(np.int64) - 48
        return out


def _runs(form: str) -> list[tuple[int, int]]:
    """Where check digits stand; two of `:` and `?` together are one of two digits."""
    runs, at = [], 0
    while at < len(form):
        if form[at] == "?":
            runs.append((at, at + 1))
        elif form[at] == ":":
            runs.append((at, at + 2))
            at += 1
        at += 1
    return runs


_OWNER = {chr(65 + n): 10 + n + (n + 9) // 10 for n in range(26)}  # ISO 6346: no multiples of eleven
_VEHICLE = dict(
    zip("ABCDEFGHJKLMNPRSTUVWXYZ", (1, 2, 3, 4, 5, 6, 7, 8, 1, 2, 3, 4, 5, 7, 9, 2, 3, 4, 5, 6, 7, 8, 9), strict=True)
)
_TWO = " ".join(str(2**n) for n in range(10))


def _one(table: dict[str, int]) -> Counted:
    return lambda character: (table.get(character, int(character, 36) if character.isdigit() else 0),)


_ELEVEN = "10 9 8 7 6 5 4 3 2"
_MOD97 = remainder(97, 2, less=98)
_KEY97 = remainder(97, less=97)


def _zero_above_nine(check: Check) -> Check:
    def checked(places: Any) -> NDArray[np.int64]:
        found = check(places)
        return np.where(found > 9, 0, found)

    return checked


# name: what it is, its standard, the form
_FORMS: dict[str, tuple[str, str, Identifier]] = {
    "issn": ("The number of a serial, above those that are given out", "ISO 3297", Identifier(form="9###-###?", checks=(weighted("8 7 6 5 4 3 2", 11),))),
    "isbn-10": ("A book number of ten characters, of a group that does not exist", "ISO 2108:1992", Identifier(form="99999####?", checks=(weighted(_ELEVEN, 11),))),
    "ismn": ("The number of printed music", "ISO 10957", Identifier(form="9790999#####?", checks=(ean,))),
    "gtin-8": ("A short article number for use within one house", "GS1 General Specifications", Identifier(form="2######?", checks=(ean,))),
    "gtin-12": ("An article number of twelve digits for use within one house", "GS1 General Specifications", Identifier(form="4##########?", checks=(ean,))),
    "gtin-14": ("The number of a case of an article for use within one house", "GS1 General Specifications", Identifier(form="120##########?", checks=(ean,))),
    "sscc": ("The number of a shipping unit for use within one house", "GS1 General Specifications", Identifier(form="020##############?", checks=(ean,))),
    "gln": ("The number of a place for use within one house", "GS1 General Specifications", Identifier(form="20##########?", checks=(ean,))),
    "imei": ("The number of a mobile phone, of a test type", "3GPP TS 23.003", Identifier(form="00499901######?", checks=(luhn,))),
    "iccid": ("The number of a SIM card, of no country", "ITU-T E.118", Identifier(form="89999#############?", checks=(luhn,))),
    "isin": ("The number of a security, of no country", "ISO 6166", Identifier(form="ZZ#########?", checks=(luhn,))),
    "lei": ("The identifier of a legal entity, of an issuer that does not exist", "ISO 17442", Identifier(form="ZZZZ00############:?", checks=(_MOD97,))),
    "creditor-reference": ("A reference of a payment", "ISO 11649", Identifier(prefix="RF", form=":?##########", checks=(_MOD97,), unseen=("", "RF"), whole=True)),
    "orcid": ("The identifier of a researcher, below those that are given out", "ISO 27729", Identifier(form="0000-0000-####-###?", checks=(mod_11_2,))),
    "isni": ("The identifier of a name, below those that are given out", "ISO 27729", Identifier(form="0000 0000 #### ###?", checks=(mod_11_2,))),
    "iswc": ("The number of a musical work", "ISO 15707", Identifier(prefix="T-", form="###.###.###-?", checks=(weighted("1 2 3 4 5 6 7 8 9", 10, plus=1),))),
    "vin": ("The number of a vehicle of a maker that does not exist", "ISO 3779", Identifier(
        form="ZZZAB###?R1######", checks=(weighted("8 7 6 5 4 3 2 10 9 8 7 6 5 4 3 2", 11, down=False),), counted=_one(_VEHICLE), whole=True)),
    "imo-number": ("The number of a ship, below those that are given out", "IMO A.1117(30)", Identifier(
        prefix="IMO ", form="2#####?", checks=(weighted("7 6 5 4 3 2", 10, down=False),))),
    "container-number": ("The number of a freight container, of an owner that does not exist", "ISO 6346", Identifier(
        form="ZZZU######?", checks=(_zero_above_nine(weighted(_TWO, 11, down=False)),), counted=_one(_OWNER))),
    "wagon-number": ("The number of a railway wagon, of no country", "UIC 438-2", Identifier(form="99 00 #### ###-?", checks=(luhn,))),
    "nhs-number": ("A British patient's number, of a range for tests", "NHS Data Model and Dictionary", Identifier(form="999 ~## ###?", checks=(weighted(_ELEVEN, 11),))),
    "npi": ("A number of an American provider of care, above those that are given out", "45 CFR 162.406", Identifier(form="9########?", checks=(luhn,), unseen=("80840", ""))),
    "loinc": ("The code of an observation, above those that are given out", "LOINC", Identifier(form="9#####-?", checks=(luhn,))),
    "snomed-id": ("The identifier of a clinical concept, of a namespace for tests", "SNOMED CT RF2", Identifier(form="9####099999910?", checks=(verhoeff,))),
    "pzn": ("The number of a medicine in Germany", "IFA PZN8", Identifier(prefix="PZN-", form="9~#####?", checks=(weighted("1 2 3 4 5 6 7", 11, down=False),))),
    "siren": ("The number of a French firm, above those that are given out", "INSEE", Identifier(form="999#####?", checks=(luhn,))),
    "siret": ("The number of a French establishment", "INSEE", Identifier(form="999#####?####?", checks=(luhn,))),
    "nir": ("A French social security number, of somebody born in no country", "INSEE", Identifier(form="1##0599######:?", checks=(_KEY97,))),
    "dni": ("A Spanish identity number", "Real Decreto 1553/2005", Identifier(form="########?", checks=(remainder(23),), written=b"TRWAGMYFPDXBNJZSQVHLCKE")),
    "nie": ("A Spanish number of a foreigner", "Real Decreto 557/2011", Identifier(prefix="X", form="#######?", checks=(remainder(23),), written=b"TRWAGMYFPDXBNJZSQVHLCKE")),
    "bsn": ("A Dutch citizen's number", "Wet algemene bepalingen burgerservicenummer", Identifier(form="9~######?", checks=(weighted("9 8 7 6 5 4 3 2", 11, down=False),))),
    "ahv-number": ("A Swiss social insurance number", "AHVV", Identifier(form="756.9###.####.#?", checks=(ean,))),
    "oib": ("A Croatian personal number", "Zakon o OIB-u", Identifier(form="99########?", checks=(mod_11_10,))),
    "cpf": ("A Brazilian taxpayer's number", "Receita Federal", Identifier(form="999.###.###-??", checks=(
        _zero_above_nine(weighted("10 9 8 7 6 5 4 3 2", 11)), _zero_above_nine(weighted("11 10 9 8 7 6 5 4 3 2", 11))))),
    "cnpj": ("A Brazilian firm's number", "Receita Federal", Identifier(form="99.###.###/0001-??", checks=(
        _zero_above_nine(weighted("5 4 3 2 9 8 7 6 5 4 3 2", 11)), _zero_above_nine(weighted("6 5 4 3 2 9 8 7 6 5 4 3 2", 11))))),
    "rut": ("A Chilean taxpayer's number", "Decreto con Fuerza de Ley 3", Identifier(
        form="99.###.###-?", checks=(weighted("3 2 7 6 5 4 3 2", 11),), written=b"0123456789K")),
    "sin": ("A Canadian social insurance number, of a series that is not given out", "CRA", Identifier(form="0## ### ##?", checks=(luhn,))),
    "aba-number": ("The routing number of an American bank, of no district", "ANSI X9.13", Identifier(form="99######?", checks=(weighted("3 7 1 3 7 1 3 7", 10),))),
}  # fmt: skip


def _declared(name: str, summary: str, standard: str, identifier: Identifier) -> None:
    length = len(identifier.prefix + identifier.form)

    @declare(name, f"{summary}.", standard=standard)
    def prepare(request: Request) -> Prepared:
        if not request.fits(length):
            raise KindError(f"a value of {name} takes {length} characters, more or fewer than the field allows")
        return identifier.values()


for _name, (_summary, _standard, _identifier) in _FORMS.items():
    _declared(_name, _summary, _standard, _identifier)


def written_lengths() -> dict[str, int]:
    """How many characters each of these kinds has."""
    return {name: len(identifier.prefix + identifier.form) for name, (_, _, identifier) in _FORMS.items()}
