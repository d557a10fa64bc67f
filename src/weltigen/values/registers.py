"""Numbers that registers give out, with check digits that are right."""

from __future__ import annotations

from ..randomness.mixing import word
from .choosing import pool_of
from .registry import Request, Values, declare
from .technical import KEY, pattern_of


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
    "vat-number", "A VAT number in the form of the country of the language; its check digits are right where the form has some."
)
def vat_number(request: Request) -> Values:
    if request.language == "de":
        return pool_of([f"DE{_iso7064(f'{word(KEY, n) % 10**8:08d}')}" for n in range(4000)], request, "VAT number")
    if request.language == "fr":

        def french(siren: int) -> str:
            return f"FR{(12 + 3 * (siren % 97)) % 97:02d}{siren:09d}"

        return pool_of([french(100_000_000 + word(KEY, n) % 899_999_999) for n in range(4000)], request, "VAT number")
    if request.language == "es":
        return pattern_of("ESB[0-9]{8}", request, "VAT number")

    def british(number: int) -> str:
        digits = f"{number:07d}"
        check = 97 - (sum(int(d) * w for d, w in zip(digits, range(8, 1, -1), strict=True)) + 55) % 97
        return f"GB{digits}{check:02d}"

    return pool_of([british(1_000_000 + word(KEY, n) % 8_999_999) for n in range(4000)], request, "VAT number")


def _iso7064(digits: str) -> str:
    """ISO 7064, MOD 11,10."""
    product_ = 10
    for digit in digits:
        total = (int(digit) + product_) % 10 or 10
        product_ = total * 2 % 11
    return f"{digits}{(11 - product_) % 10}"
