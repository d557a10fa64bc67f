"""Numbers of a row that belong together: sums, products, what is not more than another. Each is a guess and gives way."""

from __future__ import annotations

from dataclasses import replace

from ..model import (
    Bound,
    Candidate,
    ComputeSource,
    Entity,
    Field,
    Guess,
    Present,
    WeightsSource,
    World,
)
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import NUMBERS
from .bounds_of_amounts import limited
from .costs import HOURLY, LET_OFF, NETS, charged, of_costs, of_one_beginning, of_one_end, paid_out
from .meters import claimed, metered, scored, set_beside, weighed
from .naming import Vocabulary
from .row_numbers import RowNumbers, name_of, or_nothing
from .vocabularies import vocabulary_of

_TAX = (
    "tax amount",
    "vat amount",
    "tax total",
    "vat total",
    "amount tax",
    "price tax",
    "amount vat",
    "total tax",
    "total vat",
    "tax",
    "vat",
    "sales tax",
)
_GROSS = (
    "gross amount",
    "gross total",
    "total gross",
    "amount gross",
    "gross",
    "grand total",
    "total amount",
    "amount total",
    "total",
    "gross price",
    "price gross",
    "total price",
    "price total",
)
_RATE = ("tax rate", "vat rate", "tax percent", "vat percent", "rate tax", "rate vat", "vat", "tax")
LINES = (
    "line total",
    "price subtotal",
    "line amount",
    "amount",
    "total",
    "total price",
    "price total",
    "subtotal",
    "net amount",
    "line price",
    "sum",
    "total amount",
    "extended price",
    "cost total",
    "total cost",
)
BASES = ("total", "grand total", "total amount", "amount total", "total price", "price total", "total cost", "amount")
_QUANTITY = ("quantity", "units", "pieces", "quantity ordered", "ordered quantity", "hours", "count")
PRICES = ("unit price", "price", "price unit", "unit cost", "item price", "rate", "hourly rate", "price per unit", "list price",
          "product price", "final price", "selling price", "sales price")  # fmt: skip
_PER = ("price", "cost", "rate", "fee", "charge", "tariff")
_DISCOUNT = ("discount percent", "discount rate", "percent discount")


def guess_amounts(world: World) -> World:
    """Sums, products and limits among the numbers of a row."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_sums(entity, vocabulary) for entity in world.entities))


def _sums(entity: Entity, vocabulary: Vocabulary) -> Entity:
    if sum(field.type.name in NUMBERS for field in entity.fields) < 2 or entity.there:
        return entity
    amounts = RowNumbers(entity, vocabulary)
    paid_out(amounts)
    gross = _taxed(amounts)
    _with_discount(amounts)
    _with_tax(amounts, _rate_of(amounts))
    _lines(amounts, gross)
    of_costs(amounts)
    _paid_ahead(amounts)
    _by_time(amounts)
    _in_cents(amounts)
    weighed(amounts)
    metered(amounts)
    set_beside(amounts)
    scored(amounts)
    claimed(amounts)
    limited(amounts)
    of_one_end(amounts)
    of_one_beginning(amounts)
    if not amounts.made and not amounts.bounds:
        return entity
    fields = (_with(field, amounts.made.get(field.name), amounts.bounds.get(field.name)) for field in entity.fields)
    shares = {**dict.fromkeys(amounts.seldom, 0.3), **dict.fromkeys(amounts.always, 1.0)}
    return changed(entity, fields=tuple(_there(field, shares.get(field.name)) for field in fields))


def _there(field: Field, share: float | None) -> Field:
    return field if share is None else changed(field, present=Present(share=share, origin=Origin.GUESSED))


def _taxed(amounts: RowNumbers) -> Field | None:
    """Tax is a share of the net amount, by the row's rate where it has one, and both make the gross one, which is returned."""
    net, rate = amounts.one(NETS), _rate_of(amounts)
    tax = amounts.one(_TAX, rate)
    if net is None and tax is not None and rate is None and (whole := amounts.one(_GROSS, tax)) is not None:
        share = _TAXES.get(amounts.language, "0.2")
        amounts.compute(
            tax, f"{name_of(whole)} * {share} / (1 + {share})", [whole], f"what {whole.name} holds of it at the usual rate"
        )
    if net is not None and tax is None and rate is not None:
        return _by_rate(amounts, net, rate)
    if net is None and tax is None:
        _with_tax(amounts, rate)
    if (
        net is not None
        and tax is None
        and (gross := amounts.one(_GROSS, net)) is not None
        and (beside := charged(amounts, [net, gross]))
    ):
        amounts.compute(gross, f"{name_of(net)}{beside}", [net], f"{net.name} with all that is charged, less what is let off")
        return gross
    if net is None and tax is None and rate is None:
        _with_charges(amounts)
    if net is None or tax is None:
        return None
    if rate is not None:
        share = _share(rate)
        amounts.compute(tax, f"{name_of(net)} * {share}", [net, rate], f"{net.name} at the rate of {rate.name}")
    else:
        share = _TAXES.get(amounts.language, "0.2")
        amounts.compute(tax, f"{name_of(net)} * {share}", [net], f"{net.name} at the usual rate")
    gross = amounts.one(_GROSS, net, tax)
    if gross is not None:
        beside = charged(amounts, [net, tax, gross])
        with_all = " and all that is charged" if beside else ""
        amounts.compute(gross, f"{name_of(net)} + {name_of(tax)}{beside}", [net, tax], f"{net.name} with {tax.name}{with_all}")
    return gross


