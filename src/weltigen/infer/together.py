"""What is there together in a row: the name, the type and the size of a file; a token and the moment at which it was sent."""

from __future__ import annotations

from ..model import Entity, Field
from ..model.types import MOMENTS, TEXTS

_OF_FILES = tuple(
    tuple(one.split())
    for one in "content type/mime type/mime/media type/file type/extension/file size/size/bytes/updated at/updated/uploaded at/"
    "width/height/checksum/fingerprint/digest/meta/metadata/file extension".split("/")
)
_TOKENS = frozenset("token code secret otp nonce".split())
_OF_TOKENS = tuple(
    tuple(one.split())
    for one in "sent at/sent/sent on/expires at/expires/expiry/expired at/expiration/generated/issued at/created at".split("/")
)


def tellers_beside(entity: Entity, words: dict[str, tuple[str, ...]]) -> dict[str, Field]:
    """By field, the one beside it without which it makes no sense; none waits for one that waits for another."""
    by_words = {words[field.name]: field for field in entity.fields if field.nullable}
    found: dict[str, Field] = {}
    for own, field in by_words.items():
        if field.type.name not in TEXTS:
            continue
        if len(own) > 2 and own[-2:] == ("file", "name"):
            followers = [by_words.get((*own[:-2], *one)) for one in _OF_FILES]
        elif len(own) > 1 and own[-1] in _TOKENS:
            heads = (own, own[:-1])
            moments = [by_words.get((*head, *one)) for head in heads for one in _OF_TOKENS]
            followers = [one for one in moments if one is not None and one.type.name in MOMENTS]
            held = next((one for one in followers if one is not None and one.present is not None and one.present.when), None)
            if held is not None:
                found[field.name] = held  # the moment waits for another step of its row, and the token for the moment
                continue
        else:
            continue
        found |= {one.name: field for one in followers if one is not None and one.name not in found}
    return found
