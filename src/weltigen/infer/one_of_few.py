"""Fields that hold one of a few values: those of entities that are lists of severities, statuses, genders; this or that."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ..model import Field
from ..model.types import TEXTS
from ..values.vocabulary import by_noun
from .around import Around, Guessed
from .called_by_noun import hangs_on_others, has_called
from .company import VAGUE
from .concepts import matching
from .naming import folded
from .naming.values import in_language
from .of_row import of_kind
from .offers import by_words, read_pairs
from .readings import IN_FULL
from .states import status_weights

_CALLED = ("name", "label", "title", "value", "description")
_KINDS = frozenset("country-name language-name colour-name month weekday iso-4217-currency".split())
# a state by itself may be a part of a country
_CLOSED = frozenset(
    "status priority severity urgency tier gender sex salutation outcome environment frequency criticality likelihood".split()
)
_PLACES = frozenset("country language currency colour".split())
_LABELS = frozenset("label name value option entry".split())  # rows of which are called like what stands before
_MOST_FIELDS = 8  # an entity of more is no list of values
_MOST_OF_STEPS = 14  # where it says as well how a value is shown, and in which order
_SHOWN = ("order", "position", "colour", "is closed", "sort order", "slug")


def values_of_entity(around: Around, field: Field) -> Iterator[Guessed]:
    """What a row of such an entity is called, each value once."""
    named = [f for f in around.entity.fields if len(around.words[f.name]) == 1 and f.type.name in TEXTS]
    called = next((f for word in _CALLED for f in named if around.words[f.name] == (word,)), None)
    if called is None:
        called = next((f for f in around.entity.fields if around.whole[f.name] in IN_FULL and f.type.name in TEXTS), None)
    noun = around.noun[:-1] if around.head in _LABELS and around.noun[-2:-1] and around.noun[-2] in _CLOSED else around.noun
    head = noun[-1] if noun else ""
    closed = head in _CLOSED or (head == "state" and len(noun) > 1)
    most = _MOST_OF_STEPS if closed and around.has(*_SHOWN) else _MOST_FIELDS
    if called is None or called.name != field.name or len(around.entity.fields) > most:
        return
    valued = not closed and head not in _PLACES and _is_a_value(around, noun)
    if not closed and head not in _PLACES and not valued:
        return
    if around.words[called.name] == ("description",) and len(around.entity.fields) > 3:
        return
    if head == "currency" and any(around.words[f.name] in (("code",), ("iso", "code"), ("iso",)) for f in around.entity.fields):
        return  # which is called by its code
    reason = f"one {head}, as a field of that name has it"
    own = f"of {head}"
    exactly = [one for one in matching(noun[-2:]) if one.whole and one.concept.what == "words"] if noun[1:] else []
    if closed and around.topic.has(own) and not exactly:
        made = _one_each(field, tuple((word, 1.0) for word in around.topic.words(own)), "en", reason)
        yield from () if made is None else (made,)
        return
    for found in (*exactly, *matching((head,))):
        concept = found.concept
        kind = concept.arguments.split(" ")[0]
        if not concept.types & TEXTS or found.confidence < (0.8 if valued else 0.6) or (valued and concept.what != "words"):
            continue
        made = None
        if concept.what == "words":
            made = _one_each(field, tuple(read_pairs(concept.arguments)), around.vocabulary.language, reason)
        elif concept.what == "status":
            states = status_weights(noun, around.topic.name, around.words, around.vocabulary.language, None)
            made = _one_each(field, states, "en", reason)
        elif concept.what == "sex":
            made = _one_each(field, (("female", 1.0), ("male", 1.0), ("diverse", 1.0)), around.vocabulary.language, reason)
        elif concept.what == "kind" and kind in _KINDS:
            made = of_kind(around, field, kind, {}, reason, 0.93)
        if made is not None:
            yield made
            return


def _is_a_value(around: Around, noun: tuple[str, ...]) -> bool:
    """Whether rows of an entity that is little more than a name are what a field of its name would hold: ethnicities, fuels."""
    few = sum(one.type.name in TEXTS for one in around.entity.fields) < 6 and not hangs_on_others(around.entity)
    known = noun[-1:] and (noun[-1] in by_noun() or noun[-1] in VAGUE or has_called(noun))
    told = (one for length in (2, 1) for one in matching(noun[-length:]) if len(noun) >= length)
    return bool(few and not known and any(one.whole and one.concept.what == "words" for one in told))


def _one_each(field: Field, pairs: tuple[tuple[str, float], ...], language: str, reason: str) -> Guessed | None:
    """Each of some values as often as the others, so that of as many rows each has one of its own."""
    if all(len(value) == 1 for value, _ in pairs) and field.room != 1:  # letters for who has no room for words
        return None
    made = by_words(field, tuple((value, 1.0) for value, _ in in_language(pairs, language)), reason, 0.93)
    return None if made is None else replace(made, guess=replace(made.guess, closed=True))


# what a row is told by, of which a field may hold either: a name or an id
_TELLS_APART = frozenset(
    "name id key code email mail phone mobile number no date url uri path username user uuid title text value town city village "
    "state province region county zip postcode post country address company organisation organization street index label slug "
    "alias description amount quantity time none null empty more less other not all".split()
)


def this_or_that(around: Around, field: Field) -> Iterator[Guessed]:
    """The two values that a field's name names: `pass_or_fail`."""
    first, _, second = folded(field.name).partition("_or_")
    told = {first, second}
    if around.vocabulary.language != "en" or told & _TELLS_APART or not all(one.isalpha() and len(one) > 2 for one in told):
        return
    made = by_words(field, ((first, 58.0), (second, 42.0)), "its name names both", 0.94)
    yield from () if made is None else (made,)
