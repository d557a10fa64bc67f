"""What stands around a field while its values are guessed: its entity, the words of every name, and what rules speak of."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from ..model import (
    ComputeSource,
    Entity,
    Field,
    KindSource,
    TypeName,
    World,
)
from ..model.types import MOMENTS, TEXTS
from ..values.vocabulary import NEUTRAL, Topic, topic
from .concepts import matching
from .guessed import Guessed as Guessed
from .naming import Vocabulary, folded, noun_of, singular
from .plain_words import noun_words, plain_words, shared_beginning, without_noun
from .roots import is_participle
from .translated import translated_entity


@dataclass(frozen=True, slots=True)
class Around:
    """What stands around a field: its entity with the words of its name, and the words of every field."""

    world: World
    entity: Entity
    vocabulary: Vocabulary
    noun: tuple[str, ...]
    whole: dict[str, tuple[str, ...]]  # the words of each name, but for a mark that most names of the entity bear
    words: dict[str, tuple[str, ...]]  # and without the entity's noun before them
    ends: frozenset[str]  # of the fields' names, of one word and of two
    tied: frozenset[str]  # names of fields that rules of other fields speak of
    ordered: frozenset[str]  # those of them that such rules only put before or after each other
    in_seconds: frozenset[str]  # whole numbers that are seconds since 1970, by their own names
    trades: tuple[tuple[str, float], ...] = ()  # whose words its fields may be, and how sure those are
    of_systems: bool = False  # whether the model is about computers

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


_NULLS = re.compile(r"\(*\s*[\w\"]+\s+is\s+null\s*\)*\s*or\s+|\s+or\s*\(*\s*[\w\"]+\s+is\s+null\b|[()\"\s]|::\w+", re.IGNORECASE)
_ORDER = re.compile(r"(\w+)[<>]=?(\w+)")


def _ordered_fields(entity: Entity) -> frozenset[str]:
    """Moments that checks name only to put one before another: `ends_at IS NULL OR ends_at > starts_at`."""
    moments = {field.name.lower() for field in entity.fields if field.type.name in MOMENTS}
    pairs = [_ORDER.fullmatch(_NULLS.sub("", check.expression.lower())) for check in entity.checks]
    others = [
        c.expression
        for c, pair in zip(entity.checks, pairs, strict=True)
        if pair is None or not moments.issuperset(pair.groups())
    ]
    others += [rule.where for rule in entity.uniques if rule.where is not None]
    for field in entity.fields:
        others += [field.present.when] if field.present is not None and field.present.when is not None else []
        others += [field.source.expression] if isinstance(field.source, ComputeSource) else []
        others += [bound.operand for bound in field.limits.bounds if bound.path and bound.comparison in ("==", "!=")]
    return frozenset(moments - set(re.findall(r"[a-z_][a-z0-9_]*", " ".join(others).lower())))


def around_of(
    world: World,
    entity: Entity,
    vocabulary: Vocabulary,
    tied: dict[str, frozenset[str]],
    trades: tuple[tuple[str, float], ...] = (),
    of_systems: bool = False,
) -> Around:
    noun = tuple(singular(word) for word in noun_of(vocabulary.words(kept_of(world, entity).rpartition(".")[2])))
    if (
        noun[-1:] in (("parent",), ("child",))
        and len(noun) > 1
        and any(noun[:-1] == noun_words(other, vocabulary) for other in world.entities)
    ):
        noun = noun[:-1]  # the parents of groups are groups
    whole = plain_words(entity, vocabulary)
    for field in entity.fields:  # a number in another language, which no text is
        if field.type.name in TEXTS and len(whole[field.name]) == 1 and folded(field.name).rpartition("_")[2] == "nombre":
            whole[field.name] = ("name",)
    shared = shared_beginning(whole)
    words = {name: without_noun(told, noun, shared) for name, told in whole.items()}
    held = [of for of in words.values() if of[:1] != ("attribute",)]  # attr_mail says only what holds a mail address elsewhere
    ends = frozenset(" ".join(of[-length:]) for of in held for length in (1, 2))
    dated = any(field.type.name in MOMENTS for field in entity.fields)
    seconds = frozenset(
        field.name
        for field in entity.fields
        if field.type.name in _WIDE
        and _tells_of_seconds(words[field.name], field.type.name)
        and not (dated and (is_time_of_day(field, words[field.name]) or _is_done(words[field.name])))
    )
    return Around(
        world,
        entity,
        vocabulary,
        noun,
        whole,
        words,
        ends,
        tied[entity.name],
        _ordered_fields(entity),
        seconds,
        trades,
        of_systems,
    )


_KEPT = re.compile(
    r"(?i)(.+?)_?(version|history|audit|archive|old|log|hist|revisions?|versions)$|(?:historical|old|archived)_?(.+)$"
)


def kept_of(world: World, entity: Entity) -> str:
    """The name of the entity whose earlier rows this one keeps, `person_version` of `person`; its own where it keeps none, but
    for what says only that it links others, `dataset_tag_association`, or translates them, `product_translation`."""
    if (translated := translated_entity(world, entity)) is not None:
        return translated
    linking = _LINKING.fullmatch(entity.name)
    if linking is not None and len(entity.relations) > 1:
        return linking[1]
    found = _KEPT.fullmatch(entity.name)
    base = (found[1] or found[3]) if found is not None else None
    return base if base is not None and world.has(base) else entity.name


_LINKING = re.compile(r"(?i)(.+?)_?(association|assoc|xref)s?")
_WIDE = frozenset({TypeName.INTEGER, TypeName.BIGINT})


def names_moment(words: tuple[str, ...]) -> bool:
    """Whether a number's name ends in a word for a moment: `updated_at`, `posted_on`, `created_unix`."""
    if words[-1:] in (("unix",), ("epoch",), ("unixtime",)) or words[-2:] in (("at", "int"), ("at", "integer")):
        return True
    return len(words) > 1 and words[-1] in _MOMENT_ENDS and not _NO_VERBS & set(words)


