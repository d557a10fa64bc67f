"""Names of fields as expressions hold them."""

from __future__ import annotations

import re
from functools import lru_cache

import sqlglot
from sqlglot import exp
from sqlglot.parser import Parser

_BEGINNING = {*Parser.STATEMENT_PARSERS, *sqlglot.Tokenizer.COMMANDS}  # words that begin a statement
_PLAIN = re.compile(r"[a-z_][a-z0-9_]*")
_IN_ALL_PLACES = "CASE WHEN {0} IS NULL THEN 1 WHEN ({0} >= 1 AND NOT {0} <> 2) THEN {0} ELSE {0} + 1 END"


def plain_name(name: str) -> str:
    """A field's name within an expression: in quotes only where SQL would read something else."""
    return name if is_plain(name) else exp.to_identifier(name, quoted=True).sql()


def quoted_text(text: str) -> str:
    """A text as a literal of an expression."""
    return "'" + text.replace("'", "''") + "'"


@lru_cache(maxsize=16_384)
def is_plain(name: str) -> bool:
    """Whether a name needs no quotes: in lower case, and no word that SQL reads as one of its own."""
    if not _PLAIN.fullmatch(name):
        return False
    if "_" in name and not name.startswith("_") and not name.startswith("current_"):
        return True  # SQL has few such words, and common names are not worth the look
    try:
        if sqlglot.tokenize(name)[0].token_type in _BEGINNING:
            return False
        tree = sqlglot.parse_one(_IN_ALL_PLACES.format(name))
        sqlglot.parse_one(f"{name} IS NULL")
    except sqlglot.errors.SqlglotError:
        return False
    return [column.name for column in tree.find_all(exp.Column)] == [name] * 5
