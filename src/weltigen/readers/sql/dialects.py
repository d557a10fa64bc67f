"""The SQL dialects that are read: how each spells names, texts and comments, and how one is recognised."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from ...model.problems import UsageError, nearest

DIALECTS = ("postgresql", "mariadb", "mysql", "sqlite", "standard")


@dataclass(frozen=True, slots=True)
class Dialect:
    """What differs before any statement is understood; `sqlglot` is the name under which sqlglot parses expressions."""

    name: str
    sqlglot: str
    folds_case: bool = False  # unquoted names are folded to lower case, quoted ones are not
    backslashes: bool = False  # \ escapes in every text
    backticks: bool = False
    brackets: bool = False  # [name]
    dollars: bool = False  # $tag$ text $tag$
    double_quoted_text: bool = False
    hash_comments: bool = False
    nested_comments: bool = False


_POSTGRESQL = Dialect("postgresql", "postgres", folds_case=True, dollars=True, nested_comments=True)
_MYSQL = Dialect("mysql", "mysql", backslashes=True, backticks=True, double_quoted_text=True, hash_comments=True)
_SQLITE = Dialect("sqlite", "sqlite", backticks=True, brackets=True)
_BY_NAME = {
    "postgresql": _POSTGRESQL,
    "standard": _POSTGRESQL,
    "mariadb": Dialect("mariadb", "mysql", backslashes=True, backticks=True, double_quoted_text=True, hash_comments=True),
    "mysql": _MYSQL,
    "sqlite": _SQLITE,
}

# signs that only one family of databases writes; each counts once, however often it stands there
_SIGNS = {
    "mysql": r"`|\bAUTO_INCREMENT\b|\bENGINE\s*=|/\*!\d|^\s*DELIMITER\b|\bUNSIGNED\b|\bLONGTEXT\b|\bTINYINT\s*\(",
    "sqlite": r"\bAUTOINCREMENT\b|\bWITHOUT\s+ROWID\b|^\s*PRAGMA\b|\)\s*STRICT\s*;|\bsqlite_",
    "postgresql": r"::|\$\w*\$|\b(BIG|SMALL)?SERIAL\b|\bJSONB\b|\bTIMESTAMPTZ\b|\bBYTEA\b|\bCREATE\s+(TYPE|DOMAIN|EXTENSION)\b"
    r"|^\\(connect|restrict|set)\b|\bFROM\s+stdin\b|\bcharacter varying\b|\bCREATE\s+SEQUENCE\b|\bALTER\s+TABLE\s+ONLY\b",
}
_IN_FILE_NAMES = (("sqlite", "sqlite"), ("mysql", "mysql"), ("maria", "mysql"))
_HEAD = 120_000  # characters in which signs are looked for
# databases whose SQL is not read here, by words that no other one has
_FOREIGN = {
    "SQL Server": r"^\s*GO\s*$|\[dbo\]|\bNVARCHAR\s*\(\s*MAX\s*\)|\bIDENTITY\s*\(\s*1\s*,\s*1\s*\)|\bUNIQUEIDENTIFIER\b",
    "Oracle": r"\bVARCHAR2\b|\bNUMBER\s*\(|\bSEGMENT\s+CREATION\b|\bNOCOMPRESS\b",
}


def dialect_named(name: str | None) -> Dialect:
    """The dialect of that name, PostgreSQL's without one; UsageError for a name that nobody knows."""
    if name is None:
        return _POSTGRESQL
    if name not in _BY_NAME:
        raise UsageError(f"no SQL dialect is called '{name}'", hint=nearest(name, DIALECTS))
    return _BY_NAME[name]


def guess_dialect(sql: str, file: str = "") -> str:
    """The dialect with most signs of its own in the text; without any the one that the file's name speaks of, or PostgreSQL's."""
    head = sql[:_HEAD]
    counts = {name: len({m[0].strip().lower() for m in _found(signs, head)}) for name, signs in _SIGNS.items()}
    best = max(counts, key=lambda name: counts[name])
    if counts[best]:
        return best
    return next((name for word, name in _IN_FILE_NAMES if word in file.lower()), "postgresql")


def foreign_database(sql: str) -> str | None:
    """The database whose SQL this is when it is one that we do not read: at least two words of its own."""
    head = sql[:_HEAD]
    return next((name for name, signs in _FOREIGN.items() if len({m[0].strip().lower() for m in _found(signs, head)}) > 1), None)


def _found(signs: str, text: str) -> Iterator[re.Match[str]]:
    return re.finditer(signs, text, re.I | re.M)
