"""What of an entity is still free to be guessed, and what its rules speak of."""

from __future__ import annotations

import re
from dataclasses import replace

from ..model import (
    ComputeSource,
    Entity,
    Field,
    KindSource,
    Limits,
    WeightsSource,
)
from ..model.changing import changed
from ..model.origins import Status
from .naming import Vocabulary
from .plain_words import noun_words, plain_words, without_noun


def next_other(field: Field, at: int = 0) -> Field:
    """The field filled from one of its other candidates, those behind it left; by its type alone where there are none."""
    if at >= len(field.others):
        return changed(field, source=None, guess=None, others=())
    return changed(field, source=field.others[at].source, guess=field.others[at].guess, others=field.others[at + 1 :])


def words_of(entity: Entity, vocabulary: Vocabulary) -> dict[str, str]:
    """The names of an entity's fields by their words, with and without its noun before them."""
    noun = noun_words(entity, vocabulary)
    out: dict[str, str] = {}
    plain = plain_words(entity, vocabulary)
    for field in entity.fields:
        words = plain[field.name]
        own = without_noun(words, noun)
        own = own[1:] if len(own) > 1 and own[0] in noun and own[0] not in ("tax", "net", "price") else own
        out.setdefault(" ".join(own), field.name)
        out.setdefault(" ".join(words), field.name)
    return out


_NO_LIMITS = Limits()


def is_open(entity: Entity, field: Field) -> bool:
    """Whether nothing but a guess says what a field holds."""
    keyed = any(field.name in rule.columns for rule in entity.unique_rules) or field.name in {
        c for r in entity.relations for c in r.columns
    }
    guessed = field.source is None or field.guess is not None
    return guessed and not keyed and field.limits == _NO_LIMITS and field.generated is None and not field.identity


def without_floor(field: Field) -> Field:
    """A field without the rule that it is not below nothing, where that is all that is said of where it ends."""
    bounds = field.limits.bounds
    if not bounds:
        return field
    floor = all(not bound.path and bound.comparison == ">=" and bound.operand in ("0", "0.0", "0.00") for bound in bounds)
    return replace(field, limits=replace(field.limits, bounds=())) if floor else field


def never_negative(field: Field) -> bool:
    """Whether what was guessed of a number leaves it at nothing or above."""
    if isinstance(field.source, KindSource) and field.guess is not None:
        return float(dict(field.source.parameters).get("from", "-1")) >= 0
    if isinstance(field.source, WeightsSource):
        return all(not value.startswith("-") for value, _ in field.source.weights)
    return isinstance(field.source, ComputeSource) and field.guess is not None


def named_in_rules(entity: Entity) -> frozenset[str]:
    """What checks that are left as expressions, and unique rules over some rows or over expressions, speak of."""
    texts = [check.expression for check in entity.checks if check.status is not Status.MET]
    texts += [rule.where for rule in entity.uniques if rule.where is not None]
    texts += [text for rule in entity.uniques for text in rule.expressions]
    return frozenset(name for text in texts for name in re.findall(r"[a-z_][a-z0-9_]*", text.lower()))
