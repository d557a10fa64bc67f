"""What a database takes for equal among texts: by collation, and by type."""

from __future__ import annotations

from enum import IntEnum
from unicodedata import combining, normalize

from .types import TEXTS, FieldType, TypeName


class Fold(IntEnum):
    """How texts are compared; each folds what those before it do: spaces at the end, case, accents."""

    EXACT = 0
    SPACES = 1
    CASE = 2
    ACCENTS = 3

    def __str__(self) -> str:
        return ("exactly", "but for spaces at the end", "in any case", "in any case and with any accents")[self]


_NAMED = {"nocase": Fold.CASE, "citext": Fold.CASE, "rtrim": Fold.SPACES}


def fold_of(field_type: FieldType, collation: str | None, dialect: str | None) -> Fold:
    """How a database of a dialect compares values of a type, under the collation that is declared for them.

    MySQL and MariaDB say it in the names of collations: `_bin` and `_cs` tell cases apart, `_as` accents. What has none there has
    the server's, which usually folds both. PostgreSQL compares exactly, but pads `char(n)`.
    """
    if field_type.name not in TEXTS:
        return Fold.EXACT
    if collation is None:
        padded = Fold.SPACES if field_type.name is TypeName.CHAR and dialect == "postgresql" else Fold.EXACT
        return Fold.ACCENTS if dialect in ("mysql", "mariadb") else padded
    name = collation.lower()
    if name in _NAMED:
        return _NAMED[name]
    if name.endswith(("_bin", "_cs")):
        return Fold.SPACES
    if name.endswith("_ci"):
        return Fold.CASE if name.endswith("_as_ci") else Fold.ACCENTS
    return Fold.EXACT


def folded(text: str, fold: Fold) -> str:
    """The text as it is compared."""
    if fold >= Fold.ACCENTS:
        text = "".join(character for character in normalize("NFKD", text) if not combining(character))
    if fold >= Fold.CASE:
        text = text.lower()
    return text.rstrip(" ") if fold >= Fold.SPACES else text
