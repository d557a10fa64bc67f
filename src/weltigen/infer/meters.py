"""Measures of a row: weights with and without a vehicle, readings of a meter, values between limits, parts of counts."""

from __future__ import annotations

from ..model import Bound, Field, WeightsSource
from ..model.origins import Origin
from ..model.types import INTEGERS, NUMBERS
from .free import is_open
from .row_numbers import RowNumbers, name_of, or_nothing


def weighed(amounts: RowNumbers) -> None:
    """What is weighed without its vehicle or its box."""
    gross, tare, net = (
        amounts.one(
            (
                f"{what} kilograms",
                f"{what} weight",
                f"{what} weight kilograms",
                f"weight {what}",
                f"weight {what} kilograms",
                f"weight {what} kg",
                f"{what} tonnes",
                f"{what} kg",
                what,
            )
        )
        for what in ("gross", "tare", "net")
    )
    if gross is not None and tare is not None and net is not None:
        amounts.limit(tare, gross)
        amounts.compute(net, f"{name_of(gross)} - {name_of(tare)}", [gross, tare], f"{gross.name} less {tare.name}")


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
    "previous",
    "prior",
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
    "current",
    "new",
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


_UNITS = ("kwh", "kilowatt hours", "m 3", "m3", "cubic metres", "litres", "l", "units")


def _with_units(forms: tuple[str, ...]) -> tuple[str, ...]:
    return (*forms, *(f"{form} {unit}" for unit in _UNITS for form in forms))


def metered(amounts: RowNumbers) -> None:
    """What was used is what a meter went on from one reading to the next: the later one follows from it, so that it is of the
    usual size."""
    before, now = amounts.one(_with_units(_READ_BEFORE)), amounts.one(_with_units(_READ_NOW))
    if before is not None and now is not None and (used := amounts.one(_with_units(_USED), before, now)) is not None:
        together = f"{or_nothing(before)} + {or_nothing(used)}"
        amounts.compute(now, together, [], f"{before.name} and {used.name} together")
        if now.name in amounts.made:
            return
        amounts.compute(used, f"{name_of(now)} - {name_of(before)}", [before, now], f"{now.name} less {before.name}")


_AWAITED = ("expected", "system", "book", "recorded", "theoretical", "planned", "target", "budget", "budgeted", "estimated")
_FOUND = ("counted", "physical", "actual", "observed", "found")
_APART = ("variance", "difference", "discrepancy", "deviation", "shortfall", "over short")


def set_beside(amounts: RowNumbers) -> None:
    """How far what was found is from what was expected of the same measure: as many more, or less."""
    for word in _AWAITED:
        for words in amounts.names:
            what = " ".join(one for one in words.split() if one != word)
            awaited = amounts.one((words,)) if word in words.split() else None
            if awaited is None:
                continue
            found, apart = (
                amounts.one([f"{one} {what}".strip() for one in names] + [f"{what} {one}" for one in names if what], awaited)
                for names in (_FOUND, _APART)
            )
            apart = apart or amounts.one(_APART, awaited, found)
            if found is not None and apart is not None:
                less = f"{name_of(found)} - {name_of(awaited)}"
                amounts.compute(apart, less, [found, awaited], f"{found.name} less {awaited.name}")
                return


_SCORED = ("score", "points", "marks")
_TAKEN_OFF = ("deductions", "deduction", "penalties", "penalty points", "penalty", "points deducted", "faults")
_NO_PART = frozenset("maximum minimum average mean passing previous best rank target total final overall possible pass".split())


def scored(amounts: RowNumbers) -> None:
    """All scores of a row together, less what is taken off."""
    for unit in _SCORED:
        wholes = tuple(form for word in ("total", "final", "overall") for form in (f"{word} {unit}", f"{unit} {word}"))
        whole = amounts.one((*wholes, *(("total",) if unit == "score" else ())))
        if whole is None:
            continue
        named = {name: words.split() for words, name in amounts.names.items()}
        scores = [name for name, words in named.items() if words[-1] == unit and len(words) > 1 and not _NO_PART & set(words)]
        parts = [amounts.entity.field(name) for name in scores if amounts.entity.field(name).type.name in NUMBERS]
        if len(parts) < 2 or whole in parts:
            continue
        off = amounts.one(_TAKEN_OFF, whole)
        together = " + ".join(map(or_nothing, parts)) + (f" - {or_nothing(off)}" if off is not None else "")
        less = f", less {off.name}" if off is not None else ""
        amounts.compute(whole, together, parts[:1], f"{', '.join(part.name for part in parts)} together{less}")
        return
    _judged(amounts)


