"""SQL data definitions: own grammar over tokens, in three dialects; nothing is executed."""

from .dialects import DIALECTS, dialect_named, guess_dialect
from .reader import read_ddl
from .types import parse_type, spelled_type

__all__ = ["DIALECTS", "dialect_named", "guess_dialect", "parse_type", "read_ddl", "spelled_type"]
