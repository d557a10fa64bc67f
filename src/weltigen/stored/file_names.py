"""Names of files, made from names of entities: within their folder, readable, and different on file systems that ignore case."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping
from hashlib import blake2b
from pathlib import Path
from unicodedata import normalize

RECEIPT = "receipt.json"
# names that Windows keeps for devices, whatever their ending, and the receipt's own
_RESERVED = re.compile(r"(con|prn|aux|nul|com\d|lpt\d|receipt)(\..*)?", re.IGNORECASE)
_UNFIT = re.compile(r"[^\w\- .()+=@]+")
_LONGEST = 120  # bytes of a name before its ending
_LISTED = 16_000_000  # bytes of a receipt that is read for its list of files


def file_stems(names: Iterable[str]) -> dict[str, str]:
    """What the file of each entity is called, without its ending.

    A name that can be a file's name stays. Any other gets a mark that is made from the name alone, and so do all but the first of
    those that differ in case only.
    """
    out: dict[str, str] = {}
    taken: set[str] = set()
    for name in sorted(names):
        stem = file_stem(name)
        if (folded := normalize("NFKC", stem).casefold()) in taken:
            stem = _marked(name)
            folded = normalize("NFKC", stem).casefold()
        taken.add(folded)
        out[name] = stem
    return out


def file_stem(name: str) -> str:
    """The file's name of an entity that no other is confused with."""
    fit = _fit(name)
    return name if fit == name and not _RESERVED.fullmatch(name) and len(name.encode()) <= _LONGEST else _marked(name)


def _fit(name: str) -> str:
    return _UNFIT.sub("_", name).strip(" .")


def _marked(name: str) -> str:
    mark = blake2b(name.encode(), digest_size=4).hexdigest()
    return f"{_fit(name).encode()[: _LONGEST - 10].decode(errors='ignore')}~{mark}".lstrip(" .-")


def files_told(folder: Path) -> Mapping[str, str]:
    """Which file is whose, as the receipt of a folder tells; empty where none does. No file outside of the folder is named."""
    path = folder / RECEIPT
    try:
        if path.stat().st_size > _LISTED:
            return {}
        told = json.loads(path.read_text("utf-8")).get("files", {})
        return {str(name): str(file) for name, file in told.items() if Path(str(file)).name == file}
    except (OSError, ValueError, AttributeError, RecursionError):
        return {}
