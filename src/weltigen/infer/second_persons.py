"""Whose name, address or login a field holds where a row speaks of several persons: the pupil's, or the guardian's."""

from __future__ import annotations

from ..model import Field
from ..model.types import TEXTS
from .around import Around
from .concepts import Found, matching
from .naming import singular
from .nouns import what_is

# parts of a person that are read off one person of the row
PARTS = frozenset("given-name family-name name email username gender salutation".split())
_NAMED = frozenset("given-name family-name name other-person".split())
# somebody beside the person whom a row is about, whatever the row is
_OTHERS = frozenset(
    "emergency kin guardian parent mother father spouse husband wife partner alternate alternative alt deputy referee reference "
    "relative guarantor next substitute".split()
)
_ANYBODY = frozenset("contact person second secondary other".split())  # somebody else only where a name of theirs stands there
_OWN = frozenset("user customer member client account".split())  # what most tables call the person of the row
RECIPIENT = "recipient"  # who gets what somebody else of the row sends or gives
_SENDS, _RECEIVES = (
    frozenset("from sender payer buyer purchaser giver".split()),
    frozenset("to recipient receiver addressee payee".split()),
)


def whose(around: Around, field: Field) -> str:
    """What tells the person of a field from the one that the row is about; nothing where they are the same."""
    label = _label(around.words[field.name])
    if _RECEIVES & set(around.words[field.name]) and "reply" not in around.words[field.name] and _is_sent(around):
        return RECIPIENT
    if not label:
        return ""
    named = _named(around)
    first = next(iter(named.values()), None)
    if first is None or label == first or (not set(label) & (_OTHERS | _ANYBODY) and label not in named.values()):
        return ""
    if set(label) <= _ANYBODY and label not in named.values():
        return ""
    return "-".join(label)


def _is_sent(around: Around) -> bool:
    """Whether the row says who it is from, so that whom it is for is somebody else."""
    return any(_SENDS & set(around.words[one.name]) for one in around.entity.fields if one.type.name in TEXTS)


def is_alone(around: Around, field: Field) -> bool:
    """Whether nothing else in the row is of the same person."""
    label = _label(around.words[field.name])
    return not any(
        _label(around.words[one.name]) == label and one.name != field.name and (found := _part(around, one)) is not None
        and (found.concept.arguments.partition(" ")[0] in PARTS | {"other-person"} or found.concept.what == "named")
        for one in around.entity.fields
    )  # fmt: skip


def _label(words: tuple[str, ...]) -> tuple[str, ...]:
    """The words of a name that say whose it is: alternative contact, mother."""
    return tuple(one for word in words[:-1] if _is_somebody(one := singular(word)) and one not in _OWN)


def _is_somebody(word: str) -> bool:
    return word in _OTHERS or word in _ANYBODY or what_is(word) == "person"


def _named(around: Around) -> dict[str, tuple[str, ...]]:
    """The fields that hold names of persons, with whose they are."""
    out = {}
    for field in around.entity.fields:
        found, label = _part(around, field), _label(around.words[field.name])
        if found is None:
            continue
        named = found.concept.what == "fullnamed" or (found.concept.what == "named" and bool(label))
        if named or found.concept.arguments.partition(" ")[0] in _NAMED:
            out[field.name] = label
    return out


def _part(around: Around, field: Field) -> Found | None:
    """The surest that a text's name says of it."""
    if field.type.name not in TEXTS:
        return None
    return next((one for one in matching(around.words[field.name]) if field.type.name in one.concept.types), None)
