"""Opinions beside ratings: who gives one star of five is not happy with it."""

from __future__ import annotations

from dataclasses import replace

from ..model import Candidate, Entity, Field, Guess, KindSource, PatternSource, WeightsSource, World
from ..model.changing import changed
from ..model.types import NUMBERS, TEXTS
from .copies import is_open, keyed_columns
from .plain_words import plain_words
from .vocabularies import vocabulary_of

_RATED = frozenset("rating stars score grade".split())
_JUDGED = frozenset("review rating feedback evaluation opinion testimonial remark".split())
_TITLES = frozenset((("title",), ("headline",), ("subject",), ("summary",)))
_SCALES = ((1.0, 5.0), (0.0, 5.0), (1.0, 10.0), (0.0, 10.0), (0.0, 20.0), (0.0, 100.0))  # on which people rate


def guess_opinions(world: World) -> World:
    """Texts of opinions in the tone of the rating in their row."""
    vocabulary = vocabulary_of(world)
    entities = []
    for entity in world.entities:
        words = plain_words(entity, vocabulary)
        rating = next((field for field in entity.fields if _is_rating(field, words[field.name])), None)
        ends = None if rating is None else _ends(rating)
        judged = bool(_JUDGED & set(vocabulary.words(entity.name.rpartition(".")[2])[-2:]))
        if rating is not None and ends is not None:
            keyed = keyed_columns(entity)
            told = (_in_its_tone(field, words[field.name], rating, ends, judged, keyed) for field in entity.fields)
            entity = _with(entity, tuple(told))
        entities.append(entity)
    return replace(world, entities=tuple(entities))


def _with(entity: Entity, fields: tuple[Field, ...]) -> Entity:
    return changed(entity, fields=fields) if fields != entity.fields else entity


def _is_rating(field: Field, words: tuple[str, ...]) -> bool:
    return (
        field.type.name in NUMBERS and not field.nullable and words[-1:] != () and words[-1] in _RATED and "number" not in words
    )


def _ends(rating: Field) -> tuple[float, float] | None:
    """The worst and the best rating, by what fills it."""
    source = rating.source
    numbers: list[float] = []
    if isinstance(source, WeightsSource):
        numbers = [float(value) for value, _ in source.weights if value.lstrip("-").replace(".", "", 1).isdigit()]
    elif isinstance(source, KindSource):
        said = dict(source.parameters)
        numbers = [float(said[name]) for name in ("from", "to") if name in said]
    scale = next((ends for ends in _SCALES if numbers and ends[0] <= min(numbers) and max(numbers) <= ends[1]), None)
    return scale if len(numbers) > 1 else None


def _in_its_tone(
    field: Field, words: tuple[str, ...], rating: Field, ends: tuple[float, float], judged: bool, keyed: set[str]
) -> Field:
    source = field.source
    of_text = isinstance(source, KindSource) and source.kind == "text"
    purpose = dict(source.parameters).get("purpose") if isinstance(source, KindSource) else None
    titled = judged and words in _TITLES and (purpose in ("title", "review") or isinstance(source, WeightsSource | PatternSource))
    told_of = (of_text and purpose == "review") or titled
    if not told_of or field.type.name not in TEXTS or not is_open(field, keyed):
        return field
    told = [("of", rating.name)]
    told += [(name, f"{end:g}") for name, end, usual in (("least", ends[0], 1), ("most", ends[1], 5)) if end != usual]
    told += [("part", "title")] if titled else []
    assert source is not None and field.guess is not None
    guess = Guess(reason=f"{field.guess.reason}, in the tone of {rating.name}", confidence=field.guess.confidence)
    first = Candidate(source=source, guess=field.guess)
    made = KindSource(kind="review", parameters=tuple(told))
    return changed(field, source=made, guess=guess, others=(first, *field.others))
