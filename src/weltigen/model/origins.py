"""Where a declaration comes from, and how a check is met: what decides which of two gives way."""

from __future__ import annotations

from enum import StrEnum


class Origin(StrEnum):
    """Who says so. What is declared, read from a check, or said can be impossible; a guess or a fallback gives way to it."""

    DECLARED = "declared"  # by the model: a type, a key, a reference
    CHECK = "from a check"  # read out of one, which demands it as well
    SAID = "said"  # by a world file, or by the run
    GUESSED = "guessed"  # from a name, a type, a comment
    FALLBACK = "fallback"  # the usual, where nothing else is known


class Status(StrEnum):
    """How a check of the model stands before it is planned."""

    OPEN = "open"  # rows are tried, or looked at
    MET = "met"  # what it demands became limits, references or presence, so that rows keep it by construction
    AGAIN = "open again"  # limits met it, until a field that it reads was set by hand: it is tried like an open one
    UNREADABLE = "unreadable"  # it cannot be evaluated here, so that rows may break it
