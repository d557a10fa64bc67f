"""Values as YAML that reads back as the same text."""

from __future__ import annotations

import json
import re

_PLAIN = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_.+/-]*(:[A-Za-z0-9_./-]+)*( [A-Za-z0-9_.+/-]+)*%?")


def scalar(text: str) -> str:
    """The text as it can stand in a mapping or a list, quoted where YAML would make something else of it."""
    if _PLAIN.fullmatch(text) and text.lower() not in ("null", "~"):
        return text
    return json.dumps(text, ensure_ascii=False)


def flow(parts: dict[str, str]) -> str:
    """A mapping on one line; its values are YAML already."""
    return "{" + ", ".join(f"{scalar(key)}: {value}" for key, value in parts.items()) + "}"


def listed(texts: tuple[str, ...]) -> str:
    return "[" + ", ".join(map(scalar, texts)) + "]"


def percent(share: float) -> str:
    return f"{100 * share:g}%"


def commented(line: str, comment: str, column: int = 62) -> str:
    """A line with a comment behind it, in one column where there is room."""
    return f"{line:<{column}}  # {comment}" if comment else line


def without_reason(line: str) -> str:
    """The line before its comment, for mappings that stand on one line."""
    return line.split("  # ")[0].rstrip()
