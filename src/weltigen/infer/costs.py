"""Costs of a row make its total: hours at a rate, parts, fees."""

from __future__ import annotations

from ..model import Field
from ..model.types import INTEGERS, NUMBERS
from .naming import folded
from .row_numbers import RowNumbers, name_of, or_nothing

NETS = (
    "net amount",
    "net total",
    "total net",
    "amount net",
    "net",
    "subtotal",
    "sub total",
    "net price",
    "price net",
    "amount excl tax",
    "amount untaxed",
    "untaxed amount",
    "price subtotal",
    "taxable amount",
    "base amount",
    "amount base",
    "base taxable",
    "taxable base",
    "tax base",
)
_COST = ("cost", "costs", "fee", "fees", "charge", "charges", "surcharge", "expenses", "expense", "disbursement")
_ADDED = frozenset(
    "fee fees disbursement expenses expense postage shipping freight surcharge levy labour materials delivery".split()
)
_NO_PART = frozenset("total unit hourly daily monthly estimated planned late annual average actual budgeted rate".split())
_TOTAL = (
    "total",
    "total cost",
    "total costs",
    "cost total",
    "grand total",
    "total amount",
    "total charge",
    "total due",
    "total price",
)


WORKED = ("labour hours", "hours labour", "hours worked", "work hours", "hours", "labour time")
HOURLY = ("hourly rate", "rate hourly", "labour rate", "rate per hour", "price per hour", "price hour", "hourly price", "rate")


# what a bill charges beside what was bought: `shipping_fee`, `tip`; and what it lets off
_CHARGED = frozenset(
    "shipping delivery freight postage handling tip tips gratuity service packing packaging booking processing surcharge".split()
)
_BESIDE = frozenset("fee fees charge charges cost costs amount price total".split())
LET_OFF = ("discount", "discount amount", "discount total", "total discount", "rebate")


def charged(amounts: RowNumbers, but: list[Field]) -> str:
    """What is added to a sum, and taken off it, as SQL that goes on behind the sum; empty where nothing is."""
    added = {
        name for words, name in amounts.names.items()
        if _CHARGED & set(words.split()) and set(words.split()) <= _CHARGED | _BESIDE | {"gross"}
        and amounts.entity.field(name).type.name is but[-1].type.name
    }  # fmt: skip
    off = amounts.one(LET_OFF, *but)
    out = "".join(f" + {or_nothing(amounts.entity.field(name))}" for name in amounts.entity.field_names if name in added)
    less = off is not None and off.type.name is but[-1].type.name and off.name not in added
    return out + (f" - {or_nothing(off)}" if off is not None and less else "")


_GROSSES = ("gross", "gross amount", "amount gross", "gross total", "total gross")
_KEPT = (["fee"], ["fees"], ["commission"])
_BY_WHOM = frozenset(
    "platform processing transaction payment gateway application marketplace card provider agency commission".split()
)
_SHARES = ("0.05", "0.03", "0.02", "0.01")  # what fees come to, the first one the most


def paid_out(amounts: RowNumbers) -> None:
    """Fees are shares of what came in, and what is paid out is the rest."""
    gross, net = amounts.one(_GROSSES), amounts.one(NETS)
    if gross is None or net is None or net.name in amounts.made or gross.name in amounts.made:
        return
    told = {words: words.split() for words in amounts.names}
    kept = {amounts.names[words] for words, own in told.items() if own[-1:] in _KEPT and (len(own) == 1 or set(own) & _BY_WHOM)}
    fees = [field for field in amounts.entity.fields if field.name in kept and field.type.name is net.type.name]
    if not 0 < len(fees) <= len(_SHARES) or any(field.name in amounts.made for field in fees):
        return
    for field, share in zip(fees, _SHARES, strict=False):
        amounts.compute(field, f"{name_of(gross)} * {share}", [gross], f"a share of {gross.name}")
    if all(field.name in amounts.made for field in fees):
        amounts.compute(net, f"{name_of(gross)} - {' - '.join(map(or_nothing, fees))}", [gross], f"{gross.name} less its fees")