def _judged(amounts: RowNumbers) -> None:
    """What judges give in parts that nobody else knows (`tes`, `pcs`), less what they take off, where these stand in a row before
    the total."""
    whole, off = amounts.one(("total", "total score", "score total", "final score")), amounts.one(_TAKEN_OFF)
    if whole is None or off is None or whole.type.name in INTEGERS:
        return
    parts: list[Field] = []
    for field in amounts.entity.fields:
        if field.name == whole.name:
            break
        decimal = field.type.name in NUMBERS - INTEGERS and field.type.scale == whole.type.scale
        parts = [*parts, field] if decimal else parts if field.name == off.name else []
    parts = [part for part in parts if part.name != off.name]
    if len(parts) > 1:
        together = f"{' + '.join(map(or_nothing, parts))} - {or_nothing(off)}"
        amounts.compute(whole, together, parts[:1], f"{', '.join(part.name for part in parts)} together, less {off.name}")


_ASKED = ("billed", "charged", "claimed", "submitted", "requested", "asked", "claim", "request", "applied")
_GRANTED = ("allowed", "approved", "offered", "eligible", "covered", "accepted", "granted", "awarded")
_PAID_OUT = ("paid", "reimbursed", "settled", "payout", "benefit")
_LEFT_OPEN = ("patient portion", "patient responsibility", "patient share", "member responsibility", "own share", "patient pays")


def claimed(amounts: RowNumbers) -> None:
    """Of what somebody asks for a part is allowed, of that a part is paid, and the rest is left to the one who asked."""
    asked, granted, paid = (
        amounts.one(
            tuple(form for word in words for form in (f"{word} amount", f"amount {word}", f"total {word}", f"{word} total", word))
        )
        for words in (_ASKED, _GRANTED, _PAID_OUT)
    )
    if asked is None:
        return
    if granted is None:
        if paid is not None:
            amounts.limit(paid, asked)
        return
    amounts.limit(granted, asked)
    if paid is not None:
        amounts.limit(paid, granted)
        if (left := amounts.one(_LEFT_OPEN, asked, granted, paid)) is not None:
            rest = f"{or_nothing(granted)} - least({or_nothing(paid)}, {or_nothing(granted)})"
            amounts.compute(left, rest, [granted], f"{granted.name} less {paid.name}")


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


def measured(amounts: RowNumbers) -> None:
    """What was measured lies between its limits."""
    low, high = (amounts.one(choices) for choices in (_LOWEST, _HIGHEST))
    for choices in (_VALUES, ("target value", "target", "nominal value", "nominal")):
        if low is not None and high is not None and (value := amounts.one(choices, low, high)) is not None:
            _between(amounts, value, low, high)
    for words in list(amounts.names):  # a lifetime beside the least and the greatest one
        least, most = amounts.one((f"minimum {words}", f"{words} minimum")), amounts.one((f"maximum {words}", f"{words} maximum"))
        if least is not None and most is not None and (value := amounts.one((words,))) is not None:
            _between(amounts, value, least, most)
        if {"average", "mean"} & set(words.split()):  # wind on average, and in gusts
            stem = " ".join(word for word in words.split() if word not in ("average", "mean"))
            tops = ("maximum", "gust", "peak", "gusts", "highest")
            most = amounts.one(tuple(form for top in tops for form in (f"{stem} {top}", f"{top} {stem}")))
            field = amounts.one((words,), most) if most is not None else None
            if field is not None and most is not None:
                amounts.limit(field, most)
    for unit in ("", " ms", " milliseconds", " m s", " mps", " kmh", " kph", " kn", " kt", " kts", " knots", " mph"):
        wind = amounts.one((f"wind speed{unit}", f"wind{unit}"))
        gust = amounts.one(tuple(f"{name}{unit}" for name in ("wind gust", "gust speed", "gust", "wind gusts", "gusts")), wind)
        if wind is not None and gust is not None:
            amounts.limit(wind, gust)


def _between(amounts: RowNumbers, value: Field, low: Field, high: Field) -> None:
    few = isinstance(value.source, WeightsSource) and not (_few(value) == _few(low) == _few(high))
    if value.name in amounts.made or not is_open(amounts.entity, value) or few:
        return  # one of a few numbers does not lie between any two others
    bounds = tuple(
        Bound(comparison=comparison, operand=end.name, path=True, origin=Origin.GUESSED)  # type: ignore[arg-type]
        for comparison, end in ((">=", low), ("<=", high))
    )
    amounts.bounds[value.name] = bounds, f"between {low.name} and {high.name}"


def _few(field: Field) -> tuple[str, ...]:
    """The numbers that a field is one of, where it is one of a few."""
    return tuple(value for value, _ in field.source.weights) if isinstance(field.source, WeightsSource) else ()


def parts_of_counts(amounts: RowNumbers) -> None:
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
