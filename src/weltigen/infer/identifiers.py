"""Texts that identify rows: by the room that they have, and by the keys of the model."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Field
from ..model.types import TEXTS
from .around import Around, Guessed
from .naming import folded
from .offers import by_pattern, of_named_kind


def as_identifier(around: Around, field: Field) -> Iterator[Guessed]:
    """A text with room for a UUID and no more, whose name is of an identifier, or which is the key."""
    words = around.words[field.name]
    named = words[-1:] and words[-1] in ("id", "uuid", "guid", "key", "by", "user", "oid")
    if not named and field.room in (*_IDENTIFIERS, 36) and _is_as_wide_as_keys(around, field):
        wide = "as wide as the keys of other entities"
        form = None if field.room == 36 else by_pattern(field, _IDENTIFIERS[field.room or 0], wide, 0.62)
        yield form or of_named_kind("uuid", wide, 0.62)
    if words[-1:] in (("id",), ("uuid",), ("guid",)) and len(words) > 1 and (field.room or 36) > 36 and _has_uuids(around):
        yield of_named_kind("uuid", "an identifier, in a model whose keys are", 0.9)
    key = around.entity.key == (field.name,)
    of_setting = words[-1:] == ("key",) and around.has("value")  # which is named, and no identifier
    if field.type.name not in TEXTS or of_setting or not (named or (key and field.room == 36)):
        return
    if field.room == 36:
        yield of_named_kind("uuid", "an identifier of 36 characters", 0.97)
    elif field.room in _IDENTIFIERS and (words[-1:] != ("key",) or key):
        made = by_pattern(field, _IDENTIFIERS[field.room], f"an identifier of {field.room} characters", 0.97)
        yield from () if made is None else (made,)


def _is_as_wide_as_keys(around: Around, field: Field) -> bool:
    """Whether a text has just the room of identifiers that are keys of others, as a reference to one of them would."""
    told = (folded(name).rpartition("_")[2] for name, room in around.world.text_keys if room == field.room)
    return sum(name in ("id", "guid", "uuid") for name in told) > 1


def _has_uuids(around: Around) -> bool:
    """Whether texts of 36 characters are the keys of most entities."""
    keys = sum(len(one.key) == 1 for one in around.world.entities) if around.world.text_keys else 0
    return 2 * sum(room == 36 for _, room in around.world.text_keys) > keys


_IDENTIFIERS = {  # by their length: of 96 bits, of 128 bits by 32 signs, and in hexadecimal digits
    24: "[0-9a-f]{24}",
    26: "0[0-9][A-HJKMNP-TV-Z0-9]{24}",
    32: "[0-9a-f]{32}",
}
