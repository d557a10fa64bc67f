"""The SQL dialects that are read: how each spells names, texts and comments, and how one is recognised."""

from __future__ import annotations

import re
from collections.abc import Sequence
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

# signs that only one family of databases writes, each behind a text without which it is not looked for; each counts once
_SIGNS = {
    "mysql": (
        ("`", "`"), ("auto_increment", r"\bAUTO_INCREMENT\b"), ("engine", r"\bENGINE\s*="), ("/*!", r"/\*!\d"),
        ("delimiter", r"^\s*DELIMITER\b"), ("unsigned", r"\bUNSIGNED\b"), ("longtext", r"\bLONGTEXT\b"),
        ("tinyint", r"\bTINYINT\s*\("), ("#", r"^#"),
    ),
    "sqlite": (
        ("autoincrement", r"\bAUTOINCREMENT\b"), ("rowid", r"\bWITHOUT\s+ROWID\b"), ("pragma", r"^\s*PRAGMA\b"),
        ("strict", r"\)\s*STRICT\s*;"), ("sqlite_", r"\bsqlite_"),
        ("create", r"\bCREATE\s+TABLE\s+(IF\s+NOT\s+EXISTS\s+)?('\w+'|\w+\s*\(\s*'\w+'\s+\w)"),
    ),
    "postgresql": (
        ("::", "::"), ("$", r"\$\w*\$"), ("serial", r"\b(BIG|SMALL)?SERIAL\b"), ("jsonb", r"\bJSONB\b"),
        ("timestamptz", r"\bTIMESTAMPTZ\b"), ("bytea", r"\bBYTEA\b"),
        ("create", r"\bCREATE\s+(TYPE|DOMAIN|EXTENSION|SEQUENCE)\b"), ("\\", r"^\\(connect|restrict|set)\b"),
        ("stdin", r"\bFROM\s+stdin\b"), ("varying", r"\bcharacter varying\b"), ("only", r"\bALTER\s+TABLE\s+ONLY\b"),
    ),
}  # fmt: skip
_IN_FILE_NAMES = (("sqlite", "sqlite"), ("mysql", "mysql"), ("maria", "mysql"))
_HEAD = 120_000  # characters in which signs are looked for
# databases whose SQL is not read here, by words that no other one has
_FOREIGN = {
    "SQL Server": (
        ("go", r"^\s*GO\s*$"), ("[dbo]", r"\[dbo\]"), ("nvarchar", r"\bNVARCHAR\s*\(\s*MAX\s*\)"),
        ("identity", r"\bIDENTITY\s*\(\s*1\s*,\s*1\s*\)"), ("uniqueidentifier", r"\bUNIQUEIDENTIFIER\b"),
    ),
    "Oracle": (
        ("varchar2", r"\bVARCHAR2\b"), ("number", r"\bNUMBER\s*\("), ("segment", r"\bSEGMENT\s+CREATION\b"),
        ("nocompress", r"\bNOCOMPRESS\b"),
    ),
}  # fmt: skip


def dialect_named(name: str | None) -> Dialect:
    """The dialect of that name, PostgreSQL's without one; UsageError for a name that nobody knows."""
    if name is None:
        return _POSTGRESQL
    if name not in _BY_NAME:
        raise UsageError(f"no SQL dialect is called '{name}'", hint=nearest(name, DIALECTS))
    return _BY_NAME[name]


def guess_dialect(sql: str, file: str = "") -> str:
    """The dialect with most signs of its own in the text; the one that the file's name speaks of has two more. PostgreSQL's
    where there is none."""
    counts = {name: len(_found(signs, sql)) for name, signs in _SIGNS.items()}
    spoken = next((name for word, name in _IN_FILE_NAMES if word in file.lower()), None)
    if spoken is not None:
        counts[spoken] += 2
    # SQLite takes backticks as well, and spells little in a way of its own
    best = max(counts, key=lambda name: (counts[name], name == "sqlite"))
    return best if counts[best] else "postgresql"


def foreign_database(sql: str) -> str | None:
    """The database whose SQL this is when it is one that we do not read: at least two words of its own."""
    return next((name for name, signs in _FOREIGN.items() if len(_found(signs, sql)) > 1), None)


def _found(signs: Sequence[tuple[str, str]], sql: str) -> set[str]:
    head = sql[:_HEAD]
    lower = head.lower()
    patterns = (pattern for text, pattern in signs if text in lower)
    return {found[0].strip().lower() for pattern in patterns for found in re.finditer(pattern, head, re.I | re.M)}
