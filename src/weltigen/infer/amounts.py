"""Numbers of a row that belong together: sums, products, what is not more than another. Each is a guess and gives way."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from ..expression.names import plain_name
from ..model import (
    Bound,
    Candidate,
    ComputeSource,
    Entity,
    Field,
    Guess,
    TypeName,
    WeightsSource,
    World,
)
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import INTEGERS, NUMBERS
from .free import is_open, named_in_rules, never_negative, without_floor, words_of
from .naming import Vocabulary
from .topics import vocabulary_of

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
    "taxable amount",
    "base amount",
    "amount base",
    "base taxable",
    "taxable base",
    "tax base",
)
_TAX = (
    "tax amount",
    "vat amount",
    "tax total",
    "vat total",
    "amount tax",
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
)
_RATE = ("tax rate", "vat rate", "tax percent", "vat percent", "rate tax", "rate vat", "vat", "tax")
LINES = (
    "line total",
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
_QUANTITY = ("quantity", "units", "pieces", "quantity ordered", "ordered quantity", "hours", "count")
PRICES = ("unit price", "price", "price unit", "unit cost", "item price", "rate", "hourly rate", "price per unit", "list price")
_PER = ("price", "cost", "rate", "fee", "charge", "tariff")
_DISCOUNT = ("discount percent", "discount rate", "percent discount")
_LESS = ("discount", "discount amount", "rebate")
_BASE = ("amount", "price", "total", "total amount", "unit price", "fee")
BASES = ("total", "grand total", "total amount", "amount total", "total price", "price total", "total cost", "amount")
_REACHED = ("achieved score", "score", "points", "achieved points", "result score", "total score", "mark")
_REACHABLE = ("maximum score", "maximum points", "points maximum", "possible points", "points possible", "total points")

_BOUGHT = (
    "cost",
    "unit cost",
    "cost price",
    "purchase price",
    "buying price",
    "wholesale price",
    "price purchase",
    "price cost",
    "cost unit",
)
_SOLD = (
    "price",
    "unit price",
    "sale price",
    "sales price",
    "retail price",
    "selling price",
    "list price",
    "price sale",
    "price unit",
    "price selling",
)
_TAKEN = (
    "sold",
    "seats sold",
    "tickets sold",
    "booked",
    "seats booked",
    "places booked",
    "places taken",
    "taken",
    "registered",
    "enrolled",
    "filled",
)
_ROOM = (
    "quota",
    "capacity",
    "seats",
    "places",
    "maximum participants",
    "allocation",
    "places total",
    "seats total",
    "maximum seats",
)


def guess_amounts(world: World) -> World:
    """Sums, products and limits among the numbers of a row."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_sums(entity, vocabulary) for entity in world.entities))


def _is_natural(entity: Entity, field: Field) -> bool:
    return is_open(entity, without_floor(field)) and not entity.fixed


_MINOR = frozenset("cents pence minor usd eur gbp".split())


def amounts_in(names: dict[str, str], unit: str) -> int:
    """How many fields are told in a unit of money at the end of their names."""
    return len({name for words, name in names.items() if words.endswith(f" {unit}")})


class _Amounts:
    """The numbers of an entity by their words, and what was found out about how they hang together."""

    def __init__(self, entity: Entity, vocabulary: Vocabulary) -> None:
        told = named_in_rules(entity)
        self.entity, self.language = entity, vocabulary.language
        self.names = {words: name for words, name in words_of(entity, vocabulary).items() if name.lower() not in told}
        for words, name in list(self.names.items()):  # subtotal_cents and tax_cents make total_cents
            unit = words.rpartition(" ")
            if unit[2] in _MINOR and unit[0] and amounts_in(self.names, unit[2]) > 2:
                self.names.setdefault(unit[0], name)
        self.made: dict[str, tuple[str, str]] = {}
        self.bounds: dict[str, tuple[tuple[Bound, ...], str]] = {}

    def one(self, choices: Iterable[str], *but: Field | None) -> Field | None:
        """The first of some names that a number has."""
        left = {field.name for field in but if field is not None}
        for choice in choices:
            if (name := self.names.get(choice)) is not None and name not in left:
                field = self.entity.field(name)
                if field.type.name in NUMBERS:
                    return field
        return None

    def compute(self, field: Field, expression: str, parts: list[Field], why: str) -> None:
        missing = any(part.nullable for part in parts) and not field.nullable
        own = any(part.name == field.name for part in parts) or field.name in self.made
        free = is_open(self.entity, field) or (_is_natural(self.entity, field) and all(map(never_negative, parts)))
        if free and not missing and not own:
            scale = field.type.scale if field.type.name is TypeName.NUMERIC else 0 if field.type.name in INTEGERS else 2
            scale = 2 if scale is None else min(scale, 2)  # amounts have the digits of their currency, whatever the type holds
            self.made[field.name] = f"round({expression}, {scale})", why

    def limit(self, field: Field, most: Field) -> None:
        if field.name not in self.made and most.name not in self.made and is_open(self.entity, field) and field.name != most.name:
            self.bounds[field.name] = _up_to(most), f"not above {most.name}"


