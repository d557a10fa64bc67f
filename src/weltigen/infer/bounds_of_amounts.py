"""Amounts that are not above others: a discount, a part of a loan, what was reached, sold, picked or promised."""

from __future__ import annotations

from .costs import LET_OFF, NETS
from .meters import measured, parts_of_counts
from .row_numbers import RowNumbers, name_of, or_nothing

_BASE = ("amount", "price", "total", "total amount", "unit price", "fee")
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
    "lab cost",
    "material cost",
    "production cost",
    "own cost",
    "cost of goods",
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
    "allotment",
    "allocated tickets",
    "tickets total",
)


_ON_HAND = ("quantity on hand", "on hand", "on hand quantity", "stock on hand", "in stock", "stock", "stock quantity", "quantity")
_RESERVED = (
    "reserved", "allocated", "quantity reserved", "quantity allocated", "reserved quantity", "allocated quantity", "committed",
    "quantity committed", "quantity alloc", "reserved stock",
)  # fmt: skip
_AVAILABLE = ("available", "quantity available", "available quantity", "available stock", "stock available", "free stock")


def _stocked(amounts: RowNumbers) -> None:
    """What is available is what is there less what is promised, of which there is no more."""
    there, promised = amounts.one(_ON_HAND), amounts.one(_RESERVED)
    if there is None or promised is None:
        return
    amounts.limit(promised, there)
    if (left := amounts.one(_AVAILABLE, there, promised)) is not None:
        amounts.compute(left, f"{name_of(there)} - {or_nothing(promised)}", [there], f"{there.name} less {promised.name}")


def _filled(amounts: RowNumbers) -> None:
    """Of a disk, a pool or a budget: what is free is all less what is used, of which there is no more; and the share of it."""
    for words in list(amounts.names):
        parts = words.split()
        if not parts or not {parts[0], parts[-1]} & {"used", "total"}:
            continue
        stem = " ".join(parts[:-1] if parts[-1] in ("used", "total") else parts[1:])
        used, free, whole = (
            amounts.one((f"{stem} {part}".strip(), f"{part} {stem}".strip())) for part in ("used", "free", "total")
        )
        if used is None or whole is None or used.type.name is not whole.type.name:
            continue
        amounts.limit(used, whole)
        if free is not None:
            amounts.compute(free, f"{name_of(whole)} - {or_nothing(used)}", [whole, used], f"{whole.name} less {used.name}")
        share = amounts.one(
            tuple(f"{stem} {part}".strip() for part in ("percent", "percent used", "used percent", "usage percent", "usage"))
        )
        if share is not None and share.name not in (used.name, whole.name):
            share_of = f"coalesce({or_nothing(used)} * 100 / nullif({name_of(whole)}, 0), 0)"
            amounts.compute(share, share_of, [whole, used], f"the share of {whole.name} that is used")


_BEFORE = (
    "compare price", "compare at price", "original price", "price original", "was price", "regular price", "old price",
    "strike price", "previous price",
)  # fmt: skip
_REDUCED = (
    "sale price",
    "discount price",
    "discounted price",
    "special price",
    "offer price",
    "promo price",
    "promotional price",
)


def _reduced(amounts: RowNumbers) -> None:
    """What a thing cost before, or costs for a while, beside its price: some have one."""
    price = amounts.one(("price", "unit price", "list price", "retail price", "base price"))
    for forms, times in ((_BEFORE, "1.25"), (_REDUCED, "0.8")):
        other = amounts.one(forms, price)
        if price is not None and other is not None and price.type.name is other.type.name:
            told = f"{price.name} {'before it was lowered' if times > '1' else 'lowered by a fifth'}"
            amounts.compute(other, f"{name_of(price)} * {times}", [price], told)
            if other.name in amounts.made and other.nullable:
                amounts.seldom.add(other.name)


_FOR_LESS = (
    ("child", "0.6"),
    ("junior", "0.6"),
    ("concession", "0.8"),
    ("senior", "0.8"),
    ("student", "0.8"),
    ("reduced", "0.8"),
)


def _for_less(amounts: RowNumbers) -> None:
    """Children, and others who pay less, pay a part of what everybody else does: `price_child`, beside `price_adult`."""
    for what in ("price", "fee", "fare", "rate", "admission"):
        full = amounts.one(form for word in ("adult", "full", "regular") for form in (f"{what} {word}", f"{word} {what}"))
        for who, part in _FOR_LESS if full is not None else ():
            less = amounts.one((f"{what} {who}", f"{who} {what}"))
            if full is not None and less is not None and less.type == full.type:
                amounts.compute(less, f"{name_of(full)} * {part}", [full], f"{part} of {full.name}")


