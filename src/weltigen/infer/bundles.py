"""Fields of a row that belong together: sums, and what is there only in some states. Each is a guess and gives way."""

from __future__ import annotations

import re
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
    KindSource,
    Limits,
    Present,
    TypeName,
    WeightsSource,
    World,
)
from ..model.changing import changed
from ..model.origins import Origin, Status
from ..model.types import INTEGERS, MOMENTS, NUMBERS
from .naming import Vocabulary, singular
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
_DISCOUNT = ("discount percent", "discount rate", "percent discount")
_LESS = ("discount", "discount amount", "rebate")
_BASE = ("amount", "price", "total", "total amount", "unit price", "fee")
BASES = ("total", "grand total", "total amount", "amount total", "total price", "price total", "total cost", "amount")
_REACHED = ("achieved score", "score", "points", "achieved points", "result score", "total score", "mark")
_REACHABLE = ("maximum score", "maximum points", "points maximum", "possible points", "points possible", "total points")
# a word of a field, and the states in which it is there
_WHEN = {
    "cancelled": "cancel|storn|annul|anul",
    "cancel": "cancel|storn|annul|anul",
    "cancellation": "cancel|storn|annul|anul",
    "paid": "paid|bezahlt|payé|pagad|refund|erstatt|rembours|reembols|complet|abgeschl|termin",
    "abort": "abort|cancel|fail",
    "aborted": "abort|cancel|fail",
    "rejected": "reject|declin|abgelehnt|refus|rechaz",
    "rejection": "reject|declin|abgelehnt|refus|rechaz",
    "shipped": "shipped|deliver|transit|return|versand|gelief|expédi|livr|enviad|entreg",
    "delivered": "deliver|return|gelief|livr|entreg|zurück|rendu|devuel",
    "returned": "return|zurück|rendu|devuel",
    "approved": "approved|genehm|approuv|aprobad",
    "resolved": "closed|resolved|done|geschl|behob|ferm|résol|cerrad|resuel",
    "closed": "closed|resolved|done|complet|geschl|abgeschl|ferm|termin|cerrad",
    "finished": "success|fail|complet|done|finished|abgeschl|termin",
    "ended": "complet|ended|closed|done|abgeschl|geschl|termin|ferm|cerrad",
    "refunded": "refund",
}


def guess_bundles(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_presences(_sums(entity, vocabulary), vocabulary) for entity in world.entities))


def words_of(entity: Entity, vocabulary: Vocabulary) -> dict[str, str]:
    """The names of an entity's fields by their words, with and without its noun before them."""
    noun = [singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2])]
    out = {}
    for field in entity.fields:
        words = vocabulary.words(field.name)
        own = words[1:] if len(words) > 1 and words[0] in noun and words[0] not in ("tax", "net", "price") else words
        out[" ".join(own)] = field.name
        out.setdefault(" ".join(words), field.name)
    return out


def _is_open(entity: Entity, field: Field) -> bool:
    """Whether nothing but a guess says what a field holds."""
    keyed = any(field.name in rule.columns for rule in entity.unique_rules) or field.name in {
        c for r in entity.relations for c in r.columns
    }
    guessed = field.source is None or field.guess is not None
    return guessed and not keyed and field.limits == Limits() and field.generated is None and not field.identity


def without_floor(field: Field) -> Field:
    """A field without the rule that it is not below nothing, where that is all that is said of where it ends."""
    bounds = field.limits.bounds
    floor = all(not bound.path and bound.comparison == ">=" and bound.operand in ("0", "0.0", "0.00") for bound in bounds)
    return replace(field, limits=replace(field.limits, bounds=())) if floor else field


def _is_natural(entity: Entity, field: Field) -> bool:
    return _is_open(entity, without_floor(field)) and not entity.fixed


def never_negative(field: Field) -> bool:
    """Whether what was guessed of a number leaves it at nothing or above."""
    if isinstance(field.source, KindSource) and field.guess is not None:
        return float(dict(field.source.parameters).get("from", "-1")) >= 0
    if isinstance(field.source, WeightsSource):
        return all(not value.startswith("-") for value, _ in field.source.weights)
    return isinstance(field.source, ComputeSource) and field.guess is not None


def named_in_rules(entity: Entity) -> frozenset[str]:
    """What checks that are left as expressions, and unique rules over some rows or over expressions, speak of."""
    texts = [check.expression for check in entity.checks if check.status is not Status.MET]
    texts += [rule.where for rule in entity.uniques if rule.where is not None]
    texts += [text for rule in entity.uniques for text in rule.expressions]
    return frozenset(name for text in texts for name in re.findall(r"[a-z_][a-z0-9_]*", text.lower()))