def _sums(entity: Entity, vocabulary: Vocabulary) -> Entity:
    if sum(field.type.name in NUMBERS for field in entity.fields) < 2 or entity.there:
        return entity
    amounts = _Amounts(entity, vocabulary)
    gross = _taxed(amounts)
    _lines(amounts, gross)
    _of_costs(amounts)
    _paid_ahead(amounts)
    _by_time(amounts)
    _in_cents(amounts)
    _weighed(amounts)
    _metered(amounts)
    _limited(amounts)
    if not amounts.made and not amounts.bounds:
        return entity
    fields = (_with(field, amounts.made.get(field.name), amounts.bounds.get(field.name)) for field in entity.fields)
    return changed(entity, fields=tuple(fields))


def _taxed(amounts: _Amounts) -> Field | None:
    """Tax is a share of the net amount, by the row's rate where it has one, and both make the gross one, which is returned."""
    rates = (amounts.entity.field(amounts.names[words]) for words in _RATE if words in amounts.names)
    net = amounts.one(NETS)
    rate = next((field for field in rates if _is_rate(field) and not _is_as_wide(field, net or amounts.one(_GROSS, field))), None)
    tax = amounts.one(_TAX, rate)
    if net is None and tax is not None and rate is None and (whole := amounts.one(_GROSS, tax)) is not None:
        share = _TAXES.get(amounts.language, "0.2")
        amounts.compute(
            tax, f"{_name(whole)} * {share} / (1 + {share})", [whole], f"what {whole.name} holds of it at the usual rate"
        )
    if net is not None and tax is None and rate is not None:
        return _by_rate(amounts, net, rate)
    if net is None or tax is None:
        return None
    if rate is not None:
        share = _share(rate)
        amounts.compute(tax, f"{_name(net)} * {share}", [net, rate], f"{net.name} at the rate of {rate.name}")
    else:
        share = _TAXES.get(amounts.language, "0.2")
        amounts.compute(tax, f"{_name(net)} * {share}", [net], f"{net.name} at the usual rate")
    gross = amounts.one(_GROSS, net, tax)
    if gross is not None:
        amounts.compute(gross, f"{_name(net)} + {_name(tax)}", [net, tax], f"{net.name} with {tax.name}")
    return gross


def _share(rate: Field) -> str:
    narrow = rate.type.precision is not None and rate.type.precision - (rate.type.scale or 0) <= 1
    return _name(rate) if narrow else f"{_name(rate)} / 100"


def _by_rate(amounts: _Amounts, net: Field, rate: Field) -> Field | None:
    """A net and a gross price without the tax between them: the one that may be missing follows from the other."""
    gross = amounts.one((*_GROSS, "price"), net, rate)
    if gross is not None and net.nullable and not gross.nullable:
        amounts.compute(net, f"{_name(gross)} / (1 + {_share(rate)})", [gross, rate], f"{gross.name} without {rate.name}")
    elif gross is not None:
        amounts.compute(gross, f"{_name(net)} * (1 + {_share(rate)})", [net, rate], f"{net.name} with {rate.name}")
    return gross


def _priced(amounts: _Amounts) -> tuple[Field | None, Field | None]:
    """What is counted or measured, and the price of one: litres and the price per litre where names tell the unit."""
    for words in amounts.names:
        priced, _, unit = words.partition(" per ")
        if unit and priced in _PER and (quantity := amounts.one((f"{unit}s", unit))) is not None:
            return quantity, amounts.one((words,), quantity)
    quantity = amounts.one(_QUANTITY)
    return quantity, amounts.one(PRICES, quantity)


