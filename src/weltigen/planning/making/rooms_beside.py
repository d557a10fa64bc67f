"""How many values a field needs for rules of uniqueness over several fields, by what stands beside it in them."""

from __future__ import annotations

from collections.abc import Iterable

from ...model import Entity, Field, PatternSource, Unique
from ...values.patterns import texts_of

_MANY = 10  # times as many values as rows: enough by themselves


def enough_beside(entity: Entity, rules: Iterable[Unique], field: Field, rows: int) -> bool:
    """Whether another field of each of its rules has values enough alone, so that its own may come again: a maker has many
    models, and nobody needs makers called Hexa 2."""
    own = [rule for rule in rules if field.name in rule.columns]
    return bool(own) and all(
        any(_has_enough(entity.field(name), rows) for name in rule.columns if name != field.name) for rule in own
    )


def _has_enough(field: Field, rows: int) -> bool:
    if not isinstance(field.source, PatternSource) or field.limits.bounds or field.limits.allowed or field.limits.patterns:
        return False
    try:
        return texts_of(field.source.pattern, field.room).space > _MANY * rows
    except ValueError:
        return False