def _rate_of(amounts: RowNumbers) -> Field | None:
    """The rate of tax that the row tells."""
    rates = (amounts.entity.field(amounts.names[words]) for words in _RATE if words in amounts.names)
    net = amounts.one(NETS)
    return next((field for field in rates if _is_rate(field) and not _is_as_wide(field, net or amounts.one(_GROSS, field))), None)


_SINGLE = ("price", "base price", "ticket price", "price base", "fare", "base fare", "fare base", "item price")


def _with_charges(amounts: RowNumbers) -> None:
    """One thing at its price with all that is charged for it, less what is let off."""
    price = amounts.one(_SINGLE)
    whole = amounts.one(
        ("total", "total price", "price total", "grand total", "total amount", "amount total", "total due"), price
    )
    counted = amounts.one(_QUANTITY)
    if price is None or whole is None or counted is not None:
        return
    if beside := charged(amounts, [price, whole]):
        told = f"{price.name} with all that is charged, less what is let off"
        amounts.compute(whole, f"{name_of(price)}{beside}", [price], told)


def _share(rate: Field) -> str:
    narrow = rate.type.precision is not None and rate.type.precision - (rate.type.scale or 0) <= 1
    return name_of(rate) if narrow else f"{name_of(rate)} / 100"


def _by_rate(amounts: RowNumbers, net: Field, rate: Field) -> Field | None:
    """A net and a gross price without the tax between them: the one that may be missing follows from the other."""
    gross = amounts.one((*_GROSS, "price"), net, rate)
    if gross is not None and net.nullable and not gross.nullable:
        amounts.compute(net, f"{name_of(gross)} / (1 + {_share(rate)})", [gross, rate], f"{gross.name} without {rate.name}")
    elif gross is not None:
        amounts.compute(gross, f"{name_of(net)} * (1 + {_share(rate)})", [net, rate], f"{net.name} with {rate.name}")
    return gross


_OF_WHAT = (
    "price", "unit price", "sale price", "selling price", "list price", "base price", "cost", "amount", "fee", "subtotal",
    "shipping", "postage", "line price", "line total", "total",
)  # fmt: skip