_WENT, _CAME_BACK = (
    tuple(
        form
        for what in ("odometer", "odo", "mileage", "kilometres", "km", "miles")
        for end in ends.split()
        for form in (f"{what} {end}", f"{end} {what}")
    )
    for ends in ("out start begin before departure", "back in end return after arrival")
)


def _driven(amounts: RowNumbers) -> None:
    """Who comes back has driven some way since they set out."""
    out, back = amounts.one(_WENT), amounts.one(_CAME_BACK)
    if out is not None and back is not None and out.type == back.type:
        amounts.compute(back, f"{name_of(out)} + 6 + {name_of(out)} % 173", [out], f"some way on from {out.name}")


_DUE = tuple(f"{words}{unit}" for words in ("amount due", "due amount", "total due", "amount owed") for unit in ("", " cents"))
_PAID = tuple(f"{words}{unit}" for words in ("amount paid", "paid amount", "total paid") for unit in ("", " cents"))
_TIMES = (
    ("monthly", "yearly", "10"),
    ("monthly", "annual", "10"),
    ("month", "year", "10"),
    ("weekly", "monthly", "4"),
    ("daily", "weekly", "6"),
)


def _by_period(amounts: RowNumbers) -> None:
    """What was paid is what was due; a year costs as much as ten months."""
    due, paid = amounts.one(_DUE), amounts.one(_PAID)
    if due is not None and paid is not None and due.type == paid.type:
        amounts.compute(paid, name_of(due), [due], f"what {due.name} asks for")
    for short, long, times in _TIMES:
        for what in ("price", "rate", "fee", "cost", "rent"):
            one, other = (
                amounts.one(tuple(f"{form}{unit}" for form in (f"{what} {per}", f"{per} {what}") for unit in ("", " cents")))
                for per in (short, long)
            )
            if one is not None and other is not None and one.type.name is other.type.name:
                amounts.compute(other, f"{name_of(one)} * {times}", [one], f"{times} times {one.name}")


_LEAST, _MOST = ("minimum", "least", "lowest"), ("maximum", "most", "highest", "recommended")


def _between(amounts: RowNumbers) -> None:
    """The least of a price or an amount is not above it, nor it above the most."""
    for words in list(amounts.names):
        if not {"price", "cost", "fee", "rate", "amount", "fare", "rent", "salary", "wage"} & set(words.split()):
            continue
        usual = amounts.one((words,))
        if usual is None:
            continue
        least = amounts.one(form for word in _LEAST for form in (f"{word} {words}", f"{words} {word}"))
        most = amounts.one(form for word in _MOST for form in (f"{word} {words}", f"{words} {word}"))
        if least is not None:
            amounts.limit(least, usual)
        if most is not None:
            amounts.limit(usual, most)


def _forms(words: str) -> tuple[str, ...]:
    return tuple(form for word in words.split() for form in (f"quantity {word}", f"{word} quantity", f"{word} count", word))


_DONE_WITH = _forms("picked shipped received delivered fulfilled packed returned")
_ASKED_FOR = (*_forms("requested ordered required expected planned"), "quantity request", "quantity")
_BUILT, _GONE = (
    tuple(form for word in words.split() for form in (f"{word} year", f"year {word}", f"{word} in year"))
    for words in (
        "founded established built opened started launched erected",
        "closed dissolved demolished ended abolished retired",
    )
)
_PAID_FOR = ("purchase cost", "cost purchase", "purchase price", "acquisition cost", "original cost", "cost")
_LEFT_OF_IT = (
    ("residual value", "salvage value", "scrap value"), ("book value", "net book value"),
    ("disposal proceeds", "sale proceeds", "disposal value"),
)  # fmt: skip
_UNITS = ("", " kilograms", " kg", " grams", " g", " tonnes", " t", " litres", " l", " weight", " weight kilograms", " weight kg")
_CUT_DOWN, _AS_TAKEN = (
    tuple(f"{word}{unit}" for word in words.split() for unit in _UNITS)
    for words in (
        "gutted dressed filleted peeled trimmed drained usable sorted cleaned carcass",
        "gross live landed raw total whole",
    )
)
_STARTED = _forms("received initial original purchased bought delivered opening starting produced")
_LEFT_THERE = _forms("left remaining unused")
_WORTH = tuple(f"{word} {what}" for word in ("initial", "original", "face") for what in ("amount", "value", "balance"))
_WORTH_LEFT = ("balance", "remaining balance", "current balance", "balance left", "remaining amount", "amount remaining",
               "remaining value", "value remaining", "amount left")  # fmt: skip
