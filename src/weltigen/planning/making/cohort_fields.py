"""A field as a cohort has it."""

from __future__ import annotations

from dataclasses import replace

from ...model import Field
from ...model.origins import Origin


def merged(base: Field, own: Field) -> Field:
    """A field as a cohort has it: its own source and presence, and its limits beside the field's."""
    bounds = base.limits.bounds
    if own.limits.bounds:
        bounds = tuple(bound for bound in bounds if bound.origin is not Origin.GUESSED)
    limits = replace(
        base.limits,
        bounds=bounds + own.limits.bounds, allowed=base.limits.allowed + own.limits.allowed,
        patterns=own.limits.patterns or base.limits.patterns, multiple_of=own.limits.multiple_of or base.limits.multiple_of,
        min_length=max((n for n in (base.limits.min_length, own.limits.min_length) if n is not None), default=None),
        max_length=min((n for n in (base.limits.max_length, own.limits.max_length) if n is not None), default=None),
    )  # fmt: skip
    return replace(
        base, source=own.source or base.source, limits=limits, present=own.present or base.present,
        follows=own.follows or base.follows, guess=None if own.source is not None else base.guess,
    )  # fmt: skip
