"""Fields of a row that belong together: sums, and what is there only in some states. Each is a guess and gives way."""

from __future__ import annotations

import re
from dataclasses import replace

from ..expression.names import plain_name
from ..model import Bound, Candidate, ComputeSource, Entity, Field, Guess, Limits, Present, TypeName, WeightsSource, World
from ..model.changing import changed
from ..model.origins import Origin, Status
from ..model.types import INTEGERS, NUMBERS
from .naming import Vocabulary, singular
from .topics import vocabulary_of

_NET = (
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
_LINE = (
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
_PRICE = ("unit price", "price", "price unit", "unit cost", "item price", "rate", "hourly rate", "price per unit", "list price")
_DISCOUNT = ("discount percent", "discount rate", "percent discount")
# a word of a field, and the states in which it is there
_WHEN = {
    "cancelled": "cancel|storn|annul|anul",
    "cancel": "cancel|storn|annul|anul",
    "cancellation": "cancel|storn|annul|anul",
    "paid": "paid|bezahlt|payée|pagada|refund|completed",
    "rejected": "reject|declin",
    "rejection": "reject|declin",
    "shipped": "shipped|deliver|transit|return",
    "delivered": "deliver|return",
    "returned": "return",
    "approved": "approved",
    "resolved": "closed|resolved|done",
    "closed": "closed|resolved|done|completed",
    "finished": "success|fail|completed|done|finished",
    "ended": "completed|ended|closed|done",
    "refunded": "refund",
}


def guess_bundles(world: World) -> World:
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_presences(_sums(entity, vocabulary), vocabulary) for entity in world.entities))


def _words_of(entity: Entity, vocabulary: Vocabulary) -> dict[str, str]:
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


def _named_in_rules(entity: Entity) -> frozenset[str]:
    """What checks that are left as expressions, and unique rules over some rows, speak of."""
    texts = [check.expression for check in entity.checks if check.status is not Status.MET]
    texts += [rule.where for rule in entity.uniques if rule.where is not None]
    return frozenset(name for text in texts for name in re.findall(r"[a-z_][a-z0-9_]*", text.lower()))


def _sums(entity: Entity, vocabulary: Vocabulary) -> Entity:
    if sum(field.type.name in NUMBERS for field in entity.fields) < 2 or entity.there:
        return entity
    told = _named_in_rules(entity)
    names = {words: name for words, name in _words_of(entity, vocabulary).items() if name.lower() not in told}
    made: dict[str, tuple[str, str]] = {}
    bounds: dict[str, tuple[tuple[Bound, ...], str]] = {}

    def one(choices: tuple[str, ...], *but: str | None) -> Field | None:
        for choice in choices:
            if choice in names and names[choice] not in but and entity.field(names[choice]).type.name in NUMBERS:
                return entity.field(names[choice])
        return None

    def compute(field: Field, expression: str, parts: list[Field], why: str) -> None:
        missing = any(part.nullable for part in parts) and not field.nullable
        if _is_open(entity, field) and not missing and field.name not in made and all(part.name != field.name for part in parts):
            scale = field.type.scale if field.type.name is TypeName.NUMERIC else 0 if field.type.name in INTEGERS else 2
            made[field.name] = f"round({expression}, {scale if scale is not None else 2})", why

    def name(field: Field) -> str:
        return plain_name(field.name)

    net, gross = one(_NET), None
    rate = next((f for c in _RATE if c in names and _is_rate(f := entity.field(names[c]))), None)
    tax = one(_TAX, rate.name if rate is not None else None)
    if net is not None and tax is not None:
        gross = one(_GROSS, net.name, tax.name)
        share = _TAXES.get(vocabulary.language, "0.2")
        if rate is not None and rate.name != tax.name:
            narrow = rate.type.precision is not None and rate.type.precision - (rate.type.scale or 0) <= 1
            compute(
                tax,
                f"{name(net)} * {name(rate)}" + ("" if narrow else " / 100"),
                [net, rate],
                f"{net.name} at the rate of {rate.name}",
            )
        else:
            compute(tax, f"{name(net)} * {share}", [net], f"{net.name} at the usual rate")
        if gross is not None:
            compute(gross, f"{name(net)} + {name(tax)}", [net, tax], f"{net.name} with {tax.name}")
    quantity, price = one(_QUANTITY), one(_PRICE)
    if quantity is not None and price is not None and quantity.name != price.name:
        line = one(_LINE, quantity.name, price.name, gross.name if gross is not None else None)
        discount = one(_DISCOUNT)
        if line is not None and line.name not in made:
            product, parts = f"{name(quantity)} * {name(price)}", [quantity, price]
            if discount is not None and not discount.nullable:
                product, parts = f"{product} * (1 - {name(discount)} / 100)", [*parts, discount]
            compute(line, product, parts, f"{quantity.name} times {price.name}")
    day, week, month = (
        one((f"{span} rate", f"rate {span}", f"price per {span}", f"{span} price")) for span in ("day", "week", "month")
    )
    if day is not None and week is not None:
        compute(week, f"{name(day)} * 4", [day], f"four times {day.name}")
    if day is not None and month is not None:
        compute(month, f"{name(day)} * 12", [day], f"twelve times {day.name}")
    for cents, whole in (("price cents", "price"), ("amount cents", "amount"), ("total cents", "total")):
        if cents in names and whole in names:
            compute(
                entity.field(names[cents]),
                f"{name(entity.field(names[whole]))} * 100",
                [entity.field(names[whole])],
                f"{whole} in cents",
            )
    less, base = (
        one(("discount", "discount amount", "rebate")),
        net or one(("amount", "price", "total", "total amount", "unit price", "fee")),
    )
    if (
        less is not None
        and base is not None
        and less.name not in made
        and base.name not in made
        and _is_open(entity, less)
        and base.name != less.name
    ):
        bounds[less.name] = _up_to(base), f"not above {base.name}"
    got = one(("achieved score", "score", "points", "achieved points", "result score", "total score", "mark"))
    most = one(("maximum score", "maximum points", "points maximum", "possible points", "points possible", "total points"))
    if got is not None and most is not None and got.name != most.name and _is_open(entity, got):
        bounds[got.name] = _up_to(most), f"not above {most.name}"
    if not made and not bounds:
        return entity
    return changed(entity, fields=tuple(_with(field, made.get(field.name), bounds.get(field.name)) for field in entity.fields))


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
    told = _named_in_rules(entity)
    status = next(
        (f for f in entity.fields if words[f.name] and words[f.name][-1] in ("status", "state") and not f.nullable), None
    )
    if status is None or entity.there or entity.states is not None:
        return entity
    if isinstance(status.source, WeightsSource):
        values = [value for value, _ in status.source.weights]
    else:
        values = list(status.type.values or ()) or [v for allowed in status.limits.allowed for v in allowed.values]
    if len(values) < 2:
        return entity
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
    return changed(entity, fields=tuple(fields))