def _with_tax(amounts: RowNumbers, rate: Field | None) -> None:
    """Prices that are told twice, without more words and with the tax: `price` and `price_gross`."""
    share = _TAXES.get(amounts.language, "0.2") if rate is None else _share(rate)
    told = "the usual rate" if rate is None else rate.name
    of_names = (words.removesuffix(" gross") for words in amounts.names if words.endswith(" gross"))
    for words in dict.fromkeys((*_OF_WHAT, *of_names)):
        plain = amounts.one((words,), rate)
        dear = amounts.one((f"{words} gross", f"gross {words}", f"{words} including tax", f"{words} with tax"), plain, rate)
        if plain is not None and dear is not None:
            parts = [plain] if rate is None else [plain, rate]
            amounts.compute(dear, f"{name_of(plain)} * (1 + {share})", parts, f"{plain.name} with {told}")


def _with_discount(amounts: RowNumbers) -> None:
    """What is told before and after something is let off: `subtotal_with_discount` is the subtotal without the discount."""
    off = amounts.one(LET_OFF)
    for words in list(amounts.names) if off is not None else ():
        plain, after = amounts.one((words,), off), amounts.one((f"{words} with discount", f"discounted {words}"), off)
        if off is not None and plain is not None and after is not None:
            amounts.compute(after, f"{name_of(plain)} - {or_nothing(off)}", [plain], f"{plain.name} less {off.name}")


def _priced(amounts: RowNumbers) -> tuple[Field | None, Field | None]:
    """What is counted or measured, and the price of one: litres and the price per litre where names tell the unit."""
    for words in amounts.names:
        priced, _, unit = words.partition(" per ")
        if unit and priced in _PER and (quantity := amounts.one((f"{unit}s", unit))) is not None:
            return quantity, amounts.one((words,), quantity)
    quantity = amounts.one(_QUANTITY)
    return quantity, amounts.one(PRICES, quantity)


_OF_LINES = frozenset(
    "line item row position detail extended entry product net subtotal total amount sum price value cost of the".split()
)
_SUMMED = frozenset("total amount sum subtotal extended".split())


def _tells_of_a_line(words: set[str]) -> bool:
    """Whether a name is that of a line's amount, however its words are put: `item_total`, `position_amount`, `extended_value`."""
    return words <= _OF_LINES and bool(words & _SUMMED)


def _lines(amounts: RowNumbers, gross: Field | None) -> None:
    """A line is so many times its price, less a discount."""
    quantity, price = _priced(amounts)
    if quantity is None or price is None:
        return
    others = (words for words in amounts.names if _tells_of_a_line(set(words.split())))
    line = amounts.one(LINES, quantity, price, gross) or amounts.one(others, quantity, price, gross)
    if line is None:
        return
    product, parts = f"{name_of(quantity)} * {name_of(price)}", [quantity, price]
    discount = amounts.one(_DISCOUNT)
    if discount is not None and not discount.nullable:
        product, parts = f"{product} * (1 - {name_of(discount)} / 100)", [*parts, discount]
    amounts.compute(line, product, parts, f"{quantity.name} times {price.name}")


_AHEAD = (
    "deposit",
    "deposit paid",
    "down payment",
    "advance payment",
    "advance",
    "amount deposit",
    "deposit amount",
    "paid deposit",
    "paid amount",
    "amount paid",
    "paid total",
    "total paid",
    "paid to date",
    "amount paid to date",
    "amount received",
    "paid",
)
_OPEN = (
    "balance",
    "balance due",
    "due balance",
    "outstanding",
    "outstanding amount",
    "remaining",
    "amount due",
    "remaining amount",
)
_WHOLE = (
    "price",
    "total price",
    "price total",
    "total",
    "total amount",
    "amount total",
    "grand total",
    "fee",
    "cost",
    "price agreed",
    "agreed price",
    "quoted",
    "quote",
    "quoted price",
    "price quoted",
    "estimate",
    "gross",
    "gross amount",
    "gross total",
    "amount gross",
    "total gross",
    "amount",
)