_NO_SUMS = frozenset("percent rate id number code count at on by minimum maximum min max pct year days".split())


_NO_PARTS = _NO_PART | _NO_SUMS | {"gross", "net", "tare"}


def of_one_end(amounts: RowNumbers) -> None:
    """Numbers that end alike make the total that does so: `labour_ht` and `parts_ht` are `total_ht`."""
    numbers = [field for field in amounts.entity.fields if field.type.name in NUMBERS - INTEGERS]
    ends = {field.name: folded(field.name).split("_") for field in numbers}
    for total in numbers:
        words = ends[total.name]
        if len(words) != 2 or words[0] != "total" or words[1] in _NO_SUMS or total.name in amounts.made:
            continue
        parts = [
            field for field in numbers
            if len(ends[field.name]) > 1 and ends[field.name][-1] == words[1] and field.name not in (total.name, *amounts.made)
            and field.type.name is total.type.name and _NO_PARTS.isdisjoint(ends[field.name][:-1])
        ]  # fmt: skip
        if len(parts) > 1:
            required = [part for part in parts if not part.nullable]
            summed = " + ".join(map(or_nothing, parts))
            amounts.compute(total, summed, required or parts[:1], " and ".join(part.name for part in parts) + " together")


_PER_PIECE = ("rate", "price")
_PRODUCTS = ("amount", "pay", "cost", "total", "value")


def of_one_beginning(amounts: RowNumbers) -> None:
    """Numbers that begin alike: `mileage_miles` at the `mileage_rate` are the `mileage_amount`."""
    numbers = {folded(field.name): field for field in amounts.entity.fields if field.type.name in NUMBERS}
    for name, rate in numbers.items():
        stem, _, last = name.rpartition("_")
        if last not in _PER_PIECE or not stem:
            continue
        made = next((numbers[f"{stem}_{one}"] for one in _PRODUCTS if f"{stem}_{one}" in numbers), None)
        told = (rate, made)
        many = [one for other, one in numbers.items() if other.startswith(f"{stem}_") and one not in told]
        if made is not None and len(many) == 1 and made.name not in amounts.made and made.type.name not in INTEGERS:
            parts = [part for part in (many[0], rate) if not part.nullable] or [many[0], rate]
            amounts.compute(made, f"{name_of(many[0])} * {name_of(rate)}", parts, f"{many[0].name} at {rate.name}")


def of_costs(amounts: RowNumbers) -> None:
    """Costs of labour and of parts make the total."""
    total = amounts.one(_TOTAL)
    hours, rate = amounts.one(WORKED), amounts.one(HOURLY)
    labour = f"{name_of(hours)} * {name_of(rate)}" if hours is not None and rate is not None else None
    used = amounts.one(("parts cost", "cost parts", "cost pieces", "material cost", "cost material", "materials cost"))
    if total is not None and labour is not None and used is not None:
        summed = f"coalesce({name_of(used)}, 0) + coalesce({labour}, 0)"
        amounts.compute(
            total,
            summed,
            [part for part in (used, hours, rate) if part is not None and not part.nullable],
            f"{used.name} and the hours worked",
        )
        return
    named = ((words.split(), name) for words, name in amounts.names.items())
    names = {name: words for words, name in named if len(words) > 1 or (words and words[0] in _ADDED)}
    parts = [
        field for name, words in names.items() if words[-1] in _COST and not _NO_PART & set(words) and name not in amounts.made
        and (field := amounts.entity.field(name)).type.name in NUMBERS and (total is None or field.type.name is total.type.name)
    ]  # fmt: skip
    if total is not None and len(parts) > 1:
        summed = " + ".join(map(or_nothing, parts))
        required = [part for part in parts if not part.nullable] or [total]
        amounts.compute(
            total,
            summed,
            [part for part in required if part is not total],
            " and ".join(part.name for part in parts) + " together",
        )
