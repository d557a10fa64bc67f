"""Fields whose values are listed: some are more usual than others."""

from __future__ import annotations

import re

from ..model import Field, Guess, TypeName, WeightsSource
from ..model.changing import changed
from ..model.types import INTEGERS, TEXTS
from .around import Around, default_of, is_keyed
from .concepts import matching
from .readings import readings
from .states import by_steps

_FLAGS = (
    {"y", "n"},
    {"yes", "no"},
    {"t", "f"},
    {"true", "false"},
    {"on", "off"},
    {"0", "1"},
    {"j", "n"},
    {"enabled", "disabled"},
)


_RARE = re.compile(
    "cancel|fail|reject|delet|error|dead|lost|void|abort|expired|archiv|block|banned|suspend|refund|dispute|critical|unknown|storn|annul",
    re.I,
)


def usual_of_list(around: Around, field: Field) -> Field:
    """A field whose values are listed, with some more usual than others: the default, what comes first, what does not fail."""
    values = list(field.limits.allowed[0].values if field.limits.allowed else field.type.values)
    keyed = is_keyed(around.entity, field) or field.name in {name for owner in around.entity.key for name in (owner,)}
    if (
        len(values) < 2
        or len(values) > 40
        or keyed
        or field.limits.patterns
        or field.limits.bounds
        or len(field.limits.allowed) > 1
    ):
        return field
    if field.name.lower() in around.tied or field.type.name not in TEXTS | INTEGERS | {TypeName.ENUM} or field.follows:
        return field
    default = default_of(field)
    if {value.lower() for value in values} in _FLAGS:
        found = next(
            (one for words, _, _ in readings(around, field) for one in matching(words) if one.concept.what == "flag"), None
        )
        share = float(found.concept.arguments) if found is not None else 0.4
        yes = next(value for value in values if value.lower() in ("y", "yes", "t", "true", "on", "1", "j", "enabled"))
        if default is not None:
            share = max(share, 0.8) if default == yes else min(share, 0.4)
        weights = [(value, 100.0 * (share if value == yes else 1 - share)) for value in values]
        reason = "a flag, by its values"
    else:
        weights = [(value, max(2.0, 12.0 - 2 * at) * (0.4 if _RARE.search(value) else 1.0)) for at, value in enumerate(values)]
        steps = by_steps(default, tuple(values)) if default in values else ()
        if steps:  # rows begin in the default, and most have gone on
            weights = [(value, dict(steps)[value] * (0.4 if _RARE.search(value) else 1.0)) for value in values]
        elif default in values:
            total = sum(weight for value, weight in weights if value != default)
            weights = [(value, 1.4 * total if value == default else weight) for value, weight in weights]
        reason = "the values that it may have, the usual ones more often"
    guess = Guess(reason=reason, confidence=0.7)
    return changed(
        field, source=WeightsSource(weights=tuple((value, round(weight, 2)) for value, weight in weights)), guess=guess
    )
