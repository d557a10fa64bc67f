"""Numbers that registers give out, with check digits that are right."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

from ..randomness.mixing import word
from .atlas import home_of
from .choosing import pool_of
from .registry import Request, Values, declare, get_kind
from .technical import KEY


@declare("cas-number", "A number in the form of a CAS registry number; its last digit is right.", standard="CAS")
def cas_number(request: Request) -> Values:
    def of(number: int) -> str:
        digits = str(number)
        return f"{digits[:-2]}-{digits[-2:]}-{sum((at + 1) * int(d) for at, d in enumerate(reversed(digits))) % 10}"

    return pool_of([of(5000 + n * 317) for n in range(3000)], request, "number")


@declare("card-number", "A card number of a test range; its last digit is right.", standard="ISO/IEC 7812")
def card_number(request: Request) -> Values:
    def of(number: int) -> str:
        digits = f"400000{number:09d}"
        total = sum(sum(divmod(int(d) * (2 if at % 2 == 0 else 1), 10)) for at, d in enumerate(reversed(digits)))
        return f"{digits}{-total % 10}"

    return pool_of([of(n * 9973) for n in range(4000)], request, "card number")


@declare(
    "vat-number",
    "A VAT number in the form of the country of the locale; its check digits are right where the form has some.",
    parameters=("country",),
)
def vat_number(request: Request) -> Values:
    country = request.parameters.get("country") or home_of(request.locale)
    if country == "BR":  # where firms have one number for all taxes
        return get_kind("cnpj").prepare(request)  # type: ignore[return-value]
    form = _VAT.get(country, _british)
    return pool_of([form(word(KEY, n)) for n in range(4000)], request, "VAT number")


def _weighed(digits: str, weights: str) -> int:
    return sum(int(digit) * int(weight) for digit, weight in zip(digits, weights, strict=True))


def _luhn(digits: str) -> int:
    """The digit that makes the sum a multiple of ten, every second one doubled; behind the digits."""
    doubled = (int(digit) * (1 + (at % 2 == 0)) for at, digit in enumerate(reversed(digits)))
    return -sum(sum(divmod(one, 10)) for one in doubled) % 10


def _british(number: int) -> str:
    digits = f"{1_000_000 + number % 8_999_999}"
    return f"GB{digits}{97 - (_weighed(digits, '8765432') + 55) % 97:02d}"


def _german(number: int) -> str:
    return f"DE{_iso7064(f'{1 + number % 9}{number // 9 % 10**7:07d}')}"


def _french(number: int) -> str:
    siren = _with_luhn(f"{10_000_000 + number % 89_999_999}")
    return f"FR{(12 + 3 * (int(siren) % 97)) % 97:02d}{siren}"


def _with_luhn(digits: str) -> str:
    return f"{digits}{_luhn(digits)}"


def _spanish(number: int) -> str:
    """Of a limited company (B)."""
    return f"ESB{_with_luhn(f'{number % 10**7:07d}')}"


def _italian(number: int) -> str:
    """The office of the province stands behind the firm."""
    return f"IT{_with_luhn(f'{1_000_000 + number % 8_999_999}{1 + number // 9_000_000 % 100:03d}')}"


def _dutch(number: int) -> str:
    """The letters of the country, the digits and what stands behind them are one number by 97, letters counted from A = 10."""
    digits = f"{100_000_000 + number % 899_999_999}"
    return f"NL{digits}B{98 - int(f'2321{digits}1100') % 97:02d}"


def _polish(number: int) -> str:
    least = 100_000_000
    numbers = (f"{least + (number + step) % (9 * least)}" for step in count())
    digits = next(text for text in numbers if _weighed(text, "657234567") % 11 < 10)  # not all of them have a check digit
    return f"PL{digits}{_weighed(digits, '657234567') % 11}"


def _swedish(number: int) -> str:
    return f"SE{_with_luhn(f'{556_000_000 + number % 3_999_999}')}01"


def _portuguese(number: int) -> str:
    digits = f"{50_000_000 + number % 9_999_999}"
    left = 11 - _weighed(digits, "98765432") % 11
    return f"PT{digits}{left if left < 10 else 0}"


def _greek(number: int) -> str:
    digits = f"0{9_000_000 + number % 999_999}"
    return f"EL{digits}{sum(int(d) << (8 - at) for at, d in enumerate(digits)) % 11 % 10}"


def _belgian(number: int) -> str:
    digits = f"0{4_000_000 + number % 5_999_999}"
    return f"BE{digits}{97 - int(digits) % 97:02d}"


_VAT: dict[str, Callable[[int], str]] = {
    "GB": _british, "DE": _german, "FR": _french, "ES": _spanish, "IT": _italian, "NL": _dutch, "PL": _polish, "SE": _swedish,
    "PT": _portuguese, "GR": _greek, "BE": _belgian,
}  # fmt: skip


def _iso7064(digits: str) -> str:
    """ISO 7064, MOD 11,10."""
    product_ = 10
    for digit in digits:
        total = (int(digit) + product_) % 10 or 10
        product_ = total * 2 % 11
    return f"{digits}{(11 - product_) % 10}"
