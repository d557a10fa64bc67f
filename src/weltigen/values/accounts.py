"""Account numbers of banks that do not exist, with the check digits of ISO 13616 and of the country itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..randomness import Words
from .atlas import home_of
from .digits import as_texts, digits_of
from .registry import KindError, Request, Values, declare

Digits = NDArray[np.int64]  # a matrix, one row for each account


@dataclass(frozen=True, slots=True)
class _Form:
    """`bank`: its letters and digits, with the branch; so many digits of the account; and how the country checks them.

    `check` takes the digits of the account, and gives columns of digits that stand before it and behind it; a letter is a number
    from 10 on.
    """

    bank: str
    width: int
    check: Callable[[Digits], tuple[Digits | None, Digits | None]] | None = None


def _column(digits: NDArray[Any]) -> Digits:
    return digits.astype(np.int64)[:, None]


def _two(numbers: Digits) -> Digits:
    return np.stack([numbers // 10, numbers % 10], axis=1)


def _weighed(digits: Digits, weights: str) -> Digits:
    return np.asarray(digits @ np.array([int(w, 16) for w in weights], np.int64))


def _by_97(digits: Digits, bank: str = "") -> Digits:
    """The remainder of a bank and digits by 97."""
    width = digits.shape[1]
    weights = np.array([pow(10, width - 1 - at, 97) for at in range(width)], np.int64)
    return np.asarray((digits @ weights + int(bank or "0") * pow(10, width, 97)) % 97)


def _luhn(digits: Digits) -> Digits:
    doubled = digits.copy()
    doubled[:, ::-2] *= 2
    return np.asarray(-(doubled // 10 + doubled % 10).sum(axis=1) % 10)


_SPANISH = "12485A9736"


def _spanish(digits: Digits) -> Digits:
    left = 11 - _weighed(digits, _SPANISH) % 11
    return np.where(left == 11, 0, np.where(left == 10, 1, left))


def _of_spain(account: Digits) -> tuple[Digits | None, Digits | None]:
    first = _spanish(np.array([[0, 0, *map(int, "99999999")]]))[0]
    return np.stack([np.full(len(account), first), _spanish(account)], axis=1), None


def _of_france(account: Digits) -> tuple[Digits | None, Digits | None]:
    number = _by_97(account)
    return None, _two(97 - (89 * 99999 + 15 * 99999 + 3 * number) % 97)  # the clé RIB, which weighs bank, branch and account


_ODD = np.array([1, 0, 5, 7, 9, 13, 15, 17, 19, 21], np.int64)


def _of_italy(account: Digits) -> tuple[Digits | None, Digits | None]:
    """The CIN: digits in odd places weigh otherwise than those in even ones."""
    whole = np.hstack([np.full((len(account), 10), 9, np.int64), account])
    return _column(10 + (_ODD[whole[:, ::2]].sum(axis=1) + whole[:, 1::2].sum(axis=1)) % 26), None


def _of_belgium(account: Digits) -> tuple[Digits | None, Digits | None]:
    rest = _by_97(account, "999")
    return None, _two(np.where(rest == 0, 97, rest))


def _of_portugal(account: Digits) -> tuple[Digits | None, Digits | None]:
    return None, _two(98 - _by_97(account, "99999999") * 100 % 97)


def _of_finland(account: Digits) -> tuple[Digits | None, Digits | None]:
    return None, _column(_luhn(np.hstack([np.full((len(account), 6), 9, np.int64), account])))


def _of_norway(account: Digits) -> tuple[Digits | None, Digits | None]:
    """Weights by 11. Where the last digit would be ten, the one before it is 1, and not 0."""
    spare = np.hstack([np.full((len(account), 4), 9, np.int64), account, np.zeros((len(account), 1), np.int64)])
    total = _weighed(spare, "5432765432")
    filler = ((-total) % 11 == 10).astype(np.int64)
    return None, np.stack([filler, (-(total + 2 * filler)) % 11], axis=1)


def _of_czechia(account: Digits) -> tuple[Digits | None, Digits | None]:
    """No prefix, and weights by 11, with a digit to spare as in Norway."""
    spare = np.hstack([account, np.zeros((len(account), 1), np.int64)])
    total = _weighed(spare, "6379A5842")
    filler = ((-total) % 11 == 10).astype(np.int64)
    return np.zeros((len(account), 6), np.int64), np.stack([filler, (-(total + 2 * filler)) % 11], axis=1)


def _of_hungary(account: Digits) -> tuple[Digits | None, Digits | None]:
    first = -_weighed(np.full((1, 7), 9), "9731973")[0] % 10
    return np.full((len(account), 1), first), _column(-_weighed(account, "973197319731973") % 10)


def _of_estonia(account: Digits) -> tuple[Digits | None, Digits | None]:
    whole = np.hstack([np.full((len(account), 2), 9, np.int64), account])
    return None, _column(-_weighed(whole, "7137137137137") % 10)


_FORMS = {
    "GB": _Form("ZZZZ", 14), "IE": _Form("ZZZZ", 14), "NL": _Form("ZZZZ", 10), "DE": _Form("99999999", 10),
    "AT": _Form("99999", 11), "CH": _Form("99999", 12), "LU": _Form("999", 13), "DK": _Form("9999", 10), "SE": _Form("999", 17),
    "GR": _Form("9999999", 16), "PL": _Form("99999993", 16), "ES": _Form("99999999", 10, _of_spain),
    "FR": _Form("9999999999", 11, _of_france), "IT": _Form("9999999999", 12, _of_italy), "BE": _Form("999", 7, _of_belgium),
    "PT": _Form("99999999", 11, _of_portugal), "FI": _Form("999999", 7, _of_finland), "NO": _Form("9999", 5, _of_norway),
    "CZ": _Form("9999", 8, _of_czechia), "HU": _Form("9999999", 15, _of_hungary), "EE": _Form("9999", 11, _of_estonia),
}  # fmt: skip
_BEHIND_BANK = frozenset({"ES", "CZ", "HU"})  # whose checks stand between bank and account; Italy's stands before the bank


@declare("iban", "An account number of a bank that does not exist.", standard="ISO 13616", parameters=("country",))
def iban(request: Request) -> Values:
    """Of the country of the locale, or of `country`; British elsewhere, and where the column is too narrow for another."""
    said = request.parameters.get("country")
    if said is not None and said not in _FORMS:
        raise KindError(f"accounts of {said} are not known: there are {', '.join(sorted(_FORMS))}")
    country = said or home_of(request.locale)
    length = _length(country) if country in _FORMS else 0
    if said is None and not (length and request.fits(length)):
        country, length = "GB", 22
    if not request.fits(length):
        raise KindError(f"an IBAN takes {length} characters")
    return _accounts(country, _FORMS[country])


def _accounts(country: str, form: _Form) -> Values:
    def decode(positions: Words) -> Any:
        parts = _parts(country, form, digits_of(positions, form.width).astype(np.int64))
        signs = np.hstack([*parts, _letters(country, len(positions))])
        # each sign weighs ten for every digit behind it, the two of the check among them; a letter is two digits
        behind = np.cumsum(np.where(signs[0, ::-1] > 9, 2, 1))[::-1] - np.where(signs[0] > 9, 2, 1) + 2
        rest = signs @ np.array([pow(10, int(number), 97) for number in behind], np.int64) % 97
        return as_texts(country.encode(), _two(98 - rest), *(_signs(part) for part in parts))

    return Values(space=10**form.width, decode=decode)


def _parts(country: str, form: _Form, account: Digits) -> list[Digits]:
    bank = _letters(form.bank, len(account))
    before, behind = form.check(account) if form.check is not None else (None, None)
    if before is None:
        return [bank, account, *([behind] if behind is not None else [])]
    head = [bank, before] if country in _BEHIND_BANK else [before, bank]
    return [*head, account, *([behind] if behind is not None else [])]


def _letters(text: str, rows: int) -> Digits:
    """A text in each row, letters as numbers from 10 on."""
    return np.broadcast_to(np.array([int(sign, 36) for sign in text], np.int64), (rows, len(text)))


def _signs(part: Digits) -> Digits:
    """What is to be added to `0`: digits as they are, letters as far as they lie behind it."""
    return np.where(part > 9, part + ord("A") - 10 - ord("0"), part)


def _length(country: str) -> int:
    form = _FORMS[country]
    parts = _parts(country, form, np.zeros((1, form.width), np.int64))
    return 4 + sum(int(part.shape[1]) for part in parts)
