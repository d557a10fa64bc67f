"""A candidate for the values of a field, with the reason for it."""

from __future__ import annotations

from dataclasses import dataclass

from ..model import Guess, Source


@dataclass(frozen=True, slots=True)
class Guessed:
    """What a field may be filled from; `share`: how often it has a value, where it may be null."""

    source: Source
    guess: Guess
    share: float | None = None
    secret: bool = False