_MOMENT_ENDS = frozenset("at on expires expiry until".split())


_NO_VERBS = frozenset(
    "meets runs opens plays teaches is has was switched turned depends based relies works acts applies light power".split()
)


def is_so_or_then(words: tuple[str, ...]) -> bool:
    """Whether a number's name may tell that something is so as well as when it came about: `closed`, `sent`."""
    return len(words) == 1 and words[0] in _SO_OR_THEN


_SO_OR_THEN = frozenset("closed opened published sent received finished ended".split())


def is_time_of_day(field: Field, words: tuple[str, ...]) -> bool:
    """Whether a number of 32 bits that is called a time is one of the day or a length, beside moments of their own type."""
    return field.type.name is TypeName.INTEGER and words[-1:] in (("time",), ("start",), ("end",))


def _is_done(words: tuple[str, ...]) -> bool:
    """Whether a name is what was done alone: how many were scanned, where moments are dates and times."""
    return len(words) == 1 and is_participle(words[0])


def _tells_of_seconds(words: tuple[str, ...], kind: TypeName) -> bool:
    if is_so_or_then(words):
        return False  # unless others beside it do
    return names_moment(words) or any(
        found.whole and kind in found.concept.types and found.concept.arguments.startswith("epoch") for found in matching(words)
    )


def clock_of(field: Field) -> str:
    """What a field that tells of time counts by; moments, times of day, seconds since 1970 and thousandths do not compare."""
    if field.type.name in MOMENTS:
        return "moment"
    if field.type.name is TypeName.TIME:
        return "time"
    if isinstance(field.source, KindSource) and field.source.kind == "epoch" and field.guess is not None:
        return f"epoch in {dict(field.source.parameters).get('unit', 's')}"
    return ""


def counts_up(entity: Entity, field: Field) -> bool:
    """A number that is the whole key of its entity, or that the database would number."""
    return field.type.counts and (entity.key == (field.name,) or field.identity or field.numbering is not None)


_OF_A_DAY, _LONGEST_MOMENT = 10, 40  # characters: what has more room is where somebody was trained at


def may_hold_moment(field: Field) -> bool:
    """Whether a text has the room that a day takes, and not much more than a moment does."""
    return field.room is None or _OF_A_DAY <= field.room <= _LONGEST_MOMENT


def is_listed(field: Field) -> bool:
    return bool(field.limits.allowed or field.type.values or field.limits.patterns)


def field_beside(around: Around, field: Field, ends: tuple[str, ...]) -> str | None:
    """A text beside the field whose name is one of these, and there wherever the field is; one of the same thing first."""
    found = [
        other.name for other in around.entity.fields
        if other.name != field.name
        and around.words[other.name]
        and around.words[other.name][-1] in ends
        and other.type.name in TEXTS
        and (field.nullable or not other.nullable)
    ]  # fmt: skip
    of_same = (name for name in found if around.words[name][:-1] == around.words[field.name][:-1])
    return next(of_same, found[0] if found else None)


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


# what a word means by what stands around it: the row, the field, why it is asked and how sure its words are
Context = Callable[[Around, Field, str, float], Guessed | None]
