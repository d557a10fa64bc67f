"""What stands between a run and a database that matters. Nothing here can be switched off from the command line."""

from __future__ import annotations

import re
import socket
from collections.abc import Sequence

from ...model.problems import RefusedError
from .place import Place

_PART = re.compile(r"[a-z]+|[^\W\d_]+")
_HUMP = re.compile(r"(?<=[a-z0-9])(?=[A-Z])")
_BEHIND = ("db", "database", "sql", "pg", "server", "srv", "host")  # what is written behind such a word without a gap
HERE = ("", "localhost", "127.0.0.1", "::1")


def refuse_protected(place: Place, words: Sequence[str]) -> None:
    """RefusedError for a database that is marked, or whose name or host holds one of some words."""
    mark = place.protected_by()
    if mark is not None:
        raise RefusedError(
            f"{place.name} is protected by {mark}; nothing was changed",
            hint="whoever may do so removes that there, in the database",
        )
    for what, name in (("name", place.database), ("host", place.host or "")):
        word = next((word for word in words if _holds(name, word.lower())), None)
        if word is not None:
            raise RefusedError(
                f"{place.name} looks like production: its {what} '{name}' holds the word '{word}'; nothing was changed",
                hint="the world file's `protected:` lists the words that keep a database safe; no option overrides them",
            )


def _holds(name: str, word: str) -> bool:
    """Whether a name holds a word: as a part of its own, at the end of one (`ferryprod`), or before `db` and the like."""
    parts = _PART.findall(_HUMP.sub(" ", name).lower())
    return any(part == word or part.endswith(word) or part in {word + tail for tail in _BEHIND} for part in parts)


def refuse_unconfirmed(place: Place, confirm: str | None, remote: bool, deletes: str) -> None:
    """RefusedError where rows would be deleted and the right name was not given, or the server is elsewhere and that was not
    said. `deletes` tells what would go."""
    if confirm != place.database:
        wrong = f"; --confirm says '{confirm}'" if confirm is not None else ""
        raise RefusedError(
            f"replacing would delete {deletes} in {place.name}{wrong}; nothing was changed",
            hint=f"to delete them: --confirm {place.database}" + ("" if is_here(place.host) else " --remote"),
        )
    if not remote and not is_here(place.host):
        raise RefusedError(
            f"replacing would delete {deletes} in {place.name}, and {place.host} is not this machine; nothing was changed",
            hint="to delete them there: --remote",
        )


def is_here(host: str | None) -> bool:
    """Whether a host is this machine: by its name alone, since an address may be anybody's."""
    if host is None or host.lower() in HERE or host.startswith(("/", "127.")):
        return True
    return host.lower() == socket.gethostname().lower()