class _Amounts:
    """The numbers of an entity by their words, and what was found out about how they hang together."""

    def __init__(self, entity: Entity, vocabulary: Vocabulary) -> None:
        told = named_in_rules(entity)
        self.entity, self.language = entity, vocabulary.language
        self.names = {words: name for words, name in words_of(entity, vocabulary).items() if name.lower() not in told}
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
        free = _is_open(self.entity, field) or (_is_natural(self.entity, field) and all(map(never_negative, parts)))
        if free and not missing and not own:
            scale = field.type.scale if field.type.name is TypeName.NUMERIC else 0 if field.type.name in INTEGERS else 2
            scale = 2 if scale is None else min(scale, 2)  # amounts have the digits of their currency, whatever the type holds
            self.made[field.name] = f"round({expression}, {scale})", why

    def limit(self, field: Field, most: Field) -> None:
        if (
            field.name not in self.made
            and most.name not in self.made
            and _is_open(self.entity, field)
            and field.name != most.name
        ):
            self.bounds[field.name] = _up_to(most), f"not above {most.name}"


def _sums(entity: Entity, vocabulary: Vocabulary) -> Entity:
    if sum(field.type.name in NUMBERS for field in entity.fields) < 2 or entity.there:
        return entity
    amounts = _Amounts(entity, vocabulary)
    gross = _taxed(amounts)
    _lines(amounts, gross)
    _of_costs(amounts)
    _by_time(amounts)
    _in_cents(amounts)
    _limited(amounts)
    if not amounts.made and not amounts.bounds:
        return entity
    fields = (_with(field, amounts.made.get(field.name), amounts.bounds.get(field.name)) for field in entity.fields)
    return changed(entity, fields=tuple(fields))


def _taxed(amounts: _Amounts) -> Field | None:
    """Tax is a share of the net amount, by the row's rate where it has one, and both make the gross one, which is returned."""
    rates = (amounts.entity.field(amounts.names[words]) for words in _RATE if words in amounts.names)
    rate = next((field for field in rates if _is_rate(field)), None)
    net = amounts.one(NETS)
    tax = amounts.one(_TAX, rate)
    if net is None and tax is not None and rate is None and (whole := amounts.one(_GROSS, tax)) is not None:
        share = _TAXES.get(amounts.language, "0.2")
        amounts.compute(
            tax, f"{_name(whole)} * {share} / (1 + {share})", [whole], f"what {whole.name} holds of it at the usual rate"
        )
    if net is None or tax is None:
        return None
    if rate is not None:
        narrow = rate.type.precision is not None and rate.type.precision - (rate.type.scale or 0) <= 1
        share = _name(rate) if narrow else f"{_name(rate)} / 100"
        amounts.compute(tax, f"{_name(net)} * {share}", [net, rate], f"{net.name} at the rate of {rate.name}")
    else:
        share = _TAXES.get(amounts.language, "0.2")
        amounts.compute(tax, f"{_name(net)} * {share}", [net], f"{net.name} at the usual rate")
    gross = amounts.one(_GROSS, net, tax)
    if gross is not None:
        amounts.compute(gross, f"{_name(net)} + {_name(tax)}", [net, tax], f"{net.name} with {tax.name}")
    return gross


def _lines(amounts: _Amounts, gross: Field | None) -> None:
    """A line is so many times its price, less a discount."""
    quantity = amounts.one(_QUANTITY)
    price = amounts.one(PRICES, quantity)
    if quantity is None or price is None or (line := amounts.one(LINES, quantity, price, gross)) is None:
        return
    product, parts = f"{_name(quantity)} * {_name(price)}", [quantity, price]
    discount = amounts.one(_DISCOUNT)
    if discount is not None and not discount.nullable:
        product, parts = f"{product} * (1 - {_name(discount)} / 100)", [*parts, discount]
    amounts.compute(line, product, parts, f"{quantity.name} times {price.name}")


_COST = ("cost", "costs", "fee", "fees", "charge", "charges")
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


def _of_costs(amounts: _Amounts) -> None:
    """Costs of labour and of parts make the total."""
    total = amounts.one(_TOTAL)
    names = {name: words.split() for words, name in amounts.names.items() if len(words.split()) > 1}
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