_SPENT = ("spent", "amount spent", "spent amount", "budget spent", "spent budget", "budget used", "spent to date", "actual spend")
_BUDGET = ("budget", "budget amount", "budget total", "total budget", "annual budget", "amount budget", "allocation amount")
_USES = ("uses", "used", "use count", "times used", "used count", "redemptions", "redeemed", "times redeemed", "current uses")
_MOST_USES = ("maximum uses", "usage limit", "maximum redemptions", "redemption limit", "uses allowed", "limit uses",
              "maximum use count", "use limit", "maximum usage")  # fmt: skip
_PREPAID = frozenset("voucher card coupon certificate giftcard pass token allowance".split())
_WITHIN = (
    (_USES, _MOST_USES), (_CUT_DOWN, _AS_TAKEN), (_LEFT_THERE, _STARTED), (_WORTH_LEFT, _WORTH),
    (_BUILT, _GONE), (_DONE_WITH, _ASKED_FOR), (LET_OFF, (*NETS, *_BASE)), (_REACHED, _REACHABLE), (_TAKEN, _ROOM),
    (_BOUGHT, _SOLD), (_SPENT, _BUDGET), *((one, _PAID_FOR) for one in _LEFT_OF_IT),
)  # fmt: skip


def limited(amounts: RowNumbers) -> None:
    """A discount is not above the amount that it is taken from, nor what was reached above what could be."""
    parts_of_counts(amounts)
    measured(amounts)
    loan, worth = (
        amounts.one(("loan amount", "loan", "pledge amount")),
        amounts.one(("appraised value", "appraisal", "estimated value")),
    )
    if loan is not None and worth is not None:
        amounts.limit(loan, worth)
    _stocked(amounts)
    _filled(amounts)
    _between(amounts)
    _reduced(amounts)
    _by_period(amounts)
    _for_less(amounts)
    _driven(amounts)
    prepaid = bool(_PREPAID & set(amounts.noun))
    _affected(amounts)
    _taken_out(amounts)
    for less, most in (*_WITHIN, *([(_WORTH_LEFT, ("amount", "value"))] if prepaid else [])):
        field = amounts.one(less)
        limit = amounts.one(most, field)
        if field is not None and limit is not None:
            amounts.limit(field, limit)


_WEIGHED_IN = ("kilograms", "kg", "grams", "g", "tonnes", "t", "pounds", "lb", "litres", "l", "gallons")
_GOES_IN, _COMES_OUT = {"in", "input", "infeed", "loaded", "wet"}, {"out", "output", "outfeed", "unloaded", "dry", "dried"}


def _taken_out(amounts: RowNumbers) -> None:
    """No more comes out of a run than went in, of the same unit: `wet_in_kg`, `dry_out_kg`."""
    for unit in _WEIGHED_IN:
        of_unit = {words: set(words.split()) for words in amounts.names if unit in words.split()}
        into = [words for words, own in of_unit.items() if own & _GOES_IN and not own & _COMES_OUT]
        out = [words for words, own in of_unit.items() if own & _COMES_OUT and not own & _GOES_IN]
        if len(into) == len(out) == 1 and (most := amounts.one(into)) is not None and (part := amounts.one(out)) is not None:
            amounts.limit(part, most)


_AFFECTED = ("affected", "infected", "infested", "damaged", "defective", "faulty", "diseased", "dead", "rejected", "failing")
_EXAMINED = ("checked", "examined", "inspected", "sampled", "tested", "reviewed", "counted", "assessed", "surveyed", "planted")


def _affected(amounts: RowNumbers) -> None:
    """Of what was looked at some were found to be so: `leaves_affected` beside `leaves_checked`."""
    for words in list(amounts.names):
        stem = " ".join(word for word in words.split() if word not in _AFFECTED)
        if stem == words or not stem:
            continue
        looked_at = amounts.one(tuple(form for word in _EXAMINED for form in (f"{stem} {word}", f"{word} {stem}")))
        found = amounts.one((words,), looked_at)
        if found is not None and looked_at is not None:
            amounts.limit(found, looked_at)