def _lines(amounts: _Amounts, gross: Field | None) -> None:
    """A line is so many times its price, less a discount."""
    quantity, price = _priced(amounts)
    if quantity is None or price is None or (line := amounts.one(LINES, quantity, price, gross)) is None:
        return
    product, parts = f"{_name(quantity)} * {_name(price)}", [quantity, price]
    discount = amounts.one(_DISCOUNT)
    if discount is not None and not discount.nullable:
        product, parts = f"{product} * (1 - {_name(discount)} / 100)", [*parts, discount]
    amounts.compute(line, product, parts, f"{quantity.name} times {price.name}")


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


_WORKED = ("labour hours", "hours labour", "hours worked", "work hours", "hours", "labour time")
_HOURLY = ("hourly rate", "rate hourly", "labour rate", "rate per hour", "price per hour", "price hour", "hourly price", "rate")


def _of_costs(amounts: _Amounts) -> None:
    """Costs of labour and of parts make the total."""
    total = amounts.one(_TOTAL)
    hours, rate = amounts.one(_WORKED), amounts.one(_HOURLY)
    labour = f"{_name(hours)} * {_name(rate)}" if hours is not None and rate is not None else None
    used = amounts.one(("parts cost", "cost parts", "cost pieces", "material cost", "cost material", "materials cost"))
    if total is not None and labour is not None and used is not None:
        summed = f"coalesce({_name(used)}, 0) + coalesce({labour}, 0)"
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
        summed = " + ".join(f"coalesce({_name(part)}, 0)" if part.nullable else _name(part) for part in parts)
        required = [part for part in parts if not part.nullable] or [total]
        amounts.compute(
            total,
            summed,
            [part for part in required if part is not total],
            " and ".join(part.name for part in parts) + " together",
        )


_AHEAD = (
    "deposit",
    "deposit paid",
    "down payment",
    "advance payment",
    "advance",
    "amount deposit",
    "deposit amount",
    "paid deposit",
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
)


def _paid_ahead(amounts: _Amounts) -> None:
    """A deposit is a part of the price, and what it leaves is due."""
    whole = amounts.one(_WHOLE)
    ahead, due = amounts.one(_AHEAD, whole), amounts.one(_OPEN, whole)
    if whole is None or ahead is None or ahead.type.name is not whole.type.name:
        return
    amounts.limit(ahead, whole)
    if due is not None:
        amounts.compute(due, f"{_name(whole)} - coalesce({_name(ahead)}, 0)", [whole], f"{whole.name} less {ahead.name}")


def _by_time(amounts: _Amounts) -> None:
    """A week costs four days, a month twelve; minutes cost their part of an hour."""
    minutes = amounts.one(("duration minutes", "minutes duration", "minutes", "minutes spent", "length minutes"))
    hour, line = amounts.one(_HOURLY[1:-1]), amounts.one((*LINES, "fee", "cost", "price"))
    if minutes is not None and hour is not None and line is not None and line.name != hour.name:
        product = f"{_name(minutes)} * {_name(hour)} / 60"
        amounts.compute(line, product, [minutes, hour], f"{minutes.name} at {hour.name}")
    spans = [
        amounts.one((f"{span} rate", f"rate {span}", f"price per {span}", f"{span} price")) for span in ("day", "week", "month")
    ]
    day = spans[0]
    for longer, times, said in ((spans[1], 4, "four"), (spans[2], 12, "twelve")):
        if day is not None and longer is not None:
            amounts.compute(longer, f"{_name(day)} * {times}", [day], f"{said} times {day.name}")


def _weighed(amounts: _Amounts) -> None:
    """What is weighed without its vehicle or its box."""
    gross, tare, net = (
        amounts.one(
            (
                f"{what} kilograms",
                f"{what} weight",
                f"{what} weight kilograms",
                f"weight {what}",
                f"{what} tonnes",
                f"{what} kg",
                what,
            )
        )
        for what in ("gross", "tare", "net")
    )
    if gross is not None and tare is not None and net is not None:
        amounts.limit(tare, gross)
        amounts.compute(net, f"{_name(gross)} - {_name(tare)}", [gross, tare], f"{gross.name} less {tare.name}")


_READ_BEFORE = (
    "previous reading",
    "reading previous",
    "opening reading",
    "reading opening",
    "start reading",
    "reading start",
    "old reading",
    "last reading",
    "prior reading",
)
_READ_NOW = (
    "current reading",
    "reading current",
    "closing reading",
    "reading closing",
    "end reading",
    "reading end",
    "new reading",
    "reading new",
)
_USED = (
    "usage amount",
    "usage",
    "consumption",
    "amount usage",
    "consumed",
    "used",
    "quantity consumed",
    "usage quantity",
    "difference",
)


