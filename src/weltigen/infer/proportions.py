"""Sizes of one thing that go together: what is long is mostly broad and heavy as well, who is tall weighs more."""

from __future__ import annotations

from dataclasses import replace

from ..model import Entity, Field, Guess, KindSource, World
from ..model.changing import changed
from ..model.fields import Follow
from ..model.types import NUMBERS
from .naming import Vocabulary
from .plain_words import own_words
from .row_numbers import guessed_span
from .units import SIZES
from .vocabularies import vocabulary_of

# by the word of a size, how closely it goes with the others of its row (Spearman's correlation)
_CLOSE = {
    "length": 0.8, "width": 0.8, "beam": 0.95, "breadth": 0.8, "height": 0.65, "depth": 0.65, "draught": 0.75, "diameter": 0.8,
    "wingspan": 0.85, "circumference": 0.85, "girth": 0.8, "weight": 0.8, "mass": 0.8, "volume": 0.8, "area": 0.8,
    "tonnage": 0.85,
    "displacement": 0.85, "perimeter": 0.85, "span": 0.8,
}  # fmt: skip
_NO_SIZE = frozenset(
    "minimum maximum least most lower upper limit tolerance difference change loss gain target ideal allowed remaining total "
    "start end from to per rate percent wave snow water ice swell line text font column row page image pixel video screen "
    "gross net tare".split()
)


def guess_proportions(world: World) -> World:
    """Sizes of a row that rise with each other, where nothing else says what they hang on."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_proportioned(entity, vocabulary) for entity in world.entities))


def _proportioned(entity: Entity, vocabulary: Vocabulary) -> Entity:
    if entity.there or sum(field.type.name in NUMBERS for field in entity.fields) < 2:
        return entity
    sizes = [(field, size) for field, size in _sizes(entity, vocabulary) if _is_free(entity, field)]
    if len(sizes) < 2:
        return entity
    first, *others = sizes
    length = first[0] if first[1] == "length" else None
    made = {field.name: _following(_part_of(field, size, length), first[0], _CLOSE[size]) for field, size in others}
    return changed(entity, fields=tuple(made.get(field.name, field) for field in entity.fields))


def _sizes(entity: Entity, vocabulary: Vocabulary) -> list[tuple[Field, str]]:
    """The sizes of a row, each once, the lengths before the weights."""
    words, told = own_words(entity, vocabulary), {}
    for field in entity.fields:
        own = words[field.name]
        size = next((word for word in own if word in _CLOSE), None)
        if size is not None and not _NO_SIZE & set(own) and size not in told and field.type.name in NUMBERS:
            told[size] = field
    return sorted(((field, size) for size, field in told.items()), key=lambda one: list(_CLOSE).index(one[1]))


def _is_free(entity: Entity, field: Field) -> bool:
    """Whether nothing but a guess, of a range by itself, says what a size is."""
    keyed = any(field.name in rule.columns for rule in entity.unique_rules)
    spoken = any(field.name.lower() in check.expression.lower() for check in entity.checks)
    ranged = isinstance(field.source, KindSource) and field.source.kind == "number" and field.guess is not None
    return ranged and not (keyed or spoken or field.follows or any(bound.path for bound in field.limits.bounds))


def _part_of(field: Field, size: str, length: Field | None) -> Field:
    """A breadth within what is so much of the length beside it as such things have, where both are told in one unit."""
    part, span, own = _PARTS.get(size), length and guessed_span(length), guessed_span(field)
    if part is None or length is None or not span or own is None or _unit_of(field) != _unit_of(length):
        return field
    told = span[0] * part[0], span[1] * part[1]
    both = max(own[0], told[0]), min(own[1], told[1])
    low, high = both if both[0] < both[1] else told  # a beam is of a ship, where nothing else is known of a crate's
    assert isinstance(length.source, KindSource)
    ends = {**dict(length.source.parameters), "from": f"{low:.2g}", "to": f"{high:.2g}"}
    return changed(field, source=KindSource(kind="number", parameters=tuple(ends.items())))


_PARTS = {"beam": (0.28, 0.4), "draught": (0.05, 0.16)}  # of a hull's length


def _unit_of(field: Field) -> str:
    last = field.name.lower().rpartition("_")[2]
    return last if last in SIZES else ""


def _following(field: Field, first: Field, close: float) -> Field:
    assert field.guess is not None
    guess = Guess(reason=f"{field.guess.reason}; goes with {first.name}", confidence=field.guess.confidence)
    return changed(field, guess=guess, follows=(Follow(field=first.name, correlation=close),))