def _tells_paid(status: Field) -> str | None:
    """The state in which all is paid, as it is written there."""
    values = status.source.weights if isinstance(status.source, WeightsSource) else ()
    return next((value for value, _ in values if value.lower() == "paid"), None)


def _paid_ahead(amounts: RowNumbers) -> None:
    """A deposit is a part of the price, and what it leaves is due."""
    whole = amounts.one(_WHOLE)
    ahead, due = amounts.one(_AHEAD, whole), amounts.one(_OPEN, whole)
    if whole is None or ahead is None or ahead.type.name is not whole.type.name:
        return
    status = next((f for f in amounts.entity.fields if isinstance(f.source, WeightsSource) and _tells_paid(f)), None)
    in_part = {"deposit", "advance", "down"} & set(ahead.name.lower().split("_"))
    if status is not None and not in_part and not status.nullable:
        settled = f"CASE WHEN {name_of(status)} = '{_tells_paid(status)}' THEN {name_of(whole)} ELSE 0 END"
        amounts.compute(ahead, settled, [whole], f"{whole.name} where {status.name} says so")
    else:
        amounts.limit(ahead, whole)
    if due is not None:
        amounts.compute(due, f"{name_of(whole)} - coalesce({name_of(ahead)}, 0)", [whole], f"{whole.name} less {ahead.name}")


def _by_time(amounts: RowNumbers) -> None:
    """A week costs four days, a month twelve; minutes cost their part of an hour."""
    minutes = amounts.one(("duration minutes", "minutes duration", "minutes", "minutes spent", "length minutes"))
    hour, line = amounts.one(HOURLY[1:-1]), amounts.one((*LINES, "fee", "cost", "price"))
    if minutes is not None and hour is not None and line is not None and line.name != hour.name:
        product = f"{name_of(minutes)} * {name_of(hour)} / 60"
        amounts.compute(line, product, [minutes, hour], f"{minutes.name} at {hour.name}")
    spans = [
        amounts.one((f"{span} rate", f"rate {span}", f"price per {span}", f"{span} price")) for span in ("day", "week", "month")
    ]
    day = spans[0]
    for longer, times, said in ((spans[1], 4, "four"), (spans[2], 12, "twelve")):
        if day is not None and longer is not None:
            amounts.compute(longer, f"{name_of(day)} * {times}", [day], f"{said} times {day.name}")


def _in_cents(amounts: RowNumbers) -> None:
    for whole in ("price", "amount", "total"):
        cents, of = amounts.one((f"{whole} cents",)), amounts.one((whole,))
        if cents is not None and of is not None:
            amounts.compute(cents, f"{name_of(of)} * 100", [of], f"{of.name} in cents")


_TAXES = {"de": "0.19", "fr": "0.2", "es": "0.21"}


def _is_as_wide(field: Field, net: Field | None) -> bool:
    """Whether a field has room for amounts like the net one: `vat numeric(8,2)` is no rate."""
    return net is not None and "rate" not in field.name.lower() and (field.type.precision or 0) > 5 and field.type.scale == 2


def _is_rate(field: Field) -> bool:
    return field.type.name in NUMBERS and isinstance(field.source, WeightsSource)


def _with(field: Field, made: tuple[str, str] | None, bound: tuple[tuple[Bound, ...], str] | None) -> Field:
    if made is not None:
        expression, why = made
        first = () if field.source is None or field.guess is None else (Candidate(source=field.source, guess=field.guess),)
        guess = Guess(reason=why, confidence=0.9)
        return changed(
            field, source=ComputeSource(expression=expression), guess=guess, others=(*first, *field.others), present=field.present
        )
    if bound is not None:
        told, why = bound
        more = field.guess and Guess(reason=f"{field.guess.reason}; {why}", confidence=field.guess.confidence)
        return changed(field, limits=replace(field.limits, bounds=(*field.limits.bounds, *told)), guess=more)
    return field