def _metered(amounts: _Amounts) -> None:
    """What was used is what a meter went on from one reading to the next."""
    before, now = amounts.one(_READ_BEFORE), amounts.one(_READ_NOW)
    if before is not None and now is not None and (used := amounts.one(_USED, before, now)) is not None:
        amounts.compute(used, f"{_name(now)} - {_name(before)}", [before, now], f"{now.name} less {before.name}")


def _in_cents(amounts: _Amounts) -> None:
    for whole in ("price", "amount", "total"):
        cents, of = amounts.one((f"{whole} cents",)), amounts.one((whole,))
        if cents is not None and of is not None:
            amounts.compute(cents, f"{_name(of)} * 100", [of], f"{of.name} in cents")


def _limited(amounts: _Amounts) -> None:
    """A discount is not above the amount that it is taken from, nor what was reached above what could be."""
    _parts_of_counts(amounts)
    _measured(amounts)
    loan, worth = (
        amounts.one(("loan amount", "loan", "pledge amount")),
        amounts.one(("appraised value", "appraisal", "estimated value")),
    )
    if loan is not None and worth is not None:
        amounts.limit(loan, worth)
    for less, most in ((_LESS, (*NETS, *_BASE)), (_REACHED, _REACHABLE), (_TAKEN, _ROOM), (_BOUGHT, _SOLD)):
        field = amounts.one(less)
        limit = amounts.one(most, field)
        if field is not None and limit is not None:
            amounts.limit(field, limit)


_COUNTING = frozenset("number count of total".split())
_PARTS = frozenset(
    "open new active failed free available used sold passed done read unread valid invalid late online offline taken due paid "
    "won broken stolen worn sent built drawn given seen chosen spoilt returned "
    "lost present absent male female adult child busy good bad hidden deleted private public unique current occupied".split()
)


_VALUES = (
    "value",
    "value measured",
    "measurement value",
    "value measurement",
    "measure value",
    "reading",
    "measured value",
    "result value",
    "measurement",
    "reading value",
    "current value",
    "actual value",
)
_LOWEST = (
    "minimum value",
    "lower limit",
    "low limit",
    "minimum",
    "limit low",
    "limit lower",
    "reference low",
    "normal low",
    "value minimum",
    "lower specification limit",
)
_HIGHEST = (
    "maximum value",
    "upper limit",
    "high limit",
    "maximum",
    "limit high",
    "limit upper",
    "reference high",
    "normal high",
    "value maximum",
    "upper specification limit",
)


def _measured(amounts: _Amounts) -> None:
    """What was measured lies between its limits."""
    low, high = (amounts.one(choices) for choices in (_LOWEST, _HIGHEST))
    for choices in (_VALUES, ("target value", "target", "nominal value", "nominal")):
        if low is not None and high is not None and (value := amounts.one(choices, low, high)) is not None:
            _between(amounts, value, low, high)


def _between(amounts: _Amounts, value: Field, low: Field, high: Field) -> None:
    if value.name in amounts.made or not is_open(amounts.entity, value) or isinstance(value.source, WeightsSource):
        return  # one of a few numbers does not lie between any two
    bounds = tuple(
        Bound(comparison=comparison, operand=end.name, path=True, origin=Origin.GUESSED)  # type: ignore[arg-type]
        for comparison, end in ((">=", low), ("<=", high))
    )
    amounts.bounds[value.name] = bounds, f"between {low.name} and {high.name}"


def _parts_of_counts(amounts: _Amounts) -> None:
    """Closed ones are not more than all: `num_closed_issues` beside `num_issues`."""
    counts: dict[frozenset[str], Field] = {}
    for words, name in amounts.names.items():
        field, parts = amounts.entity.field(name), words.split()
        if field.type.name in INTEGERS and _COUNTING & set(parts):
            counts.setdefault(frozenset(parts) - _COUNTING, field)
    for counted, field in counts.items():
        for word in counted:
            whole = counts.get(counted - {word})
            if whole is not None and (word in _PARTS or (len(word) > 4 and word.endswith("ed"))):
                amounts.limit(field, whole)
                break


def _name(field: Field) -> str:
    return plain_name(field.name)


def _up_to(most: Field) -> tuple[Bound, Bound]:
    """From nothing to what another field holds."""
    return (
        Bound(comparison=">=", operand="0", origin=Origin.GUESSED),
        Bound(comparison="<=", operand=most.name, path=True, origin=Origin.GUESSED),
    )


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