def _by_time(amounts: _Amounts) -> None:
    """A week costs four days, a month twelve."""
    spans = [
        amounts.one((f"{span} rate", f"rate {span}", f"price per {span}", f"{span} price")) for span in ("day", "week", "month")
    ]
    day = spans[0]
    for longer, times, said in ((spans[1], 4, "four"), (spans[2], 12, "twelve")):
        if day is not None and longer is not None:
            amounts.compute(longer, f"{_name(day)} * {times}", [day], f"{said} times {day.name}")


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
    for less, most in ((_LESS, (*NETS, *_BASE)), (_REACHED, _REACHABLE)):
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


_VALUES = ("value", "reading", "measured value", "result value", "measurement", "reading value", "current value", "actual value")
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
)


def _measured(amounts: _Amounts) -> None:
    """What was measured lies between its limits."""
    value, low, high = (amounts.one(choices) for choices in (_VALUES, _LOWEST, _HIGHEST))
    if value is None or low is None or high is None or value.name in amounts.made or not _is_open(amounts.entity, value):
        return
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


def _presences(entity: Entity, vocabulary: Vocabulary) -> Entity:
    """What a state tells of is there in that state alone."""
    words = {field.name: vocabulary.words(field.name) for field in entity.fields}
    told = named_in_rules(entity)
    status = next(
        (f for f in entity.fields if words[f.name] and words[f.name][-1] in ("status", "state") and not f.nullable), None
    )
    if status is None or entity.there or entity.states is not None:
        return _with_moments(entity, words, told)
    if isinstance(status.source, WeightsSource):
        values = [value for value, _ in status.source.weights]
    else:
        values = list(status.type.values or ()) or [v for allowed in status.limits.allowed for v in allowed.values]
    if len(values) < 2:
        return _with_moments(entity, words, told)
    fields = []
    for field in entity.fields:
        word = next((w for w in words[field.name] if w in _WHEN), None)
        open_ = field.nullable and (field.present is None or field.present.origin is Origin.GUESSED) and field.name != status.name
        if word is None or not open_ or field.generated is not None or {field.name.lower(), status.name.lower()} & told:
            fields.append(field)
            continue
        those = [value for value in values if re.search(_WHEN[word], value, re.I)]
        if not those or len(those) == len(values):
            fields.append(field)
            continue
        listed = ", ".join("'" + value.replace("'", "''") + "'" for value in those)
        when = f"{plain_name(status.name)} IN ({listed})" if len(those) > 1 else f"{plain_name(status.name)} = {listed}"
        fields.append(changed(field, present=Present(when=when, origin=Origin.GUESSED)))
    return _with_moments(changed(entity, fields=tuple(fields)), words, told)


_STEMS = tuple(
    "cancel reject approv resol return delet refund verif confirm block revok terminat complet paid sent deliver publish dispens"
    " archiv clos ship finish sold suspend silenc bann mut pinn hid featur".split()
)


def _with_moments(entity: Entity, words: dict[str, tuple[str, ...]], told: frozenset[str]) -> Entity:
    """Why and by whom something was done is there where the moment is at which it was done, and that where a flag says so."""
    if entity.there or entity.states is not None:
        return entity
    referring = {column for relation in entity.relations for column in relation.columns}
    moments, flags = {}, {}
    for field in entity.fields:
        stem = next((s for s in _STEMS if any(word.startswith(s) for word in words[field.name])), None)
        if stem is not None and field.type.name in MOMENTS and field.nullable and not {"till", "until"} & set(words[field.name]):
            moments[stem] = field
        elif stem is not None and field.type.name is TypeName.BOOLEAN and not field.nullable:
            flags[stem] = field
    fields = []
    for field in entity.fields:
        stem = next((s for s in _STEMS if any(word.startswith(s) for word in words[field.name])), None)
        moment = field.type.name in MOMENTS
        teller = None if stem is None else flags.get(stem) if moment else moments.get(stem)
        if moment and stem is not None and {"till", "until"} & set(words[field.name]):
            teller, moment = moments.get(stem), False
        said = field.present is not None and field.present.when is not None
        free = field.nullable and not said and field.name not in referring and field.generated is None
        if teller is None or not free or {field.name.lower(), teller.name.lower()} & told:
            fields.append(field)
            continue
        when = plain_name(teller.name) if moment else f"{plain_name(teller.name)} IS NOT NULL"
        fields.append(changed(field, present=Present(when=when, origin=Origin.GUESSED)))
    return changed(entity, fields=tuple(fields))
