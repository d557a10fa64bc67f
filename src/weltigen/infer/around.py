"""What stands around a field while its values are guessed: its entity, the words of every name, and what rules speak of."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ..model import (
    ComputeSource,
    Entity,
    Field,
    Guess,
    Source,
    World,
)
from ..model.types import INTEGERS, TEXTS
from ..values.vocabulary import NEUTRAL, Topic, topic
from .naming import Vocabulary, singular


@dataclass(frozen=True, slots=True)
class Guessed:
    """What a field may be filled from; `share`: how often it has a value, where it may be null."""

    source: Source
    guess: Guess
    share: float | None = None
    secret: bool = False


@dataclass(frozen=True, slots=True)
class Around:
    """What stands around a field: its entity with the words of its name, and the words of every field."""

    world: World
    entity: Entity
    vocabulary: Vocabulary
    noun: tuple[str, ...]
    words: dict[str, tuple[str, ...]]
    ends: frozenset[str]  # of the fields' names, of one word and of two
    tied: frozenset[str]  # names of fields that rules of other fields speak of

    @property
    def head(self) -> str:
        return self.noun[-1] if self.noun else ""

    @property
    def topic(self) -> Topic:
        """What the entity is about, in the language of its world."""
        return topic(self.entity.topic or NEUTRAL).spoken(self.vocabulary.language).with_words(self.entity.words)

    def has(self, *names: str) -> bool:
        """Whether a field's words end in one of these names."""
        return not self.ends.isdisjoint(names)


def tied_fields(world: World) -> dict[str, frozenset[str]]:
    """By entity, the names of fields that its checks name, that bound another field of it, or that a path leads to."""
    reached: set[str] = set()
    own: dict[str, set[str]] = {}
    for entity in world.entities:
        names = own[entity.name] = set()
        texts = [check.expression for check in entity.checks]
        texts += [rule.where for rule in entity.uniques if rule.where is not None]
        for field in entity.fields:
            operands = [bound.operand.lower() for bound in field.limits.bounds if bound.path]
            names.update(operand for operand in operands if "." not in operand)
            reached.update(operand.rpartition(".")[2] for operand in operands if "." in operand)
            texts += [field.present.when] if field.present is not None and field.present.when is not None else []
            texts += [field.source.expression] if isinstance(field.source, ComputeSource) else []
        for text in texts:
            names.update(re.findall(r"[a-z_][a-z0-9_]*", text.lower()))
            reached.update(re.findall(r"\.([a-z_][a-z0-9_]*)", text.lower()))
    return {name: frozenset(names | reached) for name, names in own.items()}


def around_of(world: World, entity: Entity, vocabulary: Vocabulary, tied: dict[str, frozenset[str]]) -> Around:
    noun = tuple(singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2]))
    words = {field.name: _own_words(vocabulary.words(field.name), noun) for field in entity.fields}
    ends = frozenset(" ".join(of[-length:]) for of in words.values() for length in (1, 2))
    return Around(world, entity, vocabulary, noun, words, ends, tied[entity.name])


def _own_words(words: tuple[str, ...], noun: tuple[str, ...]) -> tuple[str, ...]:
    """A field's words without those of its table that it begins with: `usr_nm` of a table of users is a name."""
    for length in range(min(len(noun), len(words) - 1), 0, -1):
        if tuple(singular(word) for word in words[:length]) == noun[-length:]:
            return words[length:]
    return words


def counts_up(entity: Entity, field: Field) -> bool:
    """A number that is the whole key of its entity, or that the database would number."""
    return field.type.name in INTEGERS and (entity.key == (field.name,) or field.identity or field.numbering is not None)


def is_listed(field: Field) -> bool:
    return bool(field.limits.allowed or field.type.values or field.limits.patterns)


def field_beside(around: Around, field: Field, ends: tuple[str, ...]) -> str | None:
    """A text beside the field whose name is one of these, and which is there wherever the field is."""
    for other in around.entity.fields:
        words = around.words[other.name]
        if (
            other.name != field.name
            and words
            and words[-1] in ends
            and other.type.name in TEXTS
            and (field.nullable or not other.nullable)
        ):
            return other.name
    return None


def is_keyed(entity: Entity, field: Field) -> bool:
    return any(field.name in rule.columns for rule in entity.unique_rules)


def default_of(field: Field) -> str | None:
    """A literal default as a text; None where there is none, or an expression."""
    if field.default is None:
        return None
    text = field.default.strip().strip("()")
    if quoted := re.fullmatch(r"(?:[eEnNbB])?'((?:[^']|'')*)'(?:::[\w \[\]().\"]+)?", text):
        return quoted[1].replace("''", "'")
    return text if re.fullmatch(r"-?\d+(\.\d+)?|true|false", text, re.I) else None
