"""The noun of a table's name, without what says only that it is a table."""

from __future__ import annotations

import re

from .forms import singular

# what ends the name of a table, and says nothing of what its rows are
_NO_NOUNS = frozenset("table tbl tab tabl lt rel relation temp tmp".split())
# an entity is none where it is kept as one, workflow_entity; a legal entity is
_ENTITIES = frozenset("legal business corporate reporting public named economic tax billing foreign related".split())
# of which few there are, and what a table of them is called
_OF_FEW = frozenset("status state role type reason priority severity stage phase category kind".split())
_CHOSEN = frozenset("choice choices option options lookup lookups".split())


def noun_of(words: tuple[str, ...]) -> tuple[str, ...]:
    """The words of a table's name without what says only that it is a table, and which one: `passwd_table`, `devices_v11`."""
    if len(words) > 1 and words[-1] in ("entity", "entities") and words[-2] not in _ENTITIES:
        words = words[:-1]
    if len(words) > 1 and words[-1] in _CHOSEN and singular(words[-2]) in _OF_FEW:
        words = words[:-1]  # project_status_choice
    while len(words) > 1 and (words[-1] in _NO_NOUNS or words[-1].isdigit() or re.fullmatch(r"v\d*", words[-1])):
        words = words[:-1]
    return words
