"""The numbers of a row by their words, and what is found out about how they hang together."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..expression.names import plain_name
from ..model import Bound, Entity, Field, KindSource, TypeName, WeightsSource
from ..model.origins import Origin
from ..model.types import INTEGERS, NUMBERS
from .free import is_open, named_in_rules, never_negative, without_floor, words_of
from .naming import Vocabulary
from .plain_words import noun_words


def _is_natural(entity: Entity, field: Field) -> bool:
    return is_open(entity, without_floor(field)) and not entity.fixed


UNITS = (
    "kwh",
    "kilowatt hours",
    "m 3",
    "m3",
    "cubic metres",
    "litres",
    "l",
    "kilometres",
    "km",
    "miles",
    "kilograms",
    "kg",
    "units",
)
_MINOR = frozenset("cents pence minor usd eur gbp".split())


def amounts_in(names: dict[str, str], unit: str) -> int:
    """How many fields are told in a unit of money at the end of their names."""
    return len({name for words, name in names.items() if words.endswith(f" {unit}")})


class RowNumbers:
    """The numbers of an entity by their words, and what was found out about how they hang together."""

    def __init__(self, entity: Entity, vocabulary: Vocabulary) -> None:
        told = named_in_rules(entity)
        self.entity, self.language, self.noun = entity, vocabulary.language, noun_words(entity, vocabulary)
        self.names = {words: name for words, name in words_of(entity, vocabulary).items() if name.lower() not in told}
        for words, name in list(self.names.items()):  # subtotal_cents and tax_cents make total_cents
            unit = words.rpartition(" ")
            if unit[2] in _MINOR and unit[0] and amounts_in(self.names, unit[2]) > 2:
                self.names.setdefault(unit[0], name)
        self.made: dict[str, tuple[str, str]] = {}
        self.seldom: set[str] = set()  # what few rows have
        self.always: set[str] = set()  # what may be missing, and never is, since a number that must be there follows from it
        self.bounds: dict[str, tuple[tuple[Bound, ...], str]] = {}

    def one(self, choices: Iterable[str], *but: Field | None) -> Field | None:
        """The first of some names that a number has."""
        if isinstance(choices, tuple) and self.names.keys().isdisjoint(choices):
            return None
        left = {field.name for field in but if field is not None}
        for choice in choices:
            if (name := self.names.get(choice)) is not None and name not in left:
                field = self.entity.field(name)
                moment = isinstance(field.source, KindSource) and field.source.kind == "epoch"
                if field.type.name in NUMBERS and not moment:
                    return field
        return None

    def compute(self, field: Field, expression: str, parts: list[Field], why: str) -> None:
        missing = [part for part in parts if part.nullable] if not field.nullable else []
        own = field.name in self.made or any(part.name == field.name or self._made_from(part.name, field.name) for part in parts)
        free = is_open(self.entity, field) or (_is_natural(self.entity, field) and all(map(never_negative, parts)))
        if free and not own and all(map(_may_be_always, missing)):
            self.always.update(part.name for part in missing)
            scale = field.type.scale if field.type.name is TypeName.NUMERIC else 0 if field.type.name in INTEGERS else 2
            scale = 2 if scale is None else min(scale, 2)  # amounts have the digits of their currency, whatever the type holds
            self.made[field.name] = f"round({expression}, {scale})", why

    def limit(self, field: Field, most: Field) -> None:
        if field.name in self.made or field.name == most.name or self._made_from(most.name, field.name):
            return
        if is_open(self.entity, field) and not is_always_above(field, most):
            self.bounds[field.name] = up_to(most), f"not above {most.name}"

    def _made_from(self, name: str, part: str) -> bool:
        """Whether a number is worked out from another one, at first or at second hand."""
        expression = self.made[name][0] if name in self.made else ""
        named = {word for word in self.entity.field_names if re.search(rf"(?<!\w){re.escape(word)}(?!\w)", expression)}
        return part in named or any(self._made_from(other, part) for other in named - {name})


def _may_be_always(part: Field) -> bool:
    """Whether nothing is said of when a number is there."""
    return part.present is None or (part.present.when is None and part.present.origin is Origin.GUESSED)


def name_of(field: Field) -> str:
    return plain_name(field.name)


def or_nothing(field: Field) -> str:
    """A number, or 0 where it may be null and is."""
    return f"coalesce({name_of(field)}, 0)" if field.nullable else name_of(field)


def up_to(most: Field) -> tuple[Bound, Bound]:
    """From nothing to what another field holds."""
    return (
        Bound(comparison=">=", operand="0", origin=Origin.GUESSED),
        Bound(comparison="<=", operand=most.name, path=True, origin=Origin.GUESSED),
    )


def guessed_span(field: Field) -> tuple[float, float] | None:
    """The least and the greatest number that a field is filled with, where its own source tells."""
    source = field.source
    try:
        if isinstance(source, WeightsSource):
            values = [float(value) for value, _ in source.weights]
            return min(values), max(values)
        if isinstance(source, KindSource) and source.kind == "number":
            told = dict(source.parameters)
            return float(told["from"]), float(told["to"])
    except (KeyError, ValueError):
        pass
    return None


_SURE = 0.945


def is_always_above(field: Field, other: Field) -> bool:
    """Whether what is surely known of two fields leaves no room for the first to lie at or below the second."""
    if any(one.guess is None or one.guess.confidence < _SURE for one in (field, other)):
        return False
    one, two = guessed_span(field), guessed_span(other)
    return one is not None and two is not None and one[0] > two[1]
