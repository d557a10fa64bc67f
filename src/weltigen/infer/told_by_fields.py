"""What an entity is by its fields, where its noun alone means several things: an event of a log, an asset that is a file."""

from __future__ import annotations

from ..model import Entity
from .naming import Vocabulary, singular


def is_of_events(name: str, vocabulary: Vocabulary) -> bool:
    words = vocabulary.words(name.rpartition(".")[2])
    return words in (("event",), ("events",))


def is_held(entity: Entity, vocabulary: Vocabulary) -> bool:
    """Whether events begin and end on days: what machines tell of has one moment."""
    names = {" ".join(vocabulary.words(field.name)) for field in entity.fields}
    return is_of_events(entity.name, vocabulary) and {"start date", "end date"} <= names


LOGGED = {"event": ("events", "logs")}
WRITTEN = {"article": ("products", "websites")}


def is_logged(entity: Entity, vocabulary: Vocabulary) -> bool:
    """Whether what happened is of a machine or of a login, by where it came from: nobody visits such an event."""
    words = [vocabulary.words(field.name) for field in entity.fields]
    told = {" ".join(one[-2:]) for one in words} | {one[-1] for one in words if one}
    return len(told & {"ip", "ip address", "session id", "session", "user agent", "payload", "error", "request id"}) > 1


_STORED = frozenset("asset resource media medium attachment upload binary blob rendition thumbnail".split())


def is_of_files(entity: Entity, vocabulary: Vocabulary) -> bool:
    """Whether an asset is a file: it has a type of files, and a size or a place where it is kept."""
    if _STORED.isdisjoint(map(singular, vocabulary.words(entity.name.rpartition(".")[2])[-1:])):
        return False
    words = {" ".join(told) for field in entity.fields for told in (vocabulary.words(field.name),)}
    return bool(words & {"mime type", "content type", "media type", "mimetype", "file type"}) and bool(
        words
        & {"file size", "size", "filesize", "bytes", "path", "source", "preview", "file name", "url", "width", "storage key"}
    )


def is_of_users(entity: Entity, vocabulary: Vocabulary) -> bool:
    """Whether accounts are such as somebody logs in with, and hold no money."""
    if vocabulary.words(entity.name.rpartition(".")[2])[-1:] not in (("account",), ("accounts",)):
        return False
    words = {" ".join(vocabulary.words(field.name)[-2:]) for field in entity.fields}
    words |= {vocabulary.words(field.name)[-1] for field in entity.fields if vocabulary.words(field.name)}
    money = words & {"balance", "iban", "currency", "overdraft", "bic"}
    return (
        not money
        and len(words & {"username", "display name", "password", "avatar", "login", "public key", "locale", "email"}) > 1
    )


def is_written(entity: Entity, vocabulary: Vocabulary) -> bool:
    """Whether an article is one to read."""
    told = {words[-1] for field in entity.fields if (words := vocabulary.words(field.name))}
    return len(told & {"content", "body", "slug", "author", "headline", "excerpt", "published"}) > 1
